import { useVirtualizer } from '@tanstack/react-virtual';
import type { TFunction } from 'i18next';
import { type KeyboardEvent, useMemo, useRef } from 'react';
import { useTranslation } from 'react-i18next';
import type { CaseRow, CaseWait } from '../api/desks';
import type { Book } from '../shared/words';

type Line = { head: string; rows: CaseRow[] } | { row: CaseRow; index: number };

/** All students that are chosen, as one continuous list; those who wait for the school by what they wait for. */
export function Rows(props: {
  book: Book;
  rows: CaseRow[];
  stage: string | undefined;
  reason: string | undefined;
  current: string | undefined;
  coming: boolean; // another list is on its way: what is done now would be done with the one before
  onStudent: (id: string) => void;
  onTogether: (rows: CaseRow[], about?: string) => void;
}) {
  const { t } = useTranslation();
  const { rows, stage, reason } = props;
  const box = useRef<HTMLDivElement>(null);
  const lines = useMemo<Line[]>(() => {
    if (stage !== 'waiting' || reason) return [{ head: '', rows }, ...rows.map((row, index) => ({ row, index }))];
    const groups = new Map<string, CaseRow[]>();
    for (const row of rows) {
      const first = row.waits[0]?.reason ?? '';
      groups.set(first, [...(groups.get(first) ?? []), row]);
    }
    let index = 0;
    return [...groups].flatMap(([head, list]): Line[] => [{ head, rows: list }, ...list.map((row) => ({ row, index: index++ }))]);
  }, [rows, stage, reason]);
  // eslint-disable-next-line react-hooks/incompatible-library -- the rows are drawn by what it measures, nothing else is
  const virtual = useVirtualizer({
    count: lines.length,
    estimateSize: () => 34,
    overscan: 12,
    getScrollElement: () => box.current,
    getItemKey: (i) => {
      const line = lines[i];
      return line && 'row' in line ? line.row.id : `head ${i}`;
    },
  });
  const students = useMemo(() => lines.flatMap((line) => ('row' in line ? [line.row] : [])), [lines]);
  function keys(event: KeyboardEvent) {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (!step) return;
    event.preventDefault();
    const next = students[students.findIndex((r) => r.id === props.current) + step];
    if (!next) return;
    props.onStudent(next.id);
    virtual.scrollToIndex(lines.findIndex((line) => 'row' in line && line.row.id === next.id));
    requestAnimationFrame(() => document.getElementById(`case-${next.id}`)?.focus());
  }
  if (rows.length === 0) return <p className="py-3 text-soft">{t('caseload.nobody')}</p>;
  return (
    <div ref={box} className="min-h-0 flex-1 overflow-y-auto max-desk:max-h-[60vh]" tabIndex={-1} onKeyDown={keys}>
      <ul style={{ height: virtual.getTotalSize(), position: 'relative' }}>
        {virtual.getVirtualItems().map((item) => {
          const line = lines[item.index];
          if (!line) return null;
          return (
            <li
              key={item.key}
              data-index={item.index}
              ref={virtual.measureElement}
              className="absolute inset-x-0 top-0"
              style={{ transform: `translateY(${item.start}px)` }}
            >
              {'row' in line ? (
                <CaseButton {...props} row={line.row} />
              ) : (
                <div className="flex items-baseline gap-2 pt-2 pb-1 text-sm text-soft desk:pe-4">
                  <h2>
                    <b className="font-semibold text-ink">{line.head ? t(`caseload.reason.${line.head}`) : t('caseload.chosen')}</b> {line.rows.length}
                  </h2>
                  <button
                    type="button"
                    className="ms-auto min-h-6 inked-link text-ink disabled:opacity-60"
                    disabled={props.coming}
                    onClick={() => props.onTogether(line.rows, line.head || reason)}
                    aria-label={t('caseload.togetherFor', { what: line.head ? t(`caseload.reason.${line.head}`) : t('caseload.chosen') })}
                  >
                    {t('caseload.together')}
                  </button>
                </div>
              )}
            </li>
          );
        })}
      </ul>
    </div>
  );
}

function CaseButton(props: { book: Book; row: CaseRow; current: string | undefined; stage: string | undefined; onStudent: (id: string) => void }) {
  const { t } = useTranslation();
  const { row } = props;
  return (
    <button
      type="button"
      id={`case-${row.id}`}
      aria-current={row.id === props.current ? 'true' : undefined}
      onClick={() => props.onStudent(row.id)}
      className="grid min-h-8 w-full grid-cols-[9.5rem_1.5rem_1fr_4rem] items-center gap-2 border-t border-line px-2 text-start aria-[current]:bg-wash aria-[current]:shadow-[inset_3px_0_0_var(--ink)] max-desk:min-h-11 max-desk:grid-cols-[9rem_1.5rem_1fr]"
    >
      <span className="truncate">
        {row.family}, {row.given}
      </span>
      <span className="text-soft">{row.grade}</span>
      <span className="truncate text-soft" title={waitsWords(t, props.book, row)}>
        {waitsWords(t, props.book, row) || t(`caseload.stage.${row.stage}`)}
      </span>
      <span className="text-end text-sm text-soft max-desk:hidden">{since(t, row)}</span>
    </button>
  );
}

/** All that a sheet waits for, in words. */
export const waitsWords = (t: TFunction, book: Book, row: CaseRow) => row.waits.map((w) => waitWords(t, book, w, row)).join(' · ');

function waitWords(t: TFunction, book: Book, w: CaseWait, row: CaseRow): string {
  const [first, ...more] = w.courses.map(book.title);
  const courses = more.length ? t('caseload.andMore', { course: first, count: more.length }) : first;
  switch (w.reason) {
    case 'claim':
      return `${t('caseload.claimFor', { course: courses })}: “${w.text}”`;
    case 'asked':
      return courses ? t('caseload.asksAbout', { course: courses, message: w.text }) : t('caseload.asks', { message: w.text });
    case 'unbegun':
      return row.closes ? t('caseload.daysLeft', { count: daysTo(row.closes) }) : t('caseload.short.unbegun');
  }
  return courses ? t(`caseload.with.${w.reason}`, { course: courses }) : t(`caseload.short.${w.reason}`);
}

const daysTo = (time: string) => Math.max(0, Math.ceil((new Date(time).getTime() - Date.now()) / 86_400_000));

/** How long the one that waits longest has waited. */
function since(t: TFunction, row: CaseRow) {
  const times = row.waits.flatMap((w) => (w.since ? [new Date(w.since).getTime()] : []));
  if (times.length === 0) return '';
  const days = Math.floor((Date.now() - Math.min(...times)) / 86_400_000);
  return days < 1 ? t('caseload.today') : t('caseload.days', { count: days });
}
