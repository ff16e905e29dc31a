import { type Range, type Virtualizer, defaultRangeExtractor, useVirtualizer, useWindowVirtualizer } from '@tanstack/react-virtual';
import { type KeyboardEvent, type Ref, useCallback, useEffect, useImperativeHandle, useLayoutEffect, useRef, useState, useSyncExternalStore } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import type { Effect } from '../api/client';
import { Button } from '../kit/controls';
import { amount, money } from '../kit/format';
import { Mark, SubjectTab } from '../kit/marks';
import { join } from '../shared/words';
import { alternateWords, effectWords, spanWords } from './effectwords';
import { type Desk, mayChange } from './desk';
import type { Family } from './found';

/** Puts the focus on a row of the list, wherever it is. */
export interface ListHandle {
  focus: (n: number) => void;
}

interface ListProps {
  desk: Desk;
  families: Family[];
  forAlternates: boolean; // courses are looked for that could be alternates
  instead: string | undefined; // the course whose place they would take
  onPoint: (effect?: Effect) => void;
  onLeave: () => void;
  onRequest: (course: string) => void;
  onAlternate: (course: string) => void;
  compare?: Comparing; // at full width: the courses that are put side by side
  handle: Ref<ListHandle>;
}

/** Courses chosen to be put side by side, at most three. */
export interface Comparing {
  chosen: string[];
  toggle: (course: string) => void;
}

const wide = typeof matchMedia === 'function' ? matchMedia('(min-width: 64rem)') : undefined;
const watchWide = (told: () => void) => {
  wide?.addEventListener('change', told);
  return () => wide?.removeEventListener('change', told);
};

/** The courses found, of which only those in view are drawn: at the desk the list scrolls on its own, on a phone with the page. */
export function CourseList(props: ListProps) {
  const desk = useSyncExternalStore(watchWide, () => wide?.matches ?? true);
  return desk ? <DeskList {...props} /> : <PhoneList {...props} />;
}

/** The row with the focus stays, also where it is scrolled out of view. */
const keeping = (row: number) => (range: Range) =>
  [...new Set([...defaultRangeExtractor(range), ...(row >= 0 && row < range.count ? [row] : [])])].sort((a, b) => a - b);

const options = (families: Family[], row: number) => ({
  count: families.length,
  estimateSize: () => 62,
  overscan: 6,
  getItemKey: (i: number) => families[i]?.code ?? i,
  rangeExtractor: keeping(row),
});

function DeskList(props: ListProps) {
  const box = useRef<HTMLDivElement>(null);
  const [row, setRow] = useState(-1);
  // eslint-disable-next-line react-hooks/incompatible-library -- the rows are drawn by what it measures, nothing else is
  const virtual = useVirtualizer({ ...options(props.families, row), getScrollElement: () => box.current });
  return (
    <div ref={box} className="overflow-y-auto desk:max-h-[calc(100vh-10.5rem)] desk:pe-2" tabIndex={-1}>
      <Rows {...props} virtual={virtual} margin={0} row={row} onRow={setRow} />
    </div>
  );
}

function PhoneList(props: ListProps) {
  const box = useRef<HTMLDivElement>(null);
  const [row, setRow] = useState(-1);
  const [margin, setMargin] = useState(0);
  const virtual = useWindowVirtualizer({ ...options(props.families, row), scrollMargin: margin });
  useLayoutEffect(() => {
    const top = (box.current?.getBoundingClientRect().top ?? 0) + window.scrollY;
    if (Math.abs(top - margin) > 1) setMargin(top);
  }, [margin, props.families]);
  return (
    <div ref={box}>
      <Rows {...props} virtual={virtual} margin={margin} row={row} onRow={setRow} />
    </div>
  );
}

function Rows<S extends Element | Window>(props: ListProps & { virtual: Virtualizer<S, Element>; margin: number; row: number; onRow: (n: number) => void }) {
  const { families, virtual, row, onRow, handle, onPoint } = props;
  const [selected, setSelected] = useState<string>();
  const list = useRef<HTMLUListElement>(null);
  const focus = useCallback(
    (n: number) => {
      if (n < 0 || n >= families.length) return;
      onRow(n);
      virtual.scrollToIndex(n);
      // The row is drawn when the list has been scrolled there.
      const look = (again: number) => {
        const button = list.current?.querySelector<HTMLButtonElement>(`li[data-index="${n}"] button[data-row]`);
        if (button) button.focus();
        else if (again > 0) requestAnimationFrame(() => look(again - 1));
      };
      look(10);
    },
    [families.length, onRow, virtual],
  );
  useImperativeHandle(handle, () => ({ focus }), [focus]);
  useEffect(() => () => onPoint(undefined), [onPoint]);

  function keys(event: KeyboardEvent, n: number, course: string, code: string) {
    if (event.key === 'ArrowDown') focus(n + 1);
    else if (event.key === 'ArrowUp') {
      if (n === 0) props.onLeave();
      else focus(n - 1);
    } else if (event.key === 'Enter' && selected === code)
      (props.forAlternates && !props.desk.book.course(course)?.summer ? props.onAlternate : props.onRequest)(course);
    else if (event.key.toLowerCase() === 'c' && props.compare && !event.ctrlKey && !event.metaKey && !event.altKey) props.compare.toggle(course);
    else if (event.key.toLowerCase() === 'a' && !event.ctrlKey && !event.metaKey && !event.altKey) props.onAlternate(course);
    else return;
    event.preventDefault();
  }
  // Tab stops at one row; the arrow keys lead on.
  const stop = families.findIndex((f) => f.code === selected);
  return (
    <ul ref={list} className="relative" style={{ height: virtual.getTotalSize() }}>
      {virtual.getVirtualItems().map((item) => {
        const family = families[item.index];
        if (!family) return null;
        return (
          <FinderRow
            key={item.key}
            desk={props.desk}
            family={family}
            place={item.index}
            count={families.length}
            top={item.start - props.margin}
            measure={virtual.measureElement}
            forAlternates={props.forAlternates}
            instead={props.instead}
            selected={selected === family.code}
            stop={item.index === Math.max(0, row === item.index ? row : stop)}
            onSelect={() => {
              setSelected(family.code);
              onRow(item.index);
            }}
            onPoint={onPoint}
            onKeys={(event, course) => keys(event, item.index, course, family.code)}
            onClose={() => {
              setSelected(undefined);
              props.onLeave();
            }}
            onRequest={props.onRequest}
            onAlternate={props.onAlternate}
            compare={props.compare}
          />
        );
      })}
    </ul>
  );
}

/** One course of the list. Where it has variants one of them is chosen, and the row tells of that one. */
function FinderRow({
  measure,
  ...props
}: {
  desk: Desk;
  family: Family;
  place: number;
  count: number;
  top: number;
  measure: (node: Element | null) => void;
  forAlternates: boolean;
  instead: string | undefined;
  selected: boolean;
  stop: boolean;
  onSelect: () => void;
  onPoint: (effect?: Effect) => void;
  onKeys: (event: KeyboardEvent, course: string) => void;
  onClose: () => void;
  onRequest: (course: string) => void;
  onAlternate: (course: string) => void;
  compare: Comparing | undefined;
}) {
  const { t } = useTranslation();
  const { book, sheet } = props.desk;
  const [chosen, setChosen] = useState<string>();
  const { best, variants } = props.family;
  const row = variants.find((v) => v.course.code === chosen) ?? best;
  const { course: c, effect: e } = row;
  const { strong, plain } = (props.forAlternates ? alternateWords : effectWords)(t, book, sheet, e);
  const alternate = sheet.alternates.find((a) => a.course === c.code);
  const details = `d-${props.family.code}`;
  // What the list is open for comes first.
  const alternates = props.forAlternates && !c.summer;
  const request = (
    <Button key="request" tone={alternates ? 'plain' : 'dark'} disabled={props.desk.busy || e.refused !== undefined} onClick={() => props.onRequest(c.code)}>
      {t(props.instead ? 'course.instead' : alternates ? 'course.request' : 'course.requestKey')}
    </Button>
  );
  const asAlternate = !alternate && !c.summer && !props.instead && (
    <Button key="alternate" tone={alternates ? 'dark' : 'plain'} disabled={props.desk.busy} onClick={() => props.onAlternate(c.code)}>
      {t('course.asAlternate', { n: sheet.alternates.length + 1 })}
    </Button>
  );
  return (
    <li
      ref={measure}
      data-index={props.place}
      aria-setsize={props.count}
      aria-posinset={props.place + 1}
      style={{ transform: `translateY(${props.top}px)` }}
      onPointerEnter={() => props.onPoint(e)}
      onPointerLeave={() => props.onPoint()}
      className={`absolute inset-x-0 top-0 border-t border-line ${props.selected ? 'bg-wash' : ''}`}
    >
      <button
        type="button"
        data-row={c.code}
        tabIndex={props.stop ? 0 : -1}
        onKeyUp={(event) => event.key === 'Escape' && props.onClose()}
        aria-expanded={props.selected}
        aria-controls={props.selected ? details : undefined}
        onClick={props.onSelect}
        onFocus={() => {
          props.onSelect();
          props.onPoint(e);
        }}
        onBlur={() => props.onPoint()}
        onKeyDown={(event) => props.onKeys(event, c.code)}
        className={`grid w-full grid-cols-[1.5rem_1fr_auto] gap-x-2 px-1 py-1.5 text-start ${props.compare ? 'desk:grid-cols-[1.5rem_18rem_1fr_14rem_6rem]' : ''}`}
      >
        <SubjectTab subject={c.subject} />
        <span className="font-semibold">{c.title}</span>
        <span className={`text-sm text-soft ${props.compare ? 'desk:order-1' : ''}`}>
          {c.code} · {c.summer ? t('finder.summer') : spanWords(t, book, c)} · {amount(c.credits)}
        </span>
        <span className={`col-span-2 col-start-2 text-sm text-soft ${props.compare ? 'desk:col-span-1 desk:col-start-3' : ''}`}>
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
      {props.compare && (
        <label className="no-print flex min-h-7 items-center gap-1.5 pb-1 ps-9 text-sm text-soft desk:absolute desk:top-1 desk:end-1 desk:p-0">
          <input
            type="checkbox"
            className="size-6 accent-ink"
            checked={props.compare.chosen.includes(c.code)}
            disabled={!props.compare.chosen.includes(c.code) && props.compare.chosen.length === 3}
            aria-label={t('page.compareOne', { course: c.title })}
            onChange={() => props.compare?.toggle(c.code)}
          />
          <span aria-hidden="true">{t('page.compare')}</span>
        </label>
      )}
      {props.selected && (
        <div id={details} className={`pe-2 pb-2 ps-9 ${props.compare ? 'max-w-3xl' : ''}`}>
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
          <p>
            {c.description}{' '}
            <Link href={`/course/${encodeURIComponent(c.code)}`} className="whitespace-nowrap inked-link">
              {t('page.open')}
            </Link>
          </p>
          <p className="text-sm text-soft">
            {[
              (c.fee ?? 0) > 0 && t('course.fee', { fee: money(c.fee ?? 0, book.catalog.currency) }),
              c.note,
              c.leadsTo?.length && t('course.leads', { courses: join(t, c.leadsTo.map(book.title)) }),
              c.teachers?.length && t('finder.taught', { who: join(t, c.teachers) }),
            ]
              .filter(Boolean)
              .join(' · ')}
          </p>
          {mayChange(props.desk, c.code) && e.possible && (
            <div className="mt-1.5 flex gap-2">{alternates ? [asAlternate, request] : [request, asAlternate]}</div>
          )}
        </div>
      )}
    </li>
  );
}
