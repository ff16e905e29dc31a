import { useTranslation } from 'react-i18next';
import { type Place, api, ask } from '../api/client';
import { usePaged } from '../api/paged';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { ShowEarlier } from '../shared/earlier';
import { Mark, type MarkKind } from '../kit/marks';
import '../shared/staff';

const marks: Record<string, MarkKind> = { sent: 'settled', waiting: 'half', sending: 'half', declined: 'half' };

/** What was written to whom about a student, and what became of it. */
export function Letters({ place }: { place: Place }) {
  const { t } = useTranslation();
  const path = { school: place.school, year: place.year, student: place.student };
  const list = usePaged(['letters', path], 200, (skip) =>
    ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/letters', { params: { path, query: { skip } } })),
  );
  return (
    <section className="mt-6" aria-label={t('letters.head')}>
      <h2 className="font-semibold">{t('letters.head')}</h2>
      {list.error && <Refusal text={errorWords(t, list.error)} />}
      {list.isPending && <Loading />}
      {list.data?.length === 0 && <p className="text-soft">{t('letters.none')}</p>}
      <ul className="max-h-64 overflow-y-auto text-sm" tabIndex={0} aria-label={t('letters.head')}>
        {list.data?.map((l, i) => (
          <li key={i} className="border-t border-line py-1">
            <Mark kind={marks[l.state] ?? 'stopped'} /> <b className="font-semibold">{l.to}</b> {t(`letters.kind.${l.kind}`)}{' '}
            <span className={marks[l.state] ? 'text-soft' : 'text-ochre'}>
              · {t(`letters.state.${l.state}`, { address: l.address, fault: l.fault })} · {when(l.doneAt ?? l.madeAt)}
            </span>
          </li>
        ))}
      </ul>
      <ShowEarlier of={list} />
    </section>
  );
}
