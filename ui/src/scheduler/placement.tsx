import { useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask, useCatalog, yearPath } from '../api/client';
import { errorWords } from '../shared/errors';
import '../shared/staff';
import { Button, Refusal } from '../kit/controls';
import { amount, when, whole } from '../kit/format';
import { Wide } from '../kit/wide';
import { Unread } from '../shared/unread';
import { type Book, bookOf, join } from '../shared/words';
import { CompareRuns } from './compare';
import { Count } from './count';
import { ProgressChart } from './progress';
import { Holds } from './manual';
import { Helps, Tried } from './helps';
import { Publishing } from './publishing';
import { RunReadiness } from './readiness';
import { type Run, letter } from './run';
import { RunChanges } from './runchanges';
import { Students } from './students';
import './words';

/** How far a placement is from the best possible, in percent of it. */
export const within = (gap: number) => (gap === 0 ? '0' : gap < 0.0001 ? '0.01' : amount(Math.round(gap * 10000) / 100));

/** Placing what is handed in: how good it is and how far from the best possible, what was not given and why, one student's week, and publishing. */
export default function PlacementPage({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(at);
  const place = { school: at.school, year: at.year };
  const key = ['placements', at.school, at.year];
  const runs = useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placements', { params: { path: place } })),
    refetchInterval: (query) => (query.state.data?.some((r) => [r.state, r.helping].some((x) => x === 'waiting' || x === 'running')) ? 500 : 15_000),
  });
  const [chosen, setChosen] = useState<number>();
  const again = () => void client.invalidateQueries({ queryKey: key });
  const start = useMutation({
    mutationFn: (body: { seed: number; seconds: number; changes?: Run['changes'] }) =>
      ask(api.POST('/api/schools/{school}/years/{year}/placements', { params: { path: place }, body })),
    onSuccess: (run) => setChosen(run.id),
    onSettled: again,
  });
  const stop = useMutation({
    mutationFn: (run: number) => ask(api.POST('/api/schools/{school}/years/{year}/placements/{run}/stop', { params: { path: { ...place, run } } })),
    onSettled: again,
  });
  if (!runs.data || !catalog.data) return <Unread of={[catalog, runs]} />;
  const book = bookOf(catalog.data);
  const list = runs.data;
  const run = list.find((r) => r.id === chosen) ?? list.find((r) => r.found) ?? list[0];
  const found = run?.found;
  const busy = list.some((r) => r.state === 'waiting' || r.state === 'running');
  return (
    <main id="page" className="grid gap-x-6 px-4 pt-3 pb-12 desk:grid-cols-[minmax(0,62fr)_minmax(0,38fr)] desk:px-6">
      <div className="min-w-0">
        <h1 className="mb-2">
          {!run
            ? t('place.headNone')
            : !found
              ? t(run.state === 'refused' || run.state === 'failed' ? `place.why.${run.why ?? 'broken'}` : 'place.headRunning')
              : found.touched > 0
                ? t('place.headTouched', { done: whole(found.complete), count: found.students, touched: found.touched })
                : found.gap === 0
                  ? t('place.headBest', { done: whole(found.complete), count: found.students })
                  : t('place.head', { done: whole(found.complete), count: found.students, gap: within(found.gap) })}
        </h1>
        {run && (run.problems?.length ?? 0) > 0 && (
          <ul className="mb-2 text-sm">
            {run.problems?.slice(0, 10).map((p) => (
              <li key={`${p.file} ${p.line} ${p.what}`}>
                {p.file}, {t('place.line', { n: p.line })}: {p.what}
              </li>
            ))}
          </ul>
        )}
        <div className="flex flex-wrap items-start gap-x-6 gap-y-3">
          {run && <ProgressChart run={run} />}
          <div className="min-w-64 flex-1">
            <ul>
              {list.map((r) => (
                <li key={r.id} className={`flex flex-wrap items-center gap-x-3 border-t border-line py-1 ${r === run ? 'bg-wash' : ''}`}>
                  <button type="button" aria-current={r === run ? 'true' : undefined} onClick={() => setChosen(r.id)} className="min-h-7 text-start">
                    <b className="font-semibold">{letter(r.id)}</b> <span className="inked-link">{when(r.at, book.catalog.zone)}</span>
                  </button>
                  <span className="min-w-40 flex-1 text-sm text-soft" data-testid={`run-${letter(r.id)}`}>
                    {r.found
                      ? t('place.runDone', {
                          by: r.by,
                          done: whole(r.found.complete),
                          gap: within(r.found.gap),
                          seconds: amount(Math.round(r.found.seconds * 10) / 10),
                          seed: String(r.seed),
                        })
                      : (r.stop || (stop.isPending && stop.variables === r.id)) && (r.state === 'running' || r.state === 'waiting')
                        ? t('place.stopping')
                        : r.state === 'running'
                          ? t('place.running', { settled: whole(r.settled), of: whole(r.of), step: t(`place.step.${r.step ?? 'read'}`) })
                          : t(`place.state.${r.state}`)}
                    {r.found && r.state === 'stopped' && ` · ${t('place.state.stopped')}`}
                  </span>
                  {(r.state === 'running' || r.state === 'waiting') && (
                    <Button disabled={stop.isPending || r.stop} onClick={() => stop.mutate(r.id)}>
                      {t('place.stop')}
                    </Button>
                  )}
                </li>
              ))}
            </ul>
            <form
              className="no-print mt-2 flex flex-wrap items-end gap-3 text-sm"
              onSubmit={(event) => {
                event.preventDefault();
                const data = new FormData(event.currentTarget);
                start.mutate({ seed: Number(data.get('seed')), seconds: Number(data.get('seconds')) });
              }}
            >
              <Count name="seed" label={t('place.seed')} min={0} max={Number.MAX_SAFE_INTEGER} value={1} />
              <Count name="seconds" label={t('place.seconds')} min={1} max={600} value={60} />
              <Button type="submit" tone={found ? undefined : 'chief'} disabled={start.isPending || busy}>
                {t(list.length ? 'place.again' : 'place.start')}
              </Button>
            </form>
            <RunReadiness at={at} />
            <p className="mt-1 text-sm text-soft">{t('place.lottery')}</p>
            {run && <CompareRuns key={run.id} at={at} run={run} runs={list} book={book} />}
            <Holds at={at} book={book} />
          </div>
        </div>
        <Refusal text={(start.error ?? stop.error) ? errorWords(t, start.error ?? stop.error) : undefined} />
        {found && run && (
          <>
            {found.unkept.length > 0 && (
              <p className="mt-2 text-ochre">
                {t('place.unkept', { count: found.unkept.length, courses: join(t, [...new Set(found.unkept.map((u) => book.title(u.course)))]) })}
              </p>
            )}
            <Tried key={`tried ${run.id}`} at={at} run={run} book={book} />
            <RunChanges key={run.id} at={at} run={run} book={book} />
            <Reasons found={found} book={book} />
            <Helps
              key={`helps ${run.id}`}
              at={at}
              run={run}
              book={book}
              busy={busy || start.isPending}
              onTry={(changes) => start.mutate({ seed: run.seed, seconds: run.limit, changes })}
            />
            <Tight found={found} book={book} />
            <Ranks found={found} />
            <p className="no-print mt-3 text-sm">
              <a className="inked-link" download href={`${yearPath(at)}/placements/${run.id}/enrollments.csv`}>
                {t('place.enrollments')}
              </a>
            </p>
          </>
        )}
      </div>
      <div className="min-w-0 desk:border-s desk:border-line desk:ps-5">
        {found && run && <Publishing at={at} run={run} book={book} />}
        {found && run && <Students key={run.id} at={at} run={run} book={book} />}
      </div>
    </main>
  );
}

type Found = NonNullable<Run['found']>;

function Reasons({ found, book }: { found: Found; book: Book }) {
  const { t } = useTranslation();
  const n = found.requests - found.placedRequests;
  return (
    <section aria-labelledby="reasons" className="mt-4">
      <h2 id="reasons" className="font-semibold">
        {t('place.notGiven')} <span className="font-normal text-soft">· {t('place.ofRequests', { n: whole(n), all: whole(found.requests) })}</span>
      </h2>
      {found.reasons.map((r) => (
        <p key={r.why} className="flex gap-3 border-t border-line py-1">
          <b className="w-10 shrink-0 text-end font-semibold">{whole(r.n)}</b>
          <span>
            {t(`place.reason.${r.why}`)} <span className="text-soft">· {t('place.bare', { count: r.bare })}</span>
            <span className="block text-sm text-soft">
              {r.courses
                .slice(0, 6)
                .map((c) => `${book.title(c.course)} ${whole(c.n)}`)
                .join(t('listComma'))}
              {r.courses.length > 6 && ` · ${t('place.moreCourses', { count: r.courses.length - 6 })}`}
            </span>
          </span>
        </p>
      ))}
    </section>
  );
}

/** Where it is tight: the courses with the most requests not given, their sections by period with seats taken of seats. */
function Tight({ found, book }: { found: Found; book: Book }) {
  const { t } = useTranslation();
  const lack = new Map<string, number>();
  for (const r of found.reasons) for (const c of r.courses) lack.set(c.course, (lack.get(c.course) ?? 0) + c.n);
  const courses = [...lack].sort((a, b) => b[1] - a[1]).slice(0, 25);
  if (courses.length === 0) return null;
  const periods = Array.from({ length: Math.max(Math.round(book.catalog.periods), ...found.sections.flatMap((s) => s.periods)) }, (_, i) => i + 1);
  return (
    <Wide id="tight" head={t('place.tight')} note={t('place.tightNote')}>
      <table className="w-full text-sm">
        <thead>
          <tr className="text-soft">
            <th scope="col" className="text-start font-normal">
              {t('place.course')}
            </th>
            <th scope="col" className="text-end font-normal">
              {t('place.lack')}
            </th>
            {periods.map((p) => (
              <th key={p} scope="col" className="font-normal">
                {p}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {courses.map(([course, n]) => (
            <tr key={course} className="border-t border-line">
              <th scope="row" className="max-w-44 truncate py-0.5 text-start font-normal">
                {book.title(course)}
              </th>
              <td className="text-end">{whole(n)}</td>
              {periods.map((p) => (
                <td key={p} className="px-1 text-center">
                  {found.sections
                    .filter((s) => s.course === course && s.periods.includes(p))
                    .map((s) => (
                      <span key={s.section} className={`block border-b-2 ${s.taken >= s.seats ? 'border-ink' : 'border-line'}`}>
                        {s.taken}/{s.seats}
                        {s.terms.length < book.catalog.terms.length && <span className="text-soft"> {s.terms.join(' ')}</span>}
                      </span>
                    ))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Wide>
  );
}

/** How the wishes of each rank were met, by grade and by program. */
function Ranks({ found }: { found: Found }) {
  const { t } = useTranslation();
  const groups = [...new Map(found.ranks.map((r) => [`${r.grade} ${r.program ?? ''}`, r])).values()];
  const ranks = [...new Set(found.ranks.map((r) => r.rank))].sort((a, b) => a - b).slice(0, 12);
  return (
    <Wide id="ranks" head={t('place.ranks')} note={t('place.ranksNote')}>
      <table className="text-sm">
        <thead>
          <tr className="text-soft">
            <th scope="col" className="pe-3 text-start font-normal">
              {t('place.rank')}
            </th>
            {ranks.map((r) => (
              <th key={r} scope="col" className="px-1.5 text-end font-normal">
                {r}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {groups.map((g) => (
            <tr key={`${g.grade} ${g.program ?? ''}`} className="border-t border-line">
              <th scope="row" className="pe-3 text-start font-normal">
                {g.program ? t('place.program', { program: g.program }) : t('demand.grade', { grade: g.grade })}
              </th>
              {ranks.map((k) => {
                const r = found.ranks.find((x) => x.grade === g.grade && x.program === g.program && x.rank === k);
                return (
                  <td key={k} className="px-1.5 text-end">
                    {r ? `${Math.floor((100 * r.given) / r.asked)} %` : ''}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </Wide>
  );
}
