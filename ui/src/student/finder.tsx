import { type KeyboardEvent, type RefObject, useDeferredValue, useMemo, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Course, Effect, Entry } from '../api/client';
import { Button } from '../kit/controls';
import { Mark, SubjectTab } from '../kit/marks';
import { amount, money } from '../kit/format';
import { alternateWords, effectWords, join, spanWords, termName } from '../words';
import { matches, queryOf } from './search';
import type { Desk, Filter } from './desk';

/** A course with what it would do. */
interface Row {
  course: Course;
  effect: Effect;
  strong: string[];
  plain: string[];
  score: number;
}

/** All courses, one continuous list, each with what it would do to this sheet; what is on the sheet already is found too. */
export function Finder(props: {
  desk: Desk;
  filter: Filter;
  onFilter: (f: Filter) => void;
  onOpen: (course: string) => void;
  search: RefObject<HTMLInputElement | null>;
}) {
  const { t } = useTranslation();
  const { desk, filter, onFilter, search } = props;
  const { book, sheet } = desk;
  const [all, setAll] = useState(false);
  const [selected, setSelected] = useState<string>();
  const list = useRef<HTMLUListElement>(null);
  const shown = useDeferredValue(filter);
  const rows = useMemo(() => findRows(desk, shown, t), [desk, shown, t]);
  const onSheet = useMemo(() => findEntries(desk, shown), [desk, shown]);
  const open = rows.filter((r) => r.effect.shown);
  const families = useMemo(() => merged(all ? rows : open), [all, rows, open]);
  const stop = families.find((f) => f.code === selected)?.code ?? families[0]?.code;
  const rule = book.rule(filter.rule ?? '');
  const subjects = useMemo(() => [...new Set(book.catalog.courses.map((c) => c.subject))].sort(), [book]);

  const focusRow = (n: number) => list.current?.querySelectorAll<HTMLButtonElement>('button[data-row]')[n]?.focus();
  function keys(event: KeyboardEvent, n: number, row: Row) {
    if (event.key === 'ArrowDown') focusRow(n + 1);
    else if (event.key === 'ArrowUp') {
      if (n === 0) search.current?.focus();
      else focusRow(n - 1);
    } else if (event.key === 'Enter' && selected === familyCode(row.course)) request(row.course.code);
    else if (event.key.toLowerCase() === 'a' && !event.ctrlKey && !event.metaKey && !event.altKey) asAlternate(row.course.code);
    else return;
    event.preventDefault();
  }
  const may = sheet.acts.edit.allowed;
  // What is requested or taken as an alternate leaves the list; the focus goes where the next course is looked for.
  const request = (course: string) => {
    if (!may) return;
    desk.change({ act: 'request', course });
    search.current?.focus({ preventScroll: true });
  };
  const asAlternate = (course: string) => {
    if (!may || book.course(course)?.summer) return;
    desk.change({ act: 'alternate', course });
    search.current?.focus({ preventScroll: true });
  };

  return (
    <aside aria-label={t('finder.label')} className="mt-6 min-w-0 border-line desk:mt-0 desk:border-l desk:pl-6">
      <div className="flex items-center gap-2 rounded border border-edge bg-card px-2.5">
        <input
          ref={search}
          type="search"
          aria-label={t('finder.label')}
          aria-keyshortcuts="/"
          placeholder={t('finder.placeholder')}
          value={filter.text ?? ''}
          maxLength={100}
          onChange={(event) => onFilter({ ...filter, text: event.target.value })}
          onKeyDown={(event) => {
            if (event.key === 'ArrowDown') {
              event.preventDefault();
              focusRow(0);
            }
          }}
          className="min-h-11 min-w-0 flex-1 bg-transparent outline-offset-4 placeholder:text-soft desk:min-h-9"
        />
        <kbd aria-hidden="true" className="rounded border border-line px-1.5 font-mono text-xs text-soft max-desk:hidden">
          /
        </kbd>
      </div>
      <div className="my-2 flex flex-wrap items-center gap-1.5 text-sm">
        <select
          aria-label={t('finder.subjects')}
          value={filter.subject ?? ''}
          onChange={(event) => onFilter({ ...filter, subject: event.target.value || undefined })}
          className="min-h-7 max-w-36 rounded border border-edge bg-card px-1"
        >
          <option value="">{t('finder.anySubject')}</option>
          {subjects.map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
        <Toggle on={filter.fits ?? false} onClick={() => onFilter({ ...filter, fits: !filter.fits })} label={t('finder.fits')} />
        <Toggle on={filter.recommended ?? false} onClick={() => onFilter({ ...filter, recommended: !filter.recommended })} label={t('finder.recommended')} />
        {filter.term !== undefined && <Toggle on onClick={() => onFilter({ ...filter, term: undefined })} label={termName(t, book, filter.term)} />}
        {rule && <Toggle on onClick={() => onFilter({ ...filter, rule: undefined })} label={t('finder.mends', { label: rule.label })} />}
        {Object.values(filter).some(Boolean) && (
          <button type="button" className="min-h-7 text-soft inked-link" onClick={() => onFilter({})}>
            {t('finder.clear')}
          </button>
        )}
      </div>
      <p role="status" className="mb-1 text-sm text-soft">
        {desk.effects ? t('finder.count', { count: families.length + onSheet.length }) : t(desk.effectsFailed ? 'finder.failed' : 'loading')}
        {rows.length > open.length && (
          <>
            {' · '}
            <button type="button" className="min-h-6 inked-link" aria-pressed={all} onClick={() => setAll(!all)}>
              {all ? t('finder.less') : t('finder.more', { count: rows.length - open.length })}
            </button>
          </>
        )}
      </p>
      {desk.effects && families.length + onSheet.length === 0 && (
        <p className="py-3">{t(filter.recommended && !filter.text ? 'finder.noneRecommended' : 'finder.none')}</p>
      )}
      {onSheet.length > 0 && (
        <ul>
          {onSheet.map((e) => (
            <li key={e.course} className="border-t border-line">
              <button
                type="button"
                data-on-sheet={e.course}
                onClick={() => props.onOpen(e.course)}
                className="grid min-h-9 w-full grid-cols-[1.5rem_1fr_auto] gap-x-2 px-1 py-1.5 text-left hover:bg-wash"
              >
                <SubjectTab subject={book.course(e.course)?.subject ?? ''} />
                <span className="font-semibold">{book.title(e.course)}</span>
                <span className="text-sm inked-link">{t('finder.openIt')}</span>
                <span className="col-span-2 col-start-2 text-sm text-soft">
                  {sheet.summer.includes(e) ? t('finder.onSummer') : t('finder.onSheet', { rank: e.rank })}
                </span>
              </button>
            </li>
          ))}
        </ul>
      )}
      <ul ref={list} className="desk:max-h-[calc(100vh-10.5rem)] desk:overflow-y-auto desk:pr-2" tabIndex={-1}>
        {families.map((f, n) => (
          <FinderRow
            key={f.code}
            desk={desk}
            family={f}
            selected={selected === f.code}
            stop={f.code === stop}
            onSelect={() => setSelected(f.code)}
            onKeys={(event, row) => keys(event, n, row)}
            onClose={() => {
              setSelected(undefined);
              search.current?.focus();
            }}
            onRequest={request}
            onAlternate={asAlternate}
          />
        ))}
      </ul>
    </aside>
  );
}

function Toggle({ on, onClick, label }: { on: boolean; onClick: () => void; label: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={`min-h-7 rounded border px-2 ${on ? 'border-ink font-semibold' : 'border-line text-soft'}`}
    >
      {label}
    </button>
  );
}

/** One course of the list. Where it has variants one of them is chosen, and the row tells of that one. */
function FinderRow(props: {
  desk: Desk;
  family: Family;
  selected: boolean;
  stop: boolean; // Tab stops here; the arrow keys lead on
  onSelect: () => void;
  onKeys: (event: KeyboardEvent, row: Row) => void;
  onClose: () => void;
  onRequest: (course: string) => void;
  onAlternate: (course: string) => void;
}) {
  const { t } = useTranslation();
  const { book, sheet } = props.desk;
  const [chosen, setChosen] = useState<string>();
  const { best, variants } = props.family;
  const row = variants.find((v) => v.course.code === chosen) ?? best;
  const { course: c, effect: e, strong, plain } = row;
  const alternate = sheet.alternates.find((a) => a.course === c.code);
  const details = `d-${props.family.code}`;
  return (
    <li className={`border-t border-line ${props.selected ? 'bg-wash' : ''}`}>
      <button
        type="button"
        data-row={c.code}
        tabIndex={props.stop ? 0 : -1}
        onKeyUp={(event) => event.key === 'Escape' && props.onClose()}
        aria-expanded={props.selected}
        aria-controls={props.selected ? details : undefined}
        onClick={props.onSelect}
        onFocus={props.onSelect}
        onKeyDown={(event) => props.onKeys(event, row)}
        className="grid w-full grid-cols-[1.5rem_1fr_auto] gap-x-2 px-1 py-1.5 text-left"
      >
        <SubjectTab subject={c.subject} />
        <span className="font-semibold">{c.title}</span>
        <span className="text-sm text-soft">
          {c.code} · {c.summer ? t('finder.summer') : spanWords(t, book, c)} · {amount(c.credits)}
        </span>
        <span className="col-span-2 col-start-2 text-sm text-soft">
          {e.entry === 'expected' && (
            <>
              <Mark kind="half" />{' '}
            </>
          )}
          {!e.ok && !e.earned && (
            <>
              <Mark kind={e.entry === 'unverified' ? 'stopped' : 'missing'} />{' '}
            </>
          )}
          {alternate && `${t('finder.alternate', { rank: alternate.rank })} · `}
          {strong.length > 0 && <b className="font-semibold text-ink">{strong.join(' ')} </b>}
          {plain.join(' ')}
          {variants.length > 1 &&
            !props.selected &&
            ` ${t('finder.also', {
              courses: join(
                t,
                variants.filter((v) => v !== row).map((v) => v.course.title),
              ),
            })}`}
        </span>
      </button>
      {props.selected && (
        <div id={details} className="pr-2 pb-2 pl-9">
          {variants.length > 1 && (
            <fieldset className="mb-1 flex flex-wrap gap-x-4">
              <legend className="sr-only">{t('finder.which')}</legend>
              {variants.map((v) => (
                <label key={v.course.code} className="flex min-h-7 items-center gap-1.5">
                  <input type="radio" name={details} className="size-4 accent-ink" checked={v === row} onChange={() => setChosen(v.course.code)} />
                  {v.course.title}
                </label>
              ))}
            </fieldset>
          )}
          <p>{c.description}</p>
          <p className="text-sm text-soft">
            {[
              (c.fee ?? 0) > 0 && t('course.fee', { fee: money(c.fee ?? 0, book.catalog.currency) }),
              c.note,
              c.leadsTo?.length && t('course.leads', { courses: join(t, c.leadsTo.map(book.title)) }),
            ]
              .filter(Boolean)
              .join(' · ')}
          </p>
          {sheet.acts.edit.allowed && !e.barred && !e.earned && (
            <div className="mt-1.5 flex gap-2">
              <Button tone="dark" disabled={props.desk.busy || e.refused !== undefined} onClick={() => props.onRequest(c.code)}>
                {t('course.requestKey')}
              </Button>
              {!alternate && !c.summer && (
                <Button disabled={props.desk.busy} onClick={() => props.onAlternate(c.code)}>
                  {t('course.asAlternate', { n: sheet.alternates.length + 1 })}
                </Button>
              )}
            </div>
          )}
        </div>
      )}
    </li>
  );
}

/** A course with its variants. */
interface Family {
  code: string;
  best: Row;
  variants: Row[];
}

const familyCode = (c: Course) => c.variantOf || c.code;

/** Courses with their variants, in the order of the best of each. */
function merged(rows: Row[]): Family[] {
  const families = new Map<string, Family>();
  for (const row of rows) {
    const code = familyCode(row.course);
    const known = families.get(code);
    if (known) known.variants.push(row);
    else families.set(code, { code, best: row, variants: [row] });
  }
  return [...families.values()];
}

/** The courses on the sheet that are looked for by name. */
function findEntries(desk: Desk, filter: Filter): Entry[] {
  const words = queryOf(filter.text ?? '');
  if (words.length === 0 && !filter.recommended) return [];
  return [...desk.sheet.requests, ...desk.sheet.summer].filter((e) => {
    const course = desk.book.course(e.course);
    if (!course || (filter.recommended && !e.recommends)) return false;
    if (filter.subject && !course.subjects.includes(filter.subject)) return false;
    return words.length === 0 || matches(course, words) > 1;
  });
}

function findRows(desk: Desk, filter: Filter, t: ReturnType<typeof useTranslation>['t']): Row[] {
  const { book, sheet } = desk;
  const rule = book.rule(filter.rule ?? '');
  const mends = desk.effects?.mends.find((m) => m.rule === filter.rule)?.courses ?? [];
  const words = queryOf(filter.text ?? '');
  const rows: Row[] = [];
  for (const effect of desk.effects?.effects ?? []) {
    const course = book.course(effect.course);
    if (!course || [...sheet.requests, ...sheet.summer].some((r) => r.course === course.code)) continue;
    if (filter.subject && !course.subjects.includes(filter.subject)) continue;
    if (filter.fits && !effect.fits) continue;
    if (filter.term !== undefined && !(effect.fits && effect.terms.includes(filter.term))) continue;
    if (filter.recommended && !effect.recommended) continue;
    if (rule) {
      if (rule.on === 'alternates' ? sheet.alternates.some((a) => a.course === course.code) : rule.courses.length > 0 && !rule.courses.includes(course.code))
        continue;
    }
    const relevance = words.length ? matches(course, words) : 1;
    if (relevance === 0) continue;
    const { strong, plain } = (rule?.on === 'alternates' ? alternateWords : effectWords)(t, book, sheet, effect);
    if (rule?.on === 'alternates' && course.summer) continue;
    const mend = mends.indexOf(course.code);
    const score = relevance * 1000 + (mend >= 0 ? 60 - mend : 0) + effect.weight;
    rows.push({ course, effect, strong, plain, score });
  }
  return rows.sort((a, b) => b.score - a.score || a.course.title.localeCompare(b.course.title));
}
