import { type KeyboardEvent, type ReactNode, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Opening, Seats, SeatTable, TableSection } from '../api/seats';
import { subjectTab } from '../kit/marks';
import { type Book, termName } from '../shared/words';
import { type Sections, cellLabel, daysWords, periodsWords } from './seatwords';

/** A block of the week: a section on days that touch, in periods that touch, of one term. */
interface Piece {
  section: string;
  from: number; // day
  to: number;
  period: number;
  rows: number;
  nth: number; // of its section in this term
}

/** Runs of numbers that follow each other. */
function runs(list: number[]): [number, number][] {
  const out: [number, number][] = [];
  for (const n of [...list].sort((a, b) => a - b)) {
    const last = out.at(-1);
    if (last && last[1] === n - 1) last[1] = n;
    else out.push([n, n]);
  }
  return out;
}

function piecesOf(x: TableSection, term: number): Piece[] {
  if (!x.terms.includes(term)) return [];
  const list: Piece[] = [];
  for (const [first, last] of runs(x.periods))
    for (const [from, to] of runs(x.days)) list.push({ section: x.id, from, to, period: first, rows: last - first + 1, nth: list.length });
  return list;
}

interface Props {
  book: Book;
  table: SeatTable;
  sections: Sections;
  seats: Seats;
  term: number;
  onTurn: (term: number) => void;
  chosen?: Opening;
  onChoose: (opening: Opening) => void;
  onGive: (section: string) => void;
  onEnter: () => void; // to what fits
  add: string[]; // what an entry that is pointed at would bring
  out: string[]; // and push out
  asking: string[]; // what is on its way
  may: boolean;
  wide: boolean;
  panel?: ReactNode; // between the rows, where there is no room beside them
}

/** The week: periods down, days of the cycle across, one term unfolded and the others folded at its edge. Arrows walk the cells. */
export function SeatBoard(props: Props) {
  const { t } = useTranslation();
  const { book, table, sections, seats, term, chosen } = props;
  const board = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState({ period: table.fill[0] ?? 1, day: 1 });
  const terms = book.catalog.terms.map((_, i) => i);
  const days = Array.from({ length: table.days }, (_, i) => i + 1);
  const own = seats.own.map((x) => sections.get(x.section)).filter((x) => x !== undefined);
  const last = Math.max(table.periods, ...own.flatMap((x) => x.periods));
  const periods = Array.from({ length: last }, (_, i) => i + 1);
  const split = !props.wide && chosen && props.panel ? chosen.period : undefined;
  const row = (period: number) => period + 2 + (split !== undefined && period > split ? 1 : 0);
  const openOn = (of: number, period: number) => seats.open.find((o) => o.term === of && o.period === period)?.days ?? [];
  const filledOf = (of: number) => table.fill.length * table.days - seats.open.filter((o) => o.term === of).reduce((n, o) => n + o.days.length, 0);
  const isChosen = (of: number, period: number, day: number) =>
    chosen?.period === period && (chosen.terms.length === 0 || chosen.terms.includes(of)) && (chosen.days.length === 0 || chosen.days.includes(day));

  const folded = props.wide ? terms.filter((x) => x !== term) : [];
  const columns = `${props.wide ? '2.6rem' : '1.3rem'} repeat(${table.days}, minmax(0, 1fr))${folded.map(() => ` 0.6rem repeat(${table.days}, 0.95rem)`).join('')}`;
  const foldedAt = (n: number) => 2 + table.days + n * (table.days + 1) + 1;

  function walk(event: KeyboardEvent) {
    const { period, day } = at;
    const step = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[event.key];
    if (step) {
      event.preventDefault();
      const rtl = document.documentElement.dir === 'rtl' ? -1 : 1;
      const here = document.activeElement;
      for (
        let p = period + (step[0] ?? 0), d = day + (step[1] ?? 0) * rtl;
        p >= 1 && p <= last && d >= 1 && d <= table.days;
        p += step[0] ?? 0, d += (step[1] ?? 0) * rtl
      ) {
        const next = board.current?.querySelector<HTMLElement>(`[data-cells~="${p}.${d}"]`);
        if (next && next !== here) {
          setAt({ period: p, day: d });
          next.focus();
          return;
        }
      }
    }
  }
  const cellsOf = (p: Piece) => {
    const list: string[] = [];
    for (let k = p.period; k < p.period + p.rows; k++) for (let d = p.from; d <= p.to; d++) list.push(`${k}.${d}`);
    return list.join(' ');
  };
  const here = (cells: string) => cells.split(' ').includes(`${at.period}.${at.day}`);

  const pieces = own.flatMap((x) => piecesOf(x, term));
  const ghosts = [...props.add, ...props.asking].flatMap((id) => {
    const x = sections.get(id);
    return x && !seats.own.some((o) => o.section === id) ? piecesOf(x, term) : [];
  });
  return (
    <div
      ref={board}
      role="group"
      aria-label={t('seats.board')}
      className="grid gap-x-1 gap-y-1.5"
      style={{ gridTemplateColumns: columns, gridTemplateRows: `auto auto repeat(${last}, minmax(2.75rem, auto))` }}
      onKeyDown={walk}
    >
      {terms.map((x) => {
        const shown = x === term;
        const place = shown ? `2 / span ${table.days}` : `${foldedAt(folded.indexOf(x))} / span ${table.days}`;
        const label = (
          <>
            <b className="font-semibold">{termName(t, book, x)}</b> · {t('seats.filled', { filled: filledOf(x), cells: table.fill.length * table.days })}
          </>
        );
        if (shown)
          return (
            <p
              key={x}
              className="self-end text-sm leading-tight first-letter:uppercase"
              style={{ gridRow: 1, gridColumn: props.wide ? place : `2 / span ${Math.ceil(table.days / 2)}` }}
            >
              {label}
            </p>
          );
        return (
          <button
            key={x}
            type="button"
            title={t('seats.turn', { term: termName(t, book, x) })}
            onClick={() => props.onTurn(x)}
            className="min-h-6 self-end pt-1 text-start text-sm leading-tight text-soft inked-link first-letter:uppercase max-desk:pt-6"
            style={{ gridRow: 1, gridColumn: props.wide ? place : `${2 + Math.ceil(table.days / 2)} / -1` }}
          >
            {props.wide ? termName(t, book, x) : label}
          </button>
        );
      })}
      {days.map((d) => (
        <span key={d} className="border-b border-line text-xs text-soft max-desk:text-center" style={{ gridRow: 2, gridColumn: d + 1 }}>
          {props.wide ? t('seats.day', { days: d }) : d}
        </span>
      ))}
      {periods.map((p) => (
        <span key={p} aria-hidden="true" className="self-center pe-1 text-end text-sm font-semibold" style={{ gridRow: row(p), gridColumn: 1 }}>
          {p}
        </span>
      ))}
      {chosen && <span aria-hidden="true" className="-mx-1 -my-1 rounded bg-wash" style={{ gridRow: row(chosen.period), gridColumn: '1 / -1' }} />}
      {pieces.map((p) => {
        const x = sections.get(p.section);
        const seat = seats.own.find((o) => o.section === p.section);
        if (!x || !seat) return null;
        const cells = cellsOf(p);
        const hue = subjectTab(book.course(x.course)?.subject ?? '');
        const narrow = p.to - p.from < 2;
        const left = props.out.includes(p.section);
        return (
          <button
            key={`${p.section} ${p.nth}`}
            type="button"
            data-cells={cells}
            data-section={p.section}
            tabIndex={here(cells) ? 0 : -1}
            onFocus={() => setAt({ period: p.period, day: p.from })}
            onClick={() => props.onChoose({ period: p.period, terms: [], days: [] })}
            onKeyDown={(event) => {
              if ((event.key === 'Backspace' || event.key === 'Delete') && props.may) {
                event.preventDefault();
                props.onGive(p.section);
              }
            }}
            style={{ gridRow: `${row(p.period)} / span ${p.rows}`, gridColumn: `${p.from + 1} / span ${p.to - p.from + 1}`, borderInlineStartColor: hue.hue }}
            className={`z-10 flex min-w-0 items-center gap-2 overflow-hidden rounded-sm border border-s-[5px] px-2 text-start max-desk:px-1 ${left ? 'hatch' : 'border-line bg-card hover:bg-wash'}`}
          >
            {!narrow && (
              <span aria-hidden="true" className="text-xs font-semibold tracking-wide" style={{ color: hue.hue }}>
                {hue.letters}
              </span>
            )}
            <span className={`flex min-w-0 gap-x-2 ${narrow ? 'flex-col leading-tight' : 'items-baseline'}`}>
              {(p.nth === 0 || !narrow) && <span className={`truncate font-semibold ${narrow ? 'text-sm' : ''}`}>{book.title(x.course)}</span>}
              {(p.nth > 0 || !narrow) && (
                <span className={`truncate text-sm text-soft ${narrow ? '' : 'max-desk:hidden'}`}>{[x.teacher, x.room].filter(Boolean).join(' · ')}</span>
              )}
            </span>
            <span className="sr-only">
              {[
                p.nth > 0 && narrow && book.title(x.course),
                periodsWords(t, x.periods),
                x.days.length < table.days && daysWords(t, x.days),
                termName(t, book, term),
              ]
                .filter(Boolean)
                .join(t('listComma'))}
            </span>
            {!narrow && p.nth === 0 && (
              <span className="ms-auto shrink-0 text-sm text-soft max-desk:hidden">{t('seats.taken', { taken: x.seats - seat.left, seats: x.seats })}</span>
            )}
          </button>
        );
      })}
      {own
        .filter((x) => x.terms.includes(term) && runs(x.days).length > 1)
        .map((x) => (
          // Days that do not touch are beads on one string.
          <i
            key={x.id}
            aria-hidden="true"
            className="pointer-events-none z-20 mx-1 mb-[-5px] h-[3px] self-end rounded"
            style={{
              gridRow: row(x.periods[0] ?? 1),
              gridColumn: `${Math.min(...x.days) + 1} / ${Math.max(...x.days) + 2}`,
              background: subjectTab(book.course(x.course)?.subject ?? '').hue,
              ...((x.days[0] ?? 1) % 2 === 1 ? {} : { alignSelf: 'start', marginTop: -5 }),
            }}
          />
        ))}
      {periods.flatMap((p) =>
        openOn(term, p).map((d) => {
          const on = isChosen(term, p, d);
          return (
            <button
              key={`${p}.${d}`}
              type="button"
              data-cells={`${p}.${d}`}
              data-open={`${p}.${d}`}
              tabIndex={here(`${p}.${d}`) ? 0 : -1}
              aria-label={cellLabel(t, book, term, p, d)}
              aria-pressed={on}
              onFocus={() => setAt({ period: p, day: d })}
              onClick={(event) => {
                if (event.shiftKey && chosen?.period === p) {
                  // from what is chosen to here
                  const from = Math.min(d, ...(chosen.days.length ? chosen.days : [at.day]));
                  const to = Math.max(d, ...(chosen.days.length ? chosen.days : [at.day]));
                  props.onChoose({ period: p, terms: chosen.terms, days: openOn(term, p).filter((x) => x >= from && x <= to) });
                } else props.onChoose({ period: p, terms: [], days: [] });
              }}
              onKeyDown={(event) => {
                if (event.key !== 'Enter') return;
                event.preventDefault();
                props.onChoose({ period: p, terms: [], days: [] });
                props.onEnter();
              }}
              style={{ gridRow: row(p), gridColumn: d + 1 }}
              className={`z-10 min-w-0 truncate rounded-sm border border-dashed px-2 text-start text-sm max-desk:px-0 max-desk:text-center ${on ? 'border-ink bg-card text-ink' : 'border-edge text-soft hover:bg-wash'}`}
            >
              {t('seats.open')}
            </button>
          );
        }),
      )}
      {ghosts.map((p) => (
        <span
          key={`g${p.section} ${p.nth}`}
          aria-hidden="true"
          data-ghost={p.section}
          style={{ gridRow: `${row(p.period)} / span ${p.rows}`, gridColumn: `${p.from + 1} / span ${p.to - p.from + 1}` }}
          className="pointer-events-none z-20 flex min-w-0 items-center truncate rounded-sm border-2 border-dotted border-ink bg-card px-2 text-sm"
        >
          <span className="truncate">
            <b className="font-semibold">{book.title(sections.get(p.section)?.course ?? '')}</b>{' '}
            {props.asking.includes(p.section) && p.nth === 0 && <span className="text-soft">{t('seats.asking')}</span>}
          </span>
        </span>
      ))}
      {folded.map((x, n) => (
        <Folded key={x} term={x} at={foldedAt(n)} row={row} props={props} own={own} openOn={openOn} isChosen={isChosen} periods={periods} />
      ))}
      {split !== undefined && (
        <div className="-mx-4 border-b-2 border-ink bg-wash px-4 py-3" style={{ gridRow: row(split) + 1, gridColumn: '1 / -1' }}>
          {props.panel}
        </div>
      )}
    </div>
  );
}

/** A term that is folded at the edge, row by row in line; for the eye alone. */
function Folded(x: {
  term: number;
  at: number;
  row: (period: number) => number;
  props: Props;
  own: TableSection[];
  openOn: (term: number, period: number) => number[];
  isChosen: (term: number, period: number, day: number) => boolean;
  periods: number[];
}) {
  const { book, table } = x.props;
  return (
    <>
      {Array.from({ length: table.days }, (_, i) => (
        <span key={`h${i}`} aria-hidden="true" className="border-b border-line text-center text-xs text-soft" style={{ gridRow: 2, gridColumn: x.at + i }}>
          {i + 1}
        </span>
      ))}
      {x.own
        .flatMap((section) => piecesOf(section, x.term))
        .map((p) => {
          const course = x.props.sections.get(p.section)?.course ?? '';
          const hue = subjectTab(book.course(course)?.subject ?? '');
          const whole = p.to - p.from >= 2;
          return (
            <span
              key={`${p.section} ${p.nth}`}
              aria-hidden="true"
              style={{
                gridRow: `${x.row(p.period)} / span ${p.rows}`,
                gridColumn: `${x.at + p.from - 1} / span ${p.to - p.from + 1}`,
                borderInlineStartColor: hue.hue,
                color: hue.hue,
                ...(whole ? {} : { background: hue.hue }),
              }}
              className={`flex items-center justify-center rounded-sm border border-line text-xs font-semibold ${whole ? 'border-s-4 bg-card' : 'my-3.5 mx-0.5'}`}
            >
              {whole ? hue.letters : ''}
            </span>
          );
        })}
      {x.periods.flatMap((p) =>
        x
          .openOn(x.term, p)
          .map((d) => (
            <span
              key={`o${p}.${d}`}
              aria-hidden="true"
              style={{ gridRow: x.row(p), gridColumn: x.at + d - 1 }}
              className={`rounded-sm border border-dashed ${x.isChosen(x.term, p, d) ? 'border-ink bg-card' : 'border-edge'}`}
            />
          )),
      )}
    </>
  );
}
