import type { Effect, Entry, Sheet } from '../api/client';
import type { Book } from '../shared/words';

/** A piece of the board: a course, or the two halves of one that are taken one after the other. Rows are half periods. */
export interface Piece {
  entries: Entry[]; // by term
  row: number;
  rows: number;
  from: number;
  to: number;
}

/** What the board would show of a course that is not on it. */
export interface Ghost {
  row: number;
  rows: number;
  from: number;
  to: number;
}

export interface Layout {
  used: boolean[][]; // by term, by row
  pieces: Piece[];
  outside: Entry[]; // those that take no period
}

const rowsOf = (book: Book, course: string) => Math.ceil((book.course(course)?.load ?? 0) * 2);

/** The other half of a course that is requested as two. */
const otherHalf = (sheet: Sheet, entry: Entry) => (entry.half ? sheet.requests.find((e) => e.course === entry.half) : undefined);

/** The runs of terms that follow each other. */
function runs(terms: number[]) {
  const list: { from: number; to: number }[] = [];
  for (const term of terms) {
    const last = list.at(-1);
    if (last?.to === term - 1) last.to = term;
    else list.push({ from: term, to: term });
  }
  return list;
}

/** The first row from which a number of rows is free in each of some terms. */
function firstFree(used: boolean[][], terms: number[], rows: number) {
  let row = 0;
  while (!terms.every((term) => Array.from({ length: rows }, (_, i) => !used[term]?.[row + i]).every(Boolean))) row++;
  return row;
}

function take(used: boolean[][], terms: number[], row: number, rows: number) {
  for (const term of terms) for (let i = 0; i < rows; i++) (used[term] ??= [])[row + i] = true;
}

/** Lays the requests onto the board: whole-year courses first, each as high up as its terms have room. */
export function layOut(book: Book, sheet: Sheet): Layout {
  const used: boolean[][] = book.catalog.terms.map(() => []);
  const pieces: Piece[] = [];
  const outside: Entry[] = [];
  const laid = new Set<string>();
  // What is wanted least hangs over the edge where not everything fits, so it is laid last.
  const over = sheet.packing.fill ? [...sheet.requests].reverse().find((e) => !e.fixed && sheet.packing.fill?.includes(e.course)) : undefined;
  const length = (e: Entry) => e.terms.length + (otherHalf(sheet, e)?.terms.length ?? 0);
  const order = [...sheet.requests].sort((a, b) => Number(a === over) - Number(b === over) || length(b) - length(a) || a.rank - b.rank);
  for (const entry of order) {
    if (laid.has(entry.course)) continue;
    const rows = rowsOf(book, entry.course);
    if (rows === 0) {
      outside.push(entry);
      continue;
    }
    const half = otherHalf(sheet, entry);
    const entries = half ? [entry, half].sort((a, b) => (a.terms[0] ?? 0) - (b.terms[0] ?? 0)) : [entry];
    const terms = entries.flatMap((e) => e.terms);
    const row = firstFree(used, terms, rows);
    take(used, terms, row, rows);
    for (const e of entries) laid.add(e.course);
    for (const run of runs(terms)) pieces.push({ entries, row, rows, ...run });
  }
  return { used, pieces, outside };
}

/** Where a course would come to lie on the board, with what comes along, when what it takes the place of is gone. */
export function ghosts(book: Book, { pieces }: Layout, effect: Effect): Ghost[] {
  const used: boolean[][] = book.catalog.terms.map(() => []);
  for (const p of pieces) {
    if (p.entries.every((e) => effect.swaps?.includes(e.course))) continue;
    for (let term = p.from; term <= p.to; term++) take(used, [term], p.row, p.rows);
  }
  const rows = rowsOf(book, effect.course);
  if (rows === 0) return [];
  const row = firstFree(used, effect.terms, rows);
  return runs(effect.terms).map((run) => ({ row, rows, ...run }));
}

/** The open cells of a term: whole periods, and the other half of one that is taken every other day. */
export function openCells(used: boolean[], edge: number) {
  const cells: { row: number; rows: number }[] = [];
  for (let row = 0; row < edge; row++) {
    if (used[row]) continue;
    const whole = row % 2 === 0 && row + 1 < edge && !used[row + 1];
    cells.push({ row, rows: whole ? 2 : 1 });
    if (whole) row++;
  }
  return cells;
}
