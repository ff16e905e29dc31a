import type { TFunction } from 'i18next';
import words from '../../../locales/en.json?part=seats';
import type { Opening, SeatEntry, Seats, SeatTable, TableSection } from '../api/seats';
import { speakMore } from '../i18n';
import { type Book, needWords, termName, termsWords } from '../shared/words';
import { proofWords } from './effectwords';

speakMore(words);

/** Sections by their ids. */
export type Sections = Map<string, TableSection>;

const sets = new WeakMap<SeatTable, Sections>();

export function sectionsOf(table: SeatTable): Sections {
  let have = sets.get(table);
  if (!have) sets.set(table, (have = new Map(table.sections.map((s) => [s.id, s]))));
  return have;
}

const same = (a: number[], b: number[]) => a.length === b.length && a.every((x, i) => x === b[i]);

export const daysWords = (t: TFunction, days: number[]) => t(days.length === 1 ? 'seats.day' : 'seats.days', { days: days.join(', ') });

export const periodsWords = (t: TFunction, periods: number[]) =>
  periods.length === 1 ? t('seats.period', { period: periods[0] }) : t('seats.periods', { periods: periods.join(', ') });

/** When a section meets: “period 7, days 2, 4, 6, first semester”; what is all year or on every day, or is in a period that is known, is left out. */
export function whenWords(t: TFunction, book: Book, table: SeatTable, x: TableSection, known?: number) {
  const parts = x.periods.length === 1 && x.periods[0] === known ? [] : [periodsWords(t, x.periods)];
  if (x.days.length < table.days) parts.push(daysWords(t, x.days));
  if (x.terms.length < book.catalog.terms.length) parts.push(termsWords(t, book, x.terms));
  return parts.join(t('listComma'));
}

/** When a section that may be gone meets, and who teaches it. */
export const nextWords = (t: TFunction, book: Book, table: SeatTable, x: TableSection | undefined) =>
  x ? [whenWords(t, book, table, x), x.teacher].filter(Boolean).join(' · ') : '';

/** What of the week is open, period by period: the days and terms are said where not all of them are. */
export interface Clause {
  key: string;
  text: string;
  opening: Opening;
}

export function openClauses(t: TFunction, book: Book, table: SeatTable, seats: Seats): Clause[] {
  const list: Clause[] = [];
  const terms = book.catalog.terms.map((_, i) => i);
  const all = Array.from({ length: table.days }, (_, i) => i + 1);
  for (const period of table.fill) {
    const open = seats.open.filter((o) => o.period === period);
    if (open.length === 0) continue;
    const what = t('seats.period', { period });
    const add = (terms_: number[], days: number[]) => {
      const more = [days.length < all.length && daysWords(t, days), terms_.length < terms.length && termsWords(t, book, terms_)]
        .filter(Boolean)
        .join(t('listComma'));
      list.push({
        key: `${period} ${terms_.join()}`,
        text: more ? t('seats.of', { what, more }) : what,
        opening: { period, terms: terms_.length < terms.length ? terms_ : [], days: days.length < all.length ? days : [] },
      });
    };
    const first = open[0];
    if (first && open.every((o) => same(o.days, first.days)))
      add(
        open.map((o) => o.term),
        first.days,
      );
    else for (const o of open) add([o.term], o.days);
  }
  return list;
}

/** An opening in words. */
export function openingWords(t: TFunction, book: Book, cells: Seats['open'], period: number) {
  const terms = cells.map((c) => c.term);
  const days = [...new Set(cells.flatMap((c) => c.days))].sort((a, b) => a - b);
  return [t('seats.period', { period }), daysWords(t, days), termsWords(t, book, terms)].join(t('listComma'));
}

/** What someone's record says to a course, leaf by leaf; nothing where it asks for nothing. */
export function entryWords(t: TFunction, book: Book, e: SeatEntry | undefined): string {
  if (!e?.needs?.length) return '';
  return e.needs.map((p) => `${needWords(t, book, p)}: ${proofWords(t, book, p)}`).join(' · ');
}

export const cellLabel = (t: TFunction, book: Book, term: number, period: number, day: number) =>
  t('seats.cellOpen', { period: t('seats.period', { period }), day: t('seats.day', { days: day }), term: termName(t, book, term) });
