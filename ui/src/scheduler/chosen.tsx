import { useQuery } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { when, whole } from '../kit/format';
import { Mark } from '../kit/marks';
import type { Book } from '../shared/words';
import { type Asked, type Demand, noteOf } from './asked';

/** One course closer: who asks, whom it would leave with nothing, what it is wanted together with; and that it does not run. */
export function Chosen(props: {
  at: Year;
  d: Demand;
  c: Asked;
  book: Book;
  busy: boolean;
  told?: number;
  onStop: () => void;
  onRun: () => void;
  onPlain?: () => void;
}) {
  const { t } = useTranslation();
  const { at, d, c, book } = props;
  const one = useQuery({
    queryKey: ['demand', at.school, at.year, d.size, d.drafts, 'of', c.course, c.requests, c.uncovered],
    queryFn: () =>
      ask(
        api.GET('/api/schools/{school}/years/{year}/demand/courses/{course}', {
          params: { path: { school: at.school, year: at.year, course: c.course }, query: { size: d.size, drafts: d.drafts } },
        }),
      ),
  });
  const note = noteOf(t, c);
  return (
    <aside id="chosen" aria-label={book.title(c.course)} className="border-line pt-3 desk:sticky desk:top-0 desk:self-start desk:border-s desk:ps-5">
      <h2 className="font-head text-xl font-medium">{book.title(c.course)}</h2>
      <p className="text-soft">
        {c.course} · {t('demand.asked', { count: c.requests, n: whole(c.requests) })}
        {(c.alternates ?? 0) > 0 && ` · ${t('demand.asAlternate', { count: c.alternates })}`}
      </p>
      <p className="text-soft">{c.grades.map((g) => t('demand.byGrade', { grade: g.grade, n: whole(g.n) })).join(' · ')}</p>
      <p className="mt-2">
        {t('demand.sections', { count: c.planned, needed: c.needed, size: d.size })}
        {(c.sections ?? 0) > 0 && ` ${t('demand.schedule', { count: c.sections, seats: whole(c.seats ?? 0) })}`}
      </p>
      {note && <p className="mt-1 text-ochre">{note}</p>}
      <div className="my-3 flex flex-wrap gap-2">
        {c.stopped ? (
          <Button disabled={props.busy} onClick={props.onRun}>
            {t('demand.run')}
          </Button>
        ) : (
          <Button disabled={props.busy} onClick={props.onStop}>
            {t('demand.stopOpen')}
          </Button>
        )}
        {props.onPlain && <Button onClick={props.onPlain}>{t('demand.plain')}</Button>}
      </div>
      {c.stopped && (
        <p className="text-sm text-soft">
          {c.stopped.by}, {when(c.stopped.at, book.catalog.zone)}
        </p>
      )}
      {props.told !== undefined && <p role="status">{t('demand.told', { count: props.told })}</p>}
      {one.error && <Refusal text={errorWords(t, one.error)} />}
      {one.isPending && <Loading />}
      {one.data && (
        <>
          {one.data.uncovered.length > 0 && (
            <>
              <h3 className="mt-3 font-semibold">{t('demand.uncoveredHead', { count: one.data.uncovered.length })}</h3>
              <ul className="max-h-56 overflow-y-auto" tabIndex={0} aria-label={t('demand.uncoveredHead', { count: one.data.uncovered.length })}>
                {one.data.uncovered.map((p) => (
                  <li key={p.id} className="flex items-baseline gap-2 border-t border-line py-0.5">
                    <Mark kind="missing" />
                    <Link href={`/student/${encodeURIComponent(p.id)}`} className="inked-link">
                      {p.name}
                    </Link>
                    <span className="text-sm text-soft">{t('demand.grade', { grade: p.grade })}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
          <Pairs head={t('demand.clashes')} list={one.data.clashes} book={book} />
          <Pairs head={t('demand.pairs')} list={one.data.pairs} book={book} />
        </>
      )}
    </aside>
  );
}

function Pairs({ head, list, book }: { head: string; list: { course: string; students: number }[]; book: Book }) {
  if (list.length === 0) return null;
  return (
    <>
      <h3 className="mt-3 font-semibold">{head}</h3>
      <ul className="text-sm">
        {list.map((p) => (
          <li key={p.course} className="flex gap-3 border-t border-line py-0.5">
            <span className="w-8 shrink-0 text-end">{whole(p.students)}</span> {book.title(p.course)}
          </li>
        ))}
      </ul>
    </>
  );
}
