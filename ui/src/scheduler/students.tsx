import { useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask, usePeople } from '../api/client';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { whole } from '../kit/format';
import { NotGiven, Week } from '../shared/week';
import '../shared/result';
import type { Book } from '../shared/words';
import { ByHand } from './manual';
import { useSingleKeys } from '../kit/keys';
import { SearchField } from '../kit/searchfield';
import type { Run } from './run';

/** One student's week next to the numbers, those who lack something first. */
export function Students({ at, run, book }: { at: Year; run: Run; book: Book }) {
  const { t } = useTranslation();
  const path = { school: at.school, year: at.year, run: run.id };
  const key = ['placements', at.school, at.year, run.id, run.found?.value, run.found?.touched];
  const [chosen, setChosen] = useState<string>();
  const [text, setText] = useState('');
  const people = usePeople(at, text.trim());
  const lacking = useQuery({
    queryKey: [...key, 'lacking'],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/lacking', { params: { path } })),
  });
  const list = lacking.data ?? [];
  const student = chosen ?? list[0]?.student;
  const placed = useQuery({
    queryKey: [...key, 'student', student],
    queryFn: () =>
      ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/students/{student}', { params: { path: { ...path, student: student ?? '' } } })),
    enabled: student !== undefined,
    retry: false,
  });
  const here = list.findIndex((p) => p.student === student);
  const step = (by: 1 | -1) => {
    const next = list[here + by];
    if (next) setChosen(next.student);
  };
  useSingleKeys({ j: () => step(1), k: () => step(-1) });
  const found = run.found;
  if (lacking.error) return <Refusal text={errorWords(t, lacking.error)} />;
  if (!lacking.data || !found) return <Loading />;
  const p = placed.data;
  const students = people.data?.filter((x) => x.role === 'student') ?? [];
  return (
    <section aria-label={t('place.students')} className="mt-4">
      <SearchField label={t('place.find')} value={text} onChange={setText} className="no-print min-h-9 w-full" />
      {text.trim() !== '' && (
        <ul className="no-print">
          {students.slice(0, 8).map((x) => (
            <li key={x.id}>
              <button
                type="button"
                className="min-h-7 inked-link"
                onClick={() => {
                  setChosen(x.id);
                  setText('');
                }}
              >
                {x.given} {x.family}
              </button>
            </li>
          ))}
        </ul>
      )}
      <p className="my-2">
        {t('place.counts', {
          open: whole(found.students - found.complete),
          stood: whole(found.complete - found.all),
          all: whole(found.all),
        })}
      </p>
      {placed.error && <Refusal text={errorWords(t, placed.error)} />}
      {p && (
        <>
          <div className="flex items-baseline gap-3">
            <h2 className="font-head text-xl font-medium">{p.name}</h2>
            {here >= 0 && here < list.length - 1 && (
              <button type="button" className="ms-auto min-h-7 inked-link" onClick={() => step(1)}>
                {t('place.next')}
              </button>
            )}
          </div>
          <p className="mb-2 text-soft">
            {t('place.lot', { grade: p.grade, n: whole(p.lot) })}
            {here >= 0 && ` · ${t('place.nth', { n: whole(here + 1), of: whole(list.length) })}`}
          </p>
          <Week book={book} given={p.given} />
          {p.lacking.length > 0 && (
            <>
              <h3 className="mt-3 font-semibold">{t('result.notGiven')}</h3>
              <NotGiven book={book} lacking={p.lacking} />
            </>
          )}
          <ByHand key={p.student} at={at} run={run} book={book} student={p.student} name={p.name} />
        </>
      )}
    </section>
  );
}
