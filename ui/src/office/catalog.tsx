import { useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { type CourseEdit, type Revising, useRules } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Leaves, Reading } from '../shared/reading';
import { Button, Loading, Refusal } from '../kit/controls';
import { SearchField } from '../kit/searchfield';
import { Clashes } from './clashes';
import { Force, Versions, useEffectOf } from './force';
import '../shared/staff';

/** The cells of a course that are edited, in the order of the form; long ones have more room. */
const columns = [
  'title',
  'grades',
  'subjects',
  'metadata.credits',
  'metadata.span',
  'metadata.load',
  'metadata.entry',
  'metadata.entryStance',
  'metadata.links',
  'metadata.excludes',
  'metadata.variantOf',
  'metadata.repeatable',
  'metadata.access',
  'metadata.fee',
  'metadata.tags',
  'metadata.leadsTo',
  'metadata.round',
  'metadata.synonyms',
  'metadata.usual',
  'metadata.description',
  'metadata.note',
] as const;
const long = ['metadata.entry', 'metadata.description', 'metadata.note', 'metadata.synonyms'];

type Cells = Record<string, string>;

/** What is edited here and has been put in force otherwise by someone else: a cell, or a course as a whole. */
type Clash = { code: string; column?: string; mine?: string; theirs?: string; gone?: boolean };

const cellsOf = (courses: { code: string; cells: unknown }[], code: string) => courses.find((c) => c.code === code)?.cells as Cells | undefined;

/** Where an edit of a course that stood so meets what is in force now; now is undefined where the course has been taken away. */
function clashesOf(e: CourseEdit, now: Cells | undefined, stood: Cells): Clash[] {
  const existed = Object.keys(stood).length > 0;
  if (!now) return existed && !e.remove ? [{ code: e.code, gone: true }] : [];
  const columns = [...new Set([...Object.keys(now), ...Object.keys(stood)])];
  if (e.remove) return columns.some((c) => (now[c] ?? '') !== (stood[c] ?? '')) ? [{ code: e.code }] : [];
  return Object.entries((e.cells ?? {}) as Cells).flatMap(([column, mine]) => {
    const theirs = now[column] ?? '';
    return theirs !== (stood[column] ?? '') && theirs !== mine ? [{ code: e.code, column, mine, theirs }] : [];
  });
}

/** An edit as it is put on what is in force: a course that has been taken away since comes back whole, and is not taken away twice. */
function onto(e: CourseEdit, courses: { code: string; cells: unknown }[], stood: Cells = {}): CourseEdit[] {
  if (cellsOf(courses, e.code)) return [e];
  const cells = Object.fromEntries(Object.entries(stood).filter(([column]) => column !== 'sourcedId' && column !== 'courseCode')); // its key is its code
  return e.remove ? [] : [{ ...e, cells: { ...cells, ...e.cells } }];
}

/** The courses of the year, each to be changed, added or taken away; what that does is told before. */
export default function Courses({ at }: { at: Year }) {
  const { t } = useTranslation();
  const rules = useRules(at);
  const [edits, setEdits] = useState<CourseEdit[]>([]);
  const [code, setCode] = useState<string>();
  const [text, setText] = useState('');
  const [fresh, setFresh] = useState('');
  const [stood, setStood] = useState<Record<string, Cells>>({}); // an edited course when its first edit began, by code; without cells: it is new
  const client = useQueryClient();
  const base = rules.data;
  const body = useMemo<Revising | undefined>(
    () =>
      base && { catalog: base.catalog, policy: base.policy, courses: edits.length ? edits.flatMap((e) => onto(e, base.courses, stood[e.code])) : undefined },
    [base, edits, stood],
  );
  const { trial, behind } = useEffectOf(at, body);
  const languages = useMemo(
    () => [...new Set((base?.courses ?? []).flatMap((c) => Object.keys(c.cells).flatMap((k) => /^metadata\.title\.(.+)$/.exec(k)?.[1] ?? [])))],
    [base],
  );
  if (rules.error && !base) return <Refusal text={errorWords(t, rules.error)} />;
  if (!base) return <Loading />;
  const all = [
    ...base.courses.map((c) => ({ code: c.code, cells: { ...c.cells, ...edits.find((e) => e.code === c.code)?.cells } as Record<string, string> })),
    ...edits
      .filter((e) => !cellsOf(base.courses, e.code))
      .flatMap((e) => onto(e, base.courses, stood[e.code]))
      .map((e) => ({ code: e.code, cells: (e.cells ?? {}) as Cells })),
  ];
  const wanted = text.trim().toLowerCase();
  const shown = all.filter((c) => `${c.code} ${c.cells.title ?? ''}`.toLowerCase().includes(wanted));
  const current = all.find((c) => c.code === code) ?? shown[0];
  const removed = edits.find((e) => e.code === current?.code)?.remove;
  const put = (change: Omit<CourseEdit, 'code'>) => {
    if (!current) return;
    setCode(current.code); // it stays, also where it no longer is what is looked for
    const old = edits.find((e) => e.code === current.code);
    if (!old) setStood({ ...stood, [current.code]: cellsOf(base.courses, current.code) ?? {} });
    setEdits([...edits.filter((e) => e !== old), { ...old, code: current.code, ...change, cells: { ...old?.cells, ...change.cells } }]);
  };
  const leave = () => (setEdits([]), setStood({}));
  const clashes = edits.flatMap((e) => clashesOf(e, cellsOf(base.courses, e.code), stood[e.code] ?? {}));
  const take = (clash: Clash) =>
    setEdits(
      edits.flatMap((e) => {
        if (e.code !== clash.code) return [e];
        if (!clash.column) return [];
        const cells = Object.fromEntries(Object.entries(e.cells ?? {}).filter(([name]) => name !== clash.column)) as Cells;
        return Object.keys(cells).length || e.remove ? [{ ...e, cells }] : [];
      }),
    );
  const problems = trial.data?.problems ?? [];
  return (
    <main id="page" className="grid gap-x-6 px-4 pt-3 pb-16 desk:grid-cols-[18rem_minmax(0,1fr)_22rem] desk:px-6">
      <h1 className="mb-2 desk:col-span-3">
        {edits.length ? t('courses.headDraft', { count: edits.length }) : t('courses.head', { count: base.courses.length })}
      </h1>
      <section aria-label={t('courses.list')} className="min-w-0">
        <SearchField label={t('courses.find')} value={text} onChange={setText} className="min-h-9 w-full" />
        <ul className="mt-1 max-h-[68vh] overflow-y-auto" tabIndex={0} aria-label={t('courses.list')}>
          {shown.map((c) => (
            <li key={c.code}>
              <button
                type="button"
                aria-current={c.code === current?.code ? 'true' : undefined}
                onClick={() => setCode(c.code)}
                className="flex min-h-8 w-full gap-2 border-t border-line px-2 text-start aria-[current]:bg-wash aria-[current]:shadow-[inset_3px_0_0_var(--ink)]"
              >
                <span className="flex-1 truncate">{c.cells.title}</span>
                <span className="text-soft">
                  {edits.some((e) => e.code === c.code) && `${t('courses.edited')} · `}
                  {c.code}
                </span>
              </button>
            </li>
          ))}
        </ul>
        <form
          className="mt-2 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            const next = fresh.trim();
            if (!all.some((c) => c.code === next)) {
              setEdits([...edits, { code: next, cells: { title: next, 'metadata.credits': '1' } }]);
              setStood({ ...stood, [next]: {} });
            }
            setCode(next);
            setFresh('');
            setText('');
          }}
        >
          <input
            aria-label={t('courses.newCode')}
            placeholder={t('courses.newCode')}
            required
            maxLength={100}
            value={fresh}
            onChange={(event) => setFresh(event.target.value)}
            className="min-h-9 min-w-0 flex-1 rounded border border-edge bg-card px-2 placeholder:text-soft"
          />
          <Button type="submit">{t('courses.add')}</Button>
        </form>
      </section>
      {current && (
        <section aria-label={current.cells.title} className="min-w-0">
          <div className="flex items-baseline gap-3">
            <h2 className="font-head text-xl font-medium">{current.cells.title}</h2>
            <span className="text-soft">{current.code}</span>
            <button type="button" className="ms-auto min-h-7 inked-link" onClick={() => put({ remove: !removed })}>
              {t(removed ? 'courses.stay' : 'courses.remove')}
            </button>
          </div>
          {removed ? (
            <p className="mt-2 text-ochre">{t('courses.removed')}</p>
          ) : (
            <div className="mt-2 grid grid-cols-2 gap-x-4 gap-y-2">
              {[...columns, ...languages.flatMap((l) => [`metadata.title.${l}`, `metadata.description.${l}`, `metadata.note.${l}`])].map((column) => (
                <Cell
                  at={at}
                  key={`${current.code} ${column}`}
                  column={column}
                  value={current.cells[column] ?? ''}
                  problem={problems.find((p) => p.file === 'courses.csv' && p.column === column && edits.some((e) => e.code === current.code))?.what}
                  onChange={(value) => put({ cells: { [column]: value } })}
                />
              ))}
            </div>
          )}
        </section>
      )}
      <aside className="min-w-0 desk:border-s desk:border-line desk:ps-6">
        <Clashes
          list={clashes.map((c) => ({
            name: c.column ? `${c.code}, ${t(`courses.column.${/^(?:metadata\.)?([^.]+)/.exec(c.column)?.[1]}`)}:` : c.code,
            says: c.column ? t('courses.clash', { theirs: c.theirs, mine: c.mine }) : t(c.gone ? 'courses.clashGone' : 'courses.clashRemoved'),
            onTheirs: () => take(c),
          }))}
        />
        <Force
          at={at}
          body={body}
          changed={edits.length > 0}
          trial={trial}
          behind={behind}
          onDone={leave}
          onLeave={leave}
          onTheirs={() => void client.invalidateQueries({ queryKey: ['rules'] })}
        />
        <Versions at={at} kind="courses" />
      </aside>
    </main>
  );
}

/** One cell of a course, with what is wrong in it at its place. */
function Cell(props: { at: Year; column: string; value: string; problem: string | undefined; onChange: (value: string) => void }) {
  const { t } = useTranslation();
  const { column, value } = props;
  const [, name, language] = /^(?:metadata\.)?([^.]+)(?:\.(.+))?$/.exec(column) ?? [];
  const label = t(`courses.column.${name}`) + (language ? ` (${language})` : '');
  const wide = long.includes(column) || name === 'description' || name === 'note';
  const id = `cell-${column}`;
  const field = `mt-0.5 block w-full rounded border bg-card px-2 py-1 ${props.problem ? 'border-ochre' : 'border-edge'} ${column === 'metadata.entry' ? 'font-mono text-sm' : ''}`;
  const more = {
    value,
    id,
    maxLength: 4000,
    'aria-invalid': props.problem ? true : undefined,
    'aria-describedby': column === 'metadata.entry' ? `${id}-read` : props.problem ? `${id}-bad` : undefined,
  };
  return (
    <div className={wide ? 'col-span-2' : ''}>
      <label htmlFor={id} className="text-sm text-soft">
        {label}
      </label>
      {wide ? (
        <textarea {...more} rows={2} onChange={(event) => props.onChange(event.target.value)} className={field} />
      ) : (
        <input {...more} onChange={(event) => props.onChange(event.target.value)} className={`${field} min-h-9`} />
      )}
      {column === 'metadata.entry' && (
        <>
          <Reading at={props.at} id={`${id}-read`} text={value} />
          <details className="text-sm text-soft">
            <summary className="min-h-6 cursor-pointer">{t('reading.help')}</summary>
            <Leaves />
          </details>
        </>
      )}
      {props.problem && column !== 'metadata.entry' && (
        <p id={`${id}-bad`} lang="en" className="text-sm text-ochre">
          {props.problem}
        </p>
      )}
    </div>
  );
}
