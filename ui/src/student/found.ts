import type { Course, Effect, Effects, Entry } from '../api/client';
import { matches, queryOf } from './search';
import type { Desk, Filter } from './desk';

/** A course with what it would do; the higher the score, the further up it stands. */
export interface Row {
  course: Course;
  effect: Effect;
  score: number;
}

/** A course with its variants; the best for this student stands for all. */
export interface Family {
  code: string;
  best: Row;
  variants: Row[];
}

/** What a list can be narrowed by, each with how many courses would be left. */
export interface Facets {
  subjects: [string, number][];
  tags: [string, number][];
  terms: number[]; // by term: those that fit there
  summer: number; // of the summer round
  fits: number;
  recommended: number;
}

export interface Found {
  families: Family[]; // what the student may take
  others: Family[]; // and what not, as far as one would have to ask somebody
  facets: Facets;
}

export const familyCode = (c: Course) => c.variantOf || c.code;

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

/** In the place of a term: the summer round. */
export const inSummer = -1;

const inTerm = (e: Effect, term: number) => !!e.fits && e.terms.includes(term);

/** Which of the ways of narrowing a row passes. */
function passes(row: Row, filter: Filter) {
  return {
    subject: !filter.subject || row.course.subjects.includes(filter.subject),
    tag: !filter.tag || (row.course.tags ?? []).includes(filter.tag),
    term: filter.term === undefined || (filter.term === inSummer ? row.course.summer === true : inTerm(row.effect, filter.term)),
    fits: !filter.fits || !!row.effect.fits,
    recommended: !filter.recommended || !!row.effect.recommended,
  };
}

/** The courses of a search, with what each facet would leave of them next to the other facets. */
export function find(desk: Desk, effects: Effects | undefined, filter: Filter): Found {
  const { book, sheet } = desk;
  const rule = book.rule(filter.rule ?? '');
  const mends = effects?.mends.find((m) => m.rule === filter.rule)?.courses ?? [];
  const words = queryOf(filter.text ?? '');
  const requested = new Set([...sheet.requests, ...sheet.summer].map((e) => e.course));
  const alternates = new Set(sheet.alternates.map((e) => e.course));
  const rows: Row[] = [];
  const counts = { subjects: new Map<string, Set<string>>(), tags: new Map<string, Set<string>>(), terms: book.catalog.terms.map(() => new Set<string>()) };
  const fits = new Set<string>();
  const summer = new Set<string>();
  const recommended = new Set<string>();
  const count = (map: Map<string, Set<string>>, key: string, code: string) => {
    const set = map.get(key);
    if (set) set.add(code);
    else map.set(key, new Set([code]));
  };
  for (const effect of effects?.effects ?? []) {
    const course = book.course(effect.course);
    if (!course || requested.has(course.code)) continue;
    if (rule?.on === 'alternates' ? alternates.has(course.code) || course.summer : rule && rule.courses.length > 0 && !rule.courses.includes(course.code))
      continue;
    const relevance = words.length ? matches(book, course, words) : 1;
    if (relevance === 0) continue;
    const mend = mends.indexOf(course.code);
    const row = { course, effect, score: relevance * 1000 + (mend >= 0 ? 60 - mend : 0) + effect.weight };
    const ok = passes(row, filter);
    const but = (one: keyof typeof ok) => (Object.keys(ok) as (keyof typeof ok)[]).every((k) => k === one || ok[k]);
    if (effect.shown) {
      const code = familyCode(course);
      if (but('subject')) for (const s of course.subjects) count(counts.subjects, s, code);
      if (but('tag')) for (const tag of course.tags ?? []) count(counts.tags, tag, code);
      if (but('term')) {
        counts.terms.forEach((set, term) => inTerm(effect, term) && set.add(code));
        if (course.summer) summer.add(code);
      }
      if (but('fits') && effect.fits) fits.add(code);
      if (but('recommended') && effect.recommended) recommended.add(code);
    }
    if (Object.values(ok).every(Boolean)) rows.push(row);
  }
  rows.sort((a, b) => b.score - a.score || a.course.title.localeCompare(b.course.title));
  const families = merged(rows.filter((r) => r.effect.shown));
  const open = new Set(families.map((f) => f.code));
  const sorted = (map: Map<string, Set<string>>) => [...map].map(([key, set]): [string, number] => [key, set.size]).sort(([a], [b]) => a.localeCompare(b));
  return {
    families,
    others: merged(rows.filter((r) => !r.effect.shown && !open.has(familyCode(r.course)))),
    facets: {
      subjects: sorted(counts.subjects),
      tags: sorted(counts.tags),
      terms: counts.terms.map((set) => set.size),
      summer: summer.size,
      fits: fits.size,
      recommended: recommended.size,
    },
  };
}

/** The courses on the sheet that are looked for by name. */
export function findEntries(desk: Desk, filter: Filter): Entry[] {
  const words = queryOf(filter.text ?? '');
  if ((words.length === 0 && !filter.recommended) || filter.instead) return [];
  return [...desk.sheet.requests, ...desk.sheet.summer].filter((e) => {
    const course = desk.book.course(e.course);
    if (!course || (filter.recommended && !e.recommends)) return false;
    if (filter.subject && !course.subjects.includes(filter.subject)) return false;
    return words.length === 0 || matches(desk.book, course, words) > 1;
  });
}
