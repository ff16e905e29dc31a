import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Place, type Sheet, api, ask } from '../api/client';
import type { RecordView } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { amount, when } from '../kit/format';
import type { Book } from '../shared/words';
import { BulkAct } from './bulkact';

const useRecord = (place: Place, version?: number) =>
  useQuery({
    queryKey: ['sheet', 'record', place.school, place.year, place.student, version],
    queryFn: () => {
      const { school, year, student } = place;
      return ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/record', { params: { path: { school, year, student } } }));
    },
    placeholderData: keepPreviousData, // while another version of the sheet comes
  });

/** The transcript, and what people have said of the student, each with its source. */
export function OnRecord(props: { book: Book; place: Place; decides: boolean; version: number }) {
  const { t } = useTranslation();
  const { book, place } = props;
  const record = useRecord(place, props.version);
  const [mending, setMending] = useState<RecordView>();
  if (record.error && !record.data) return <Refusal text={errorWords(t, record.error)} />;
  if (!record.data) return <Loading />;
  const { records, signals } = record.data;
  const years = [...new Set(records.map((r) => r.schoolYear))];
  return (
    <>
      <section aria-label={t('file.transcript')}>
        <h2 className="font-semibold">{t('file.transcript')}</h2>
        {records.length === 0 && <p className="text-soft">{t('file.noRecords')}</p>}
        {years.map((year) => (
          <table key={year} className="mb-2 w-full border-collapse text-start">
            <caption className="text-start text-sm text-soft">{year}</caption>
            <tbody>
              {records
                .filter((r) => r.schoolYear === year)
                .map((r) => (
                  <tr key={r.id} className="border-t border-line align-baseline">
                    <th scope="row" className="py-1 pe-3 text-start font-normal">
                      {r.title} {r.entered && <span className="text-sm text-soft">· {t('file.entered')}</span>}
                    </th>
                    <td className="w-16 pe-3 text-soft">{r.term}</td>
                    <td className="w-24 pe-3 text-soft">{t(`file.outcome.${r.outcome}`)}</td>
                    <td className="w-12 pe-3 text-end">{amount(r.credits)}</td>
                    <td className="w-12 pe-3 text-end">{r.mark === undefined ? '–' : amount(r.mark)}</td>
                    <td className="w-20 text-end">
                      {props.decides && (
                        <button
                          type="button"
                          className="min-h-6 text-sm inked-link"
                          aria-label={t('file.mendOf', { course: r.title })}
                          onClick={() => setMending(mending?.id === r.id ? undefined : r)}
                        >
                          {t('file.mend')}
                        </button>
                      )}
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        ))}
        {mending && (
          <div className="mb-4 border-s-2 border-line ps-3">
            <BulkAct
              key={mending.id}
              at={place}
              book={book}
              students={[{ id: place.student, given: '', family: '', grade: 0, version: 0 }]}
              kinds={['record']}
              head={t('file.mendOf', { course: mending.title })}
              mends={mending}
              onClose={() => setMending(undefined)}
            />
          </div>
        )}
      </section>
      <section aria-label={t('file.said')} className="mt-4">
        <h2 className="font-semibold">{t('file.said')}</h2>
        {signals.length === 0 && <p className="text-soft">{t('file.nothingSaid')}</p>}
        <ul>
          {signals.map((x, i) => (
            <li key={i} className="border-t border-line py-1">
              {t(`file.signal.${x.kind}`, {
                course: x.course ? book.title(x.course) : '',
                name: x.name ?? '',
                value: x.value === undefined ? '' : amount(x.value),
              })}
              {x.fixed && ` · ${t('file.fixed')}`}
              <span className="text-soft">
                {x.by && ` · ${x.by}`} {x.note && `“${x.note}”`}
              </span>
            </li>
          ))}
        </ul>
      </section>
    </>
  );
}

/** The guardians, and who has signed what stands. */
export function Family({ place, sheet }: { place: Place; sheet: Sheet }) {
  const { t, i18n } = useTranslation();
  const record = useRecord(place, sheet.version);
  const s = sheet.status;
  const languages = new Intl.DisplayNames([i18n.language], { type: 'language' });
  return (
    <section aria-label={t('file.family')}>
      <h2 className="font-semibold">{t('file.family')}</h2>
      <ul>
        {record.data?.guardians.map((g) => (
          <li key={g.name} className="border-t border-line py-1">
            {g.name}{' '}
            <span className="text-soft">
              {[g.language && languages.of(g.language), t(g.signsIn ? 'file.signsIn' : 'file.onPaper')].filter(Boolean).join(' · ')}
            </span>
          </li>
        ))}
        {record.data?.guardians.length === 0 && <li className="text-soft">{t('file.noGuardian')}</li>}
        {s.signatures.map((x) => (
          <li key={x.name + x.at} className="border-t border-line py-1">
            {t(x.paperBy ? 'file.signedPaper' : x.forFamily ? 'file.signedFor' : 'file.signed', {
              name: x.name,
              by: x.paperBy,
              time: when(x.at, s.window?.zone),
            })}
          </li>
        ))}
      </ul>
    </section>
  );
}
