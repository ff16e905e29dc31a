import { type KeyboardEvent, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Entry, Sheet } from '../api/client';
import { Mark, SubjectTab, subjectTab } from '../kit/marks';
import { amount } from '../kit/format';
import { type Book, entryLine, termName } from '../words';
import { CourseDialog } from './course';
import { OrderDialog } from './order';
import { reordered } from './ranks';
import type { Desk, Filter } from './desk';

/** A piece of a course on the board: rows are half periods. */
interface Piece {
  entry: Entry;
  row: number;
  rows: number;
  from: number;
  to: number;
}

/** Lays the requests onto the board: whole-year courses first, each as high up as its terms have room. */
function layOut(book: Book, sheet: Sheet) {
  const terms = book.catalog.terms.length;
  const used: boolean[][] = Array.from({ length: terms }, () => []);
  const pieces: Piece[] = [];
  const outside: Entry[] = [];
  // What is wanted least hangs over the edge where not everything fits, so it is laid last.
  const over = sheet.packing.fill ? [...sheet.requests].reverse().find((e) => !e.fixed && sheet.packing.fill?.includes(e.course)) : undefined;
  const order = [...sheet.requests].sort((a, b) => Number(a === over) - Number(b === over) || b.terms.length - a.terms.length || a.rank - b.rank);
  for (const entry of order) {
    const rows = Math.ceil((book.course(entry.course)?.load ?? 0) * 2);
    if (rows === 0) {
      outside.push(entry);
      continue;
    }
    let row = 0;
    const free = (at: number) => entry.terms.every((term) => Array.from({ length: rows }, (_, i) => !used[term]?.[at + i]).every(Boolean));
    while (!free(row)) row++;
    for (const term of entry.terms) for (let i = 0; i < rows; i++) (used[term] ??= [])[row + i] = true;
    for (let i = 0; i < entry.terms.length;) {
      const from = entry.terms[i] ?? 0;
      let to = from;
      while (entry.terms[i + 1] === to + 1) {
        to++;
        i++;
      }
      i++;
      pieces.push({ entry, row, rows, from, to });
    }
  }
  return { used, pieces, outside };
}

/** The open cells of a term: whole periods, and the other half of one that is taken every other day. */
function openCells(used: boolean[], edge: number) {
  const cells: { row: number; rows: number }[] = [];
  for (let row = 0; row < edge; row++) {
    if (used[row]) continue;
    const whole = row % 2 === 0 && row + 1 < edge && !used[row + 1];
    cells.push({ row, rows: whole ? 2 : 1 });
    if (whole) row++;
  }
  return cells;
}

export function Board(props: { desk: Desk; open: string | undefined; onOpen: (course?: string) => void; onFind: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { book, sheet, change } = props.desk;
  const [ordering, setOrdering] = useState(false);
  const { used, pieces, outside } = useMemo(() => layOut(book, sheet), [book, sheet]);
  const terms = book.catalog.terms;
  const edge = book.catalog.periods * 2;
  const rows = Math.max(edge, ...used.map((u) => u.length));
  const halves = pieces.some((p) => p.rows === 1); // they must be high enough to be hit
  const columns = { gridTemplateColumns: `1.4rem repeat(${terms.length}, minmax(0, 1fr))` };
  const fits = terms.map((_, term) => props.desk.effects?.room[term]);
  const opened = [...sheet.requests, ...sheet.summer, ...sheet.alternates].find((e) => e.course === props.open);

  function move(event: KeyboardEvent, entry: Entry) {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
    event.preventDefault();
    change(reordered(sheet.requests, 'requests', entry.course, event.key === 'ArrowUp' ? -1 : 1));
  }
  return (
    <section aria-label={t('board.label')} id="board" tabIndex={-1}>
      <div className="grid items-end gap-x-1.5 pb-1 text-sm text-soft" style={columns}>
        <span />
        {terms.map((name, term) => (
          <span key={name}>
            <b className="inline-block font-semibold text-ink first-letter:uppercase">{termName(t, book, term)}</b> ·{' '}
            {t('board.term', { load: amount(sheet.packing.loads[term] ?? 0), periods: amount(book.catalog.periods) })}
          </span>
        ))}
      </div>
      <ul className="grid gap-x-1.5 gap-y-0.5" style={{ ...columns, gridTemplateRows: `repeat(${rows}, ${halves ? '1.75rem' : '1.28rem'})` }}>
        {Array.from({ length: rows / 2 }, (_, n) => (
          <li
            key={`n${n}`}
            aria-hidden="true"
            className="flex items-center justify-end pr-1 text-xs text-soft"
            style={{ gridRow: `${n * 2 + 1} / span 2`, gridColumn: 1 }}
          >
            {n * 2 < edge ? n + 1 : ''}
          </li>
        ))}
        {pieces.map((p) => {
          const c = book.course(p.entry.course);
          const line = entryLine(t, book, sheet, p.entry);
          const stopped = p.entry.mark === 'stopped';
          const below = p.row + p.rows > edge;
          return (
            <li
              key={`${p.entry.course} ${p.from}`}
              style={{ gridRow: `${p.row + 1} / span ${p.rows}`, gridColumn: `${p.from + 2} / ${p.to + 3}` }}
              className="min-w-0"
            >
              <button
                type="button"
                data-course={p.entry.course}
                onClick={() => props.onOpen(p.entry.course)}
                onKeyDown={(event) => move(event, p.entry)}
                style={{ borderLeftColor: subjectTab(c?.subject ?? '').hue }}
                className={`flex h-full w-full items-center gap-2 overflow-hidden rounded-sm border border-l-[5px] px-2 text-left ${stopped ? 'hatch' : below ? 'border-2 border-dashed border-ochre bg-card' : 'border-line bg-card hover:bg-wash'}`}
              >
                <SubjectTab subject={c?.subject ?? ''} />
                <span className={`flex min-w-0 items-center gap-2 ${stopped ? 'rounded-sm bg-card px-1' : ''}`}>
                  {p.entry.mark !== 'settled' && <Mark kind={p.entry.mark} />}
                  <span className="shrink-0 font-semibold max-desk:shrink max-desk:truncate">{book.title(p.entry.course)}</span>
                  <span className={`truncate text-sm max-desk:hidden ${stopped ? 'text-ochre' : 'text-soft'}`}>{line}</span>
                  <span className="sr-only desk:hidden">{line}</span>
                </span>
                <span className="ml-auto text-sm text-soft">{amount(c?.credits ?? 0)}</span>
              </button>
            </li>
          );
        })}
        {terms.map((_, term) =>
          openCells(used[term] ?? [], edge).map(({ row, rows: high }, i) => {
            const room = fits[term];
            const words =
              high === 1 ? t('board.halfOpen') : room === undefined ? t('board.open') : i === 0 ? t('board.openFits', { count: room }) : t('board.openOne');
            return (
              <li key={`o${term} ${row}`} style={{ gridRow: `${row + 1} / span ${high}`, gridColumn: term + 2 }} className="min-w-0">
                <button
                  type="button"
                  onClick={() => props.onFind({ term })}
                  aria-label={`${termName(t, book, term)}: ${words}`}
                  className="h-full w-full truncate rounded-sm border border-dashed border-edge px-3 text-left text-sm text-soft hover:bg-wash"
                >
                  {words}
                </button>
              </li>
            );
          }),
        )}
      </ul>
      {rows > edge && <p className="mt-1 pl-7 text-sm text-ochre">{t('board.below')}</p>}
      {sheet.requests.length === 0 && <p className="mt-2 pl-7 text-soft">{t('board.empty')}</p>}
      <div className="mt-1.5 flex flex-wrap items-center gap-2 pl-7 text-sm text-soft">
        {outside.length > 0 && <span>{t('board.outside')}:</span>}
        {outside.map((e) => (
          <button
            key={e.course}
            type="button"
            data-course={e.course}
            onClick={() => props.onOpen(e.course)}
            className={`min-h-7 rounded-sm border px-2 text-ink ${e.mark === 'stopped' ? 'hatch' : 'border-line bg-card'}`}
          >
            {book.title(e.course)}
          </button>
        ))}
        {sheet.requests.length > 1 && sheet.acts.edit.allowed && (
          <button type="button" onClick={() => setOrdering(true)} className="ml-auto min-h-7 inked-link">
            {t('order.open')}
          </button>
        )}
      </div>
      {opened && <CourseDialog desk={props.desk} entry={opened} onClose={() => props.onOpen(undefined)} />}
      <OrderDialog desk={props.desk} open={ordering} onClose={() => setOrdering(false)} />
    </section>
  );
}
