import { type RefObject, useDeferredValue, useMemo, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Effect, useEffects } from '../api/client';
import { SubjectTab } from '../kit/marks';
import { termName } from '../shared/words';
import { type Desk, type Filter, mayChange } from './desk';
import { type Comparing, CourseList, type ListHandle } from './list';
import { inSummer, find, findEntries } from './found';

/** All courses, one continuous list, each with what it would do to this sheet; what is on the sheet already is found too. */
export function Finder(props: {
  desk: Desk;
  filter: Filter;
  onFilter: (f: Filter) => void;
  onOpen: (course: string) => void;
  onPoint: (effect?: Effect) => void;
  search: RefObject<HTMLInputElement | null>;
  compare?: Comparing; // the finder has the whole width
}) {
  const { t } = useTranslation();
  const { desk, filter, onFilter, search } = props;
  const { book, sheet } = desk;
  const [all, setAll] = useState(false);
  const list = useRef<ListHandle>(null);
  const shown = useDeferredValue(filter);
  // In the place of a course everything does something else, which is asked for once.
  const instead = useEffects(filter.instead ? sheet : undefined, filter.instead);
  const effects = filter.instead ? instead.data : desk.effects;
  const failed = filter.instead ? instead.isError : desk.effectsFailed;
  const { families, others, facets } = useMemo(() => find(desk, effects, shown), [desk, effects, shown]);
  const onSheet = useMemo(() => findEntries(desk, shown), [desk, shown]);
  const rows = useMemo(() => (all ? [...families, ...others] : families), [all, families, others]);
  const rule = book.rule(filter.rule ?? '');
  const summers = useMemo(() => book.catalog.courses.some((c) => c.summer), [book]);

  // What is requested or taken as an alternate leaves the list; the focus goes where the next course is looked for.
  const request = (course: string) => {
    if (!mayChange(desk, course)) return;
    if (filter.instead) {
      desk.change({ act: 'replace', course, instead: filter.instead });
      onFilter({ ...filter, instead: undefined });
    } else desk.change({ act: 'request', course });
    search.current?.focus({ preventScroll: true });
  };
  const asAlternate = (course: string) => {
    if (book.course(course)?.summer || !mayChange(desk, course)) return;
    desk.change({ act: 'alternate', course });
    search.current?.focus({ preventScroll: true });
  };

  return (
    <aside aria-label={t('finder.label')} className={`min-w-0 ${props.compare ? '' : 'mt-6 border-line desk:mt-0 desk:border-s desk:ps-6'}`}>
      <div className="no-print flex items-center gap-2 rounded border border-edge bg-card px-2.5 has-[input:focus-visible]:outline-2 has-[input:focus-visible]:outline-offset-2 has-[input:focus-visible]:outline-ink">
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
              list.current?.focus(0);
            }
          }}
          className="min-h-11 min-w-0 flex-1 bg-transparent outline-offset-4 placeholder:text-soft focus-visible:outline-none desk:min-h-9"
        />
        <kbd aria-hidden="true" className="rounded border border-line px-1.5 font-mono text-xs text-soft max-desk:hidden">
          /
        </kbd>
      </div>
      <div className="no-print my-2 flex flex-wrap items-center gap-1.5 text-sm">
        <Choice
          label={t('finder.subjects')}
          any={t('finder.anySubject')}
          value={filter.subject}
          options={facets.subjects.map(([s, n]) => [s, s, n])}
          onChange={(subject) => onFilter({ ...filter, subject })}
        />
        <Choice
          label={t('finder.when')}
          any={t('finder.anyTerm')}
          value={filter.term === undefined ? undefined : String(filter.term)}
          options={[
            ...book.catalog.terms.map((_, term): [string, string, number] => [String(term), termName(t, book, term), facets.terms[term] ?? 0]),
            ...(summers ? [[String(inSummer), t('finder.summer'), facets.summer] as [string, string, number]] : []),
          ]}
          onChange={(term) => onFilter({ ...filter, term: term === undefined ? undefined : Number(term) })}
        />
        {(facets.tags.length > 0 || filter.tag) && (
          <Choice
            label={t('finder.tags')}
            any={t('finder.anyTag')}
            value={filter.tag}
            options={facets.tags.map(([tag, n]) => [tag, tag, n])}
            onChange={(tag) => onFilter({ ...filter, tag })}
          />
        )}
        <Toggle on={filter.fits ?? false} count={facets.fits} onClick={() => onFilter({ ...filter, fits: !filter.fits })} label={t('finder.fits')} />
        <Toggle
          on={filter.recommended ?? false}
          count={facets.recommended}
          onClick={() => onFilter({ ...filter, recommended: !filter.recommended })}
          label={t('finder.recommended')}
        />
        {rule && <Toggle on onClick={() => onFilter({ ...filter, rule: undefined })} label={t('finder.mends', { label: rule.label })} />}
        {filter.instead && (
          <Toggle on onClick={() => onFilter({ ...filter, instead: undefined })} label={t('finder.instead', { course: book.title(filter.instead) })} />
        )}
        {Object.values(filter).some((x) => x !== undefined && x !== '' && x !== false) && (
          <button type="button" className="min-h-7 text-soft inked-link" onClick={() => onFilter({})}>
            {t('finder.clear')}
          </button>
        )}
      </div>
      <p role="status" className="mb-1 text-sm text-soft">
        {effects ? t('finder.count', { count: families.length + onSheet.length }) : t(failed ? 'finder.failed' : 'loading')}
        {others.length > 0 && (
          <>
            {' · '}
            <button type="button" className="min-h-6 inked-link" aria-pressed={all} onClick={() => setAll(!all)}>
              {all ? t('finder.less') : t('finder.more', { count: others.length })}
            </button>
          </>
        )}
      </p>
      {effects && families.length + onSheet.length === 0 && (
        <p className="py-3">{t(filter.recommended && !filter.text ? 'finder.noneRecommended' : 'finder.none')}</p>
      )}
      {onSheet.length > 0 && (
        <ul className="desk:pe-2">
          {onSheet.map((e) => (
            <li key={e.course} className="border-t border-line">
              <button
                type="button"
                data-on-sheet={e.course}
                onClick={() => props.onOpen(e.course)}
                className="grid min-h-9 w-full grid-cols-[1.5rem_1fr_auto] gap-x-2 px-1 py-1.5 text-start hover:bg-wash"
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
      <CourseList
        handle={list}
        desk={desk}
        families={rows}
        forAlternates={rule?.on === 'alternates'}
        instead={filter.instead}
        onPoint={props.onPoint}
        onLeave={() => search.current?.focus()}
        onRequest={request}
        onAlternate={asAlternate}
        compare={props.compare}
      />
    </aside>
  );
}

/** One of several, each with how many courses it would leave. */
function Choice(props: {
  label: string;
  any: string;
  value: string | undefined;
  options: [value: string, label: string, count: number][];
  onChange: (value?: string) => void;
}) {
  return (
    <select
      aria-label={props.label}
      value={props.value ?? ''}
      onChange={(event) => props.onChange(event.target.value || undefined)}
      className={`min-h-7 max-w-36 rounded border bg-card px-1 ${props.value === undefined ? 'border-edge' : 'border-ink font-semibold'}`}
    >
      <option value="">{props.any}</option>
      {props.value !== undefined && !props.options.some(([value]) => value === props.value) && <option value={props.value}>{props.value}</option>}
      {props.options.map(([value, label, count]) => (
        <option key={value} value={value}>
          {label} · {count}
        </option>
      ))}
    </select>
  );
}

function Toggle({ on, count, onClick, label }: { on: boolean; count?: number; onClick: () => void; label: string }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={`min-h-7 rounded border px-2 ${on ? 'border-ink font-semibold' : 'border-line text-soft'}`}
    >
      {label}
      {count !== undefined && !on && ` · ${count}`}
    </button>
  );
}
