import { useTranslation } from 'react-i18next';
import words from '../../../locales/en.json?part=changeRequests';
import { type Place, type Sheet, acts, useAct } from '../api/client';
import { errorWords } from './errors';
import { speakMore } from '../i18n';
import type { Book } from './words';
import { Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { Say } from './say';

speakMore(words);

/** What people of the family ask to change and who refuses to sign, each with its author and answer; its author withdraws it, the school answers. */
export default function ChangeRequests({ book, sheet, place, answers }: { book: Book; sheet: Sheet; place: Place; answers?: boolean }) {
  const { t } = useTranslation();
  const withdraw = useAct(place, acts.withdraw);
  const answer = useAct(place, acts.answer);
  const error = withdraw.error ?? answer.error;
  const zone = sheet.status.window?.zone;
  return (
    <div className="mb-3">
      <ul aria-label={t('changeRequests.label')}>
        {sheet.status.changeRequests.map((r) => (
          <li key={r.id} className={r.open ? 'mb-2 rounded border p-2 hatch' : 'mb-2 border-s-2 border-line ps-3'}>
            <p className={r.open ? 'w-fit rounded bg-card px-1 text-ochre' : 'text-soft'}>
              {t(`changeRequests.${r.kind}.${r.own ? 'own' : r.by ? 'other' : 'family'}`, { who: r.by })}
              {r.course && ` · ${book.title(r.course)}`} · {when(r.at, zone)}: “<bdi>{r.text}</bdi>”
            </p>
            {r.answeredAt && (
              <p>
                {t('changeRequests.answered', { who: r.answeredBy, time: when(r.answeredAt, zone) })}{' '}
                {r.answer ? <bdi>“{r.answer}”</bdi> : t('changeRequests.approved')}
              </p>
            )}
            {r.open && r.own && (
              <button
                type="button"
                disabled={withdraw.isPending}
                className="no-print min-h-11 rounded bg-card px-1 text-sm inked-link desk:min-h-7"
                onClick={() => withdraw.mutate({ id: r.id })}
              >
                {t('changeRequests.withdraw')}
              </button>
            )}
            {r.open && answers && (
              <div className="rounded bg-card px-1 text-sm">
                <Say
                  label={t('changeRequests.answer', { who: r.by ?? t('changeRequests.theFamily') })}
                  action={t('remark.answerGo')}
                  busy={answer.isPending}
                  onSay={(text, taken) => answer.mutate({ id: r.id, answer: text }, { onSuccess: taken })}
                />
              </div>
            )}
          </li>
        ))}
      </ul>
      <Refusal text={error ? errorWords(t, error) : undefined} />
    </div>
  );
}
