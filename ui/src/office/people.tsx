import { useMutation } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Found, type Year, givePassword, usePeople } from '../api/client';
import { errorWords } from '../errors';
import { Button, Refusal } from '../kit/controls';
import '../kit/staff';

/** The people of the school: whoever has lost a password gets a new one. */
export default function People({ at }: { at: Year }) {
  const { t } = useTranslation();
  const [text, setText] = useState('');
  const people = usePeople(at, useDeferredValue(text.trim()));
  const [chosen, setChosen] = useState<Found>();
  const give = useMutation({ mutationFn: (p: Found) => givePassword(at, p.id) });
  return (
    <main id="page" className="mx-auto max-w-3xl px-4 pt-5 pb-16">
      <h1 className="mb-2">{t('people.head')}</h1>
      <p className="mb-3 text-soft">{t('people.note')}</p>
      {give.data && chosen && (
        <p role="status" className="mb-3 rounded border border-ink bg-card p-3">
          {t('people.given', { name: `${chosen.given} ${chosen.family}` })}{' '}
          <code className="font-mono text-lg font-semibold select-all">{give.data.password}</code>
        </p>
      )}
      <Refusal text={give.error ? errorWords(t, give.error) : people.error ? errorWords(t, people.error) : undefined} />
      <input
        type="search"
        aria-label={t('people.find')}
        placeholder={t('people.find')}
        value={text}
        maxLength={100}
        onChange={(event) => setText(event.target.value)}
        className="min-h-11 w-full rounded border border-edge bg-card px-3 placeholder:text-soft"
      />
      {text.trim() !== '' && people.data?.length === 0 && <p className="py-3 text-soft">{t('people.none')}</p>}
      <ul className="mt-2">
        {text.trim() !== '' &&
          people.data?.map((p) => (
            <li key={p.id} className="flex flex-wrap items-center gap-x-4 border-t border-line py-1.5">
              <span className="min-w-0 flex-1 basis-48">
                <b className="font-semibold">
                  {p.given} {p.family}
                </b>{' '}
                <span className="text-soft">
                  {p.username} · {t(`people.role.${p.role}`, { defaultValue: p.role })} · {t(p.password ? 'people.has' : 'people.hasNot')}
                </span>
              </span>
              <Button
                disabled={give.isPending}
                onClick={() => {
                  setChosen(p);
                  give.mutate(p);
                }}
              >
                {t('people.give')}
              </Button>
            </li>
          ))}
      </ul>
    </main>
  );
}
