import { useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Refusal } from '../kit/controls';
import { type Book, join } from '../shared/words';
import { type Run, letter } from './run';

/** A run beside another one: what differs in the sections, how many more are served, who gets something and who loses it. */
export function CompareRuns({ at, run, runs, book }: { at: Year; run: Run; runs: Run[]; book: Book }) {
  const { t } = useTranslation();
  const others = runs.filter((r) => r.id !== run.id && r.found);
  const [chosen, setChosen] = useState<number>();
  const other = others.find((r) => r.id === chosen);
  const beside = useQuery({
    queryKey: ['placements', at.school, at.year, run.id, 'beside', other?.id, run.found?.value, other?.found?.value, run.found?.touched, other?.found?.touched],
    queryFn: () =>
      ask(
        api.GET('/api/schools/{school}/years/{year}/placements/{run}/beside/{other}', {
          params: { path: { school: at.school, year: at.year, run: run.id, other: other?.id ?? 0 } },
        }),
      ),
    enabled: other !== undefined,
  });
  if (others.length === 0 || !run.found) return null;
  const b = beside.data;
  const more = run.found.complete - (other?.found?.complete ?? 0);
  const where = (periods: number[]) =>
    periods.length ? t('place.inPeriod', { count: periods.length, periods: join(t, periods.map(String)) }) : t('sections.noPeriod');
  const lines = b?.sections.map((d) => {
    const course = book.title(d.course);
    if (d.only === 'this') return t('place.diff.new', { course, section: d.section, when: where(d.periods) });
    if (d.only === 'other') return t('place.diff.gone', { course, section: d.section, when: where(d.wasPeriods) });
    if (d.seats !== d.wasSeats && d.periods.join() === d.wasPeriods.join())
      return t('place.diff.seats', { course, section: d.section, was: d.wasSeats, now: d.seats });
    return t('place.diff.moved', { course, section: d.section, was: where(d.wasPeriods), now: where(d.periods) });
  });
  const people = (list: { id: string; name: string; courses: string[] }[], label: string) =>
    list.length > 0 && (
      <details>
        <summary className="min-h-7 cursor-pointer">{label}</summary>
        <ul className="max-h-56 overflow-y-auto text-sm" tabIndex={0} aria-label={label}>
          {list.map((p) => (
            <li key={p.id} className="border-t border-line py-0.5">
              {p.name} <span className="text-soft">· {join(t, p.courses.map(book.title))}</span>
            </li>
          ))}
        </ul>
      </details>
    );
  return (
    <section aria-label={t('place.besideHead')} className="no-print mt-3">
      <label className="text-sm">
        {t('place.beside', { run: letter(run.id) })}{' '}
        <select
          value={other?.id ?? ''}
          onChange={(event) => setChosen(event.target.value ? Number(event.target.value) : undefined)}
          className="min-h-8 rounded border border-edge bg-card px-2"
        >
          <option value="">{t('place.besideNone')}</option>
          {others.map((r) => (
            <option key={r.id} value={r.id}>
              {letter(r.id)}
            </option>
          ))}
        </select>
      </label>
      {beside.error && <Refusal text={errorWords(t, beside.error)} />}
      {b && other?.found && (
        <div data-testid="beside" className="mt-1">
          <p>
            {lines?.length ? t('place.diffs', { list: lines.slice(0, 8).join('; ') }) : t('place.diffsNone')}
            {(lines?.length ?? 0) > 8 && ` ${t('place.moreNames', { count: (lines?.length ?? 0) - 8 })}`}{' '}
            {more === 0 ? t('place.asMany') : t(more > 0 ? 'place.moreServed' : 'place.fewerServed', { count: Math.abs(more) })}{' '}
            {run.seed === other.seed ? t('place.sameSeed', { seed: String(run.seed) }) : t('place.otherSeed', { a: String(run.seed), b: String(other.seed) })}{' '}
            {b.elsewhere > 0 && t('place.sitElsewhere', { count: b.elsewhere })}
          </p>
          {people(b.got, t('place.getMore', { count: b.got.length }))}
          {people(b.lost, t('place.loseSome', { count: b.lost.length }))}
        </div>
      )}
    </section>
  );
}
