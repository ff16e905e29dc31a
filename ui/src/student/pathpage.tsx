import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type PathEntry, type PathStop, type PathView, type Planning } from '../api/client';
import { usePath, usePlanning } from '../api/workspace';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { amount } from '../kit/format';
import { Unread } from '../shared/unread';
import { type StopKind, StopMark } from './stopmark';
import { Explain } from './explain';
import { inUnit, join, needWords } from '../shared/words';
import type { Desk } from './desk';
import { PlanDialog, StopDialog } from './planning';
import './laterwords';

const kindOf = (s: PathStop): StopKind => (s.stopped ? 'stopped' : s.state === 'planned' && s.backup ? 'open' : s.state);

/** What is wrong with a planned course, in words. */
function troubles(t: ReturnType<typeof useTranslation>['t'], desk: Desk, s: PathStop) {
  if (s.state === 'requested' && s.stopped) return t('path.waits', { who: desk.sheet.student.counselor ?? t('theCounselor') });
  if (s.state !== 'planned') return '';
  return [
    s.barred && t('path.barred', { grade: s.grade }),
    s.repeat && t('effect.repeat'),
    s.missing?.length &&
      t(s.entry === 'unverified' ? 'effect.unverified' : 'effect.needs', {
        needs: join(
          t,
          s.missing.map((n) => needWords(t, desk.book, n)),
        ),
      }),
  ]
    .filter(Boolean)
    .join(' ');
}

const sum = (entries: PathEntry[], what: 'need' | 'earned' | 'inProgress' | 'requested' | 'planned' | 'open') => entries.reduce((n, e) => n + e[what], 0);

/** The whole way: what is earned, taken, asked for and planned, against one list of requirements at a time. */
export default function PathPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const path = usePath(desk.place, sheet);
  const planning = usePlanning(desk.place, sheet);
  const [at, setAt] = useState(0);
  const [stop, setStop] = useState<number>();
  const [adding, setAdding] = useState<{ entry?: string; grade?: number }>();
  if (!path.data) return <Unread of={[path]} />;
  const view = path.data;
  const list = view.lists[at];
  const head = book.catalog.audits.find((a) => a.id === list?.id);
  const plan = (body: Omit<Planning, 'version'>) => planning.mutate({ version: view.version, ...body });
  const opened = stop === undefined ? undefined : view.stops[stop];
  const next = view.stops.filter((s) => s.state === 'requested');
  return (
    <main id="page" className="px-4 pt-3 pb-12 desk:px-6">
      {list && head ? <Headline desk={desk} view={view} at={at} onOpen={(entry) => setAdding({ entry })} /> : <h1>{t('path.head')}</h1>}
      <div className="my-2 flex flex-wrap items-center gap-x-6 gap-y-1">
        <Explain what="path" />
        {book.catalog.audits.length > 1 && (
          <div role="radiogroup" aria-label={t('path.lists')} className="flex gap-4">
            {book.catalog.audits.map((a, i) => (
              <label
                key={a.id}
                className={`min-h-8 cursor-pointer border-b-2 pt-1 has-[:focus-visible]:outline-2 has-[:focus-visible]:outline-ink ${i === at ? 'border-ink font-semibold' : 'border-transparent text-soft'}`}
              >
                <input type="radio" name="list" className="sr-only" checked={i === at} onChange={() => setAt(i)} />
                {a.label}
              </label>
            ))}
          </div>
        )}
        {list && (
          <ul className="flex flex-wrap gap-x-4 text-sm text-soft">
            {(
              [
                ['earned', 'earned', sum(list.entries, 'earned')],
                ['taken', 'now', sum(list.entries, 'inProgress')],
                ['requested', 'next', sum(list.entries, 'requested')],
                ['planned', 'planned', sum(list.entries, 'planned')],
                ['lacking', 'open', sum(list.entries, 'open')],
              ] as const
            ).map(([kind, word, n]) => (
              <li key={kind} className={kind === 'lacking' && n > 0 ? 'text-ochre' : ''}>
                <StopMark kind={kind} /> {t(`path.${word}`, { n: amount(n) })}
              </li>
            ))}
          </ul>
        )}
        {view.act.allowed && (
          <Button className="ms-auto" onClick={() => setAdding({})}>
            {t('path.add')}
          </Button>
        )}
      </div>
      <Refusal text={planning.error ? errorWords(t, planning.error) : undefined} />
      {view.before.length > 0 && sheet.acts.edit.allowed && (
        <p className="my-2 rounded border border-line bg-card p-2">
          {t('path.before', { courses: join(t, view.before.map(book.title)) })}{' '}
          <Button tone="chief" disabled={desk.busy} onClick={() => desk.change({ act: 'takeOver', courses: view.before })}>
            {t('path.takeOver', { count: view.before.length })}
          </Button>
        </p>
      )}
      {list && head && (
        <Chart desk={desk} view={view} at={at} total={next.reduce((n, s) => n + s.credits, 0)} onStop={setStop} onOpen={(entry) => setAdding({ entry })} />
      )}
      {opened && (
        <StopDialog
          desk={desk}
          view={view}
          stop={opened}
          trouble={troubles(t, desk, opened)}
          busy={planning.isPending}
          onPlan={(body) => {
            plan(body);
            setStop(undefined);
          }}
          onClose={() => setStop(undefined)}
        />
      )}
      {adding && (
        <PlanDialog
          desk={desk}
          view={view}
          label={head?.entries.find((e) => e.id === adding.entry)?.label}
          options={adding.entry ? (list?.entries.find((e) => e.id === adding.entry)?.options ?? []) : undefined}
          busy={planning.isPending}
          error={planning.error ? errorWords(t, planning.error) : undefined}
          onPlan={plan}
          onClose={() => setAdding(undefined)}
        />
      )}
      <p className="mt-4 text-sm text-soft">
        {t('path.note')}{' '}
        <Link href="/" className="inked-link">
          {t('nav.year')}
        </Link>
      </p>
    </main>
  );
}

/** The one sentence about the whole way: what is still open with this plan, each clause a link to what fills it. */
function Headline({ desk, view, at, onOpen }: { desk: Desk; view: PathView; at: number; onOpen: (entry: string) => void }) {
  const { t } = useTranslation();
  const head = desk.book.catalog.audits.find((a) => a.id === view.lists[at]?.id);
  const open = (view.lists[at]?.entries ?? []).filter((e) => e.open > 0);
  if (open.length === 0) return <h1>{t('path.whole', { list: head?.label })}</h1>;
  return (
    <h1 data-testid="way">
      {t('path.missing', { list: head?.label })}{' '}
      {open.map((e, i) => (
        <span key={e.id}>
          {i > 0 && (i === open.length - 1 ? t('list', { head: '', last: '' }) : t('listComma'))}
          <button type="button" className="inked-link text-start" onClick={() => onOpen(e.id)}>
            {t('path.clause', { much: inUnit(t, desk.book, e.open), label: head?.entries.find((x) => x.id === e.id)?.label })}
          </button>
        </span>
      ))}
      .
    </h1>
  );
}

/** The route chart: a lane for each requirement, its line from grade to grade, its measure at the end. */
function Chart(props: { desk: Desk; view: PathView; at: number; total: number; onStop: (n: number) => void; onOpen: (entry: string) => void }) {
  const { t } = useTranslation();
  const { desk, view } = props;
  const { book, sheet } = desk;
  const list = view.lists[props.at];
  const head = book.catalog.audits.find((a) => a.id === list?.id);
  const grades = useMemo(() => {
    const all = Array.from({ length: view.last - view.first + 1 }, (_, i) => view.first + i);
    return view.stops.some((s) => s.grade < view.first) ? [view.first - 1, ...all] : all;
  }, [view]);
  if (!list || !head) return null;
  const lanes = [
    ...list.entries.map((entry) => ({ id: entry.id, label: head.entries.find((x) => x.id === entry.id)?.label ?? entry.id, stops: entry.stops, entry })),
    ...(list.rest.length ? [{ id: '', label: t('path.rest'), stops: list.rest, entry: undefined }] : []),
  ];
  const columns = { gridTemplateColumns: `9rem repeat(${grades.length}, minmax(0, 1fr)) 13rem` };
  return (
    <div className="mt-3">
      <div className="hidden items-end border-b border-edge text-sm text-soft desk:grid" style={columns} aria-hidden="true">
        <span />
        {grades.map((g) => (
          <span key={g} className={`px-2 py-1 ${g === view.grade ? 'border-x border-t-2 border-line border-t-ink bg-card' : ''}`}>
            <b className="block font-semibold text-ink">{g < view.first ? t('path.earlier', { grade: view.first }) : t('path.grade', { grade: g })}</b>
            {g === view.grade && t('path.thisSheet', { n: inUnit(t, book, props.total) })}
            {g === view.grade - 1 && t('path.nowYear')}
          </span>
        ))}
        <span className="px-3 py-1">{head.label}</span>
      </div>
      <ul>
        {lanes.map((lane) => (
          <li key={lane.id} className="border-b border-line py-2 desk:grid desk:py-0" style={columns}>
            <h2 className="font-semibold desk:py-2 desk:pe-2">{lane.label}</h2>
            {grades.map((g, column) => {
              const here = lane.stops.filter((n) => {
                const grade = view.stops[n]?.grade ?? 0;
                return grade === g || (column === 0 && g < view.first && grade < view.first);
              });
              return (
                <ul key={g} className={`min-w-0 ${g === view.grade ? 'border-line desk:border-x desk:bg-card' : ''}`}>
                  {here.map((n) => {
                    const s = view.stops[n];
                    return s && <Station key={n} desk={desk} stop={s} first={view.first} onOpen={() => props.onStop(n)} />;
                  })}
                </ul>
              );
            })}
            {lane.entry ? (
              <Measure desk={desk} entry={lane.entry} onOpen={view.act.allowed ? () => props.onOpen(lane.id) : undefined} />
            ) : (
              <p className="text-sm text-soft desk:p-2 desk:px-3">{t('path.restNote', { list: head.label })}</p>
            )}
          </li>
        ))}
      </ul>
      <p className="mt-2 text-sm text-soft">{t('path.sum', { need: inUnit(t, book, sum(list.entries, 'need')), name: sheet.student.given })}</p>
    </div>
  );
}

/** One course on the line. */
function Station({ desk, stop, first, onOpen }: { desk: Desk; stop: PathStop; first: number; onOpen: () => void }) {
  const { t } = useTranslation();
  const trouble = troubles(t, desk, stop);
  const line = { earned: 'border-t-[3px]', taken: 'border-t-[3px]', failed: 'border-t', requested: 'border-t-2', planned: 'border-t-2 border-dotted' }[
    stop.state
  ];
  return (
    <li className="relative">
      <span aria-hidden="true" className={`absolute top-[1.05rem] start-4 end-0 border-edge max-desk:hidden ${line}`} />
      <button
        type="button"
        data-stop={stop.course}
        onClick={onOpen}
        className="relative flex min-h-9 w-full items-start gap-1.5 py-2 ps-2 text-start hover:bg-wash"
      >
        <span className={trouble && stop.state === 'planned' ? 'text-ochre' : ''}>
          <StopMark kind={trouble && stop.state === 'planned' ? 'stopped' : kindOf(stop)} />
        </span>
        <span className={`min-w-0 pe-1 leading-tight ${stop.state === 'requested' ? 'desk:bg-card' : 'desk:bg-paper'}`}>
          <bdi>{stop.title ?? desk.book.title(stop.course)}</bdi>{' '}
          <span className="text-sm text-soft">
            {[
              amount(stop.credits),
              stop.mark !== undefined && t('route.mark', { mark: amount(stop.mark) }),
              stop.state === 'failed' && t('standing.failed'),
              stop.summer && t('finder.summer'),
              stop.backup && t('path.backup'),
              stop.grade < first && t('path.grade', { grade: stop.grade }),
            ]
              .filter(Boolean)
              .join(' · ')}
            <span className="sr-only"> {t(stop.state === 'planned' ? 'standing.planned' : `standing.${stop.state}`, { grade: stop.grade })}</span>
            <span className="desk:hidden"> · {t('path.grade', { grade: stop.grade })}</span>
          </span>
          {trouble && <span className="block text-sm text-ochre">{trouble}</span>}
        </span>
      </button>
    </li>
  );
}

/** How far one requirement is: what is there, on order, planned and open. */
function Measure({ desk, entry, onOpen }: { desk: Desk; entry: PathEntry; onOpen?: () => void }) {
  const { t } = useTranslation();
  const parts = [
    ['earned', entry.earned, 'h-2 bg-ink'],
    ['now', entry.inProgress, 'h-1.5 bg-ink'],
    ['next', entry.requested, 'h-1.5 bg-soft'],
    ['planned', entry.planned, 'h-2 border border-b-0 border-ink'],
    ['open', entry.open, 'h-2 border border-b-0 border-dashed border-ochre'],
  ] as const;
  const total = Math.max(
    entry.need,
    parts.reduce((n, [, x]) => n + x, 0),
    0.01,
  );
  return (
    <div className="text-sm desk:p-2 desk:px-3">
      <p className={entry.open > 0 ? 'text-ochre' : 'text-soft'}>
        {entry.need === 0
          ? t('path.exempt')
          : parts
              .filter(([, n]) => n > 0)
              .map(([word, n]) => t(`path.${word}`, { n: amount(n) }))
              .join(' · ') || t('path.done')}
      </p>
      <div aria-hidden="true" className="mt-0.5 flex items-end border-b border-edge">
        {parts
          .filter(([, n]) => n > 0)
          .map(([word, n, look]) => (
            <i key={word} className={look} style={{ width: `${(n / total) * 100}%` }} />
          ))}
      </div>
      {entry.open > 0 && (
        <p className="mt-0.5">
          {entry.noWay ? t('path.noWay', { who: desk.sheet.student.counselor ?? t('theCounselor') }) : t('path.by', { grade: entry.beginBy })}{' '}
          {onOpen && entry.options.length > 0 && (
            <button type="button" className="min-h-6 inked-link" onClick={onOpen}>
              {t('path.options', { count: entry.options.length })}
            </button>
          )}
        </p>
      )}
    </div>
  );
}
