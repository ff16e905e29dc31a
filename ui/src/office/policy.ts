import type { TFunction } from 'i18next';

/** A text in the school's language, or one by language. */
export type Words = string | Record<string, string>;

/** A selection of courses as policy.json has it. */
export type Selection = string | { subjects?: string[]; tags?: string[]; courses?: string[]; periods?: number[]; not?: Selection };

/** A count as policy.json has it; what is absent has its default. */
export interface Count {
  of?: Selection;
  on?: string;
  measure?: string;
  term?: string;
  min?: number;
  max?: number;
}

/** A rule as policy.json has it. */
export interface Rule extends Count {
  id: string;
  label?: Words;
  grades?: number[];
  programs?: string[];
  stance?: string;
  when?: Count;
}

/** An entry of a list of requirements. */
export interface Requirement {
  id: string;
  label?: Words;
  credits?: number;
  of?: Selection;
  each?: number;
  by?: number;
}

export interface Audit {
  id: string;
  label?: Words;
  entries?: Requirement[];
}

export interface Commitment {
  id: string;
  grades?: number[];
  when?: Count;
  who: string;
  text: Words;
}

export interface Unit {
  one: string;
  other: string;
}

export interface Settings {
  timeZone?: string;
  language?: string;
  languages?: string[];
  currency?: string;
  unit?: Unit | Record<string, Unit>;
  contacts?: Record<string, string>[];
  stages?: { from: string; text: Words }[];
  [choice: string]: unknown;
}

/** policy.json, as far as it is shown on the screen; what else there is is carried along. */
export interface Policy {
  periods?: number;
  days?: number;
  firstGrade?: number;
  lastGrade?: number;
  holidays?: string[];
  marks?: Record<string, number>;
  placement?: { seniority?: boolean; take?: string };
  settings?: Settings;
  rules?: Rule[];
  groups?: Record<string, Selection>;
  audits?: Audit[];
  commitments?: Commitment[];
  welcome?: { grades?: number[]; text: Words }[];
  fill?: { periods?: number[]; rules?: Rule[] };
}

const lists = ['rules', 'audits', 'commitments', 'welcome', 'holidays'] as const;
const objects = ['groups', 'settings', 'marks', 'fill', 'placement'] as const;
const isObject = (x: unknown) => typeof x === 'object' && x !== null && !Array.isArray(x);

/** Reads policy.json as far as it can be shown; whether it is right the server tells. */
export function parsePolicy(text: string): Policy | undefined {
  try {
    const policy = JSON.parse(text) as Record<string, unknown>;
    const whole =
      isObject(policy) &&
      lists.every(
        (key) => policy[key] === undefined || (Array.isArray(policy[key]) && (policy[key] as unknown[]).every((x) => key === 'holidays' || isObject(x))),
      ) &&
      objects.every((key) => policy[key] === undefined || isObject(policy[key])) &&
      ((policy.rules ?? []) as Rule[]).every((r) => typeof r.id === 'string');
    return whole ? (policy as Policy) : undefined;
  } catch {
    return undefined;
  }
}

/** The languages that the school writes in; its own first. */
export function languagesOf(p: Policy): string[] {
  const own = p.settings?.language ?? 'en';
  return [own, ...(p.settings?.languages ?? []).filter((l) => l !== own)];
}

/** A text in one language, "" where there is none. */
export const wordsIn = (words: Words | undefined, language: string, own: string) =>
  typeof words === 'object' ? (words[language] ?? '') : language === own ? (words ?? '') : '';

/** A text with another wording in one language; one that is in the school's alone is plain. */
export function setWords(words: Words | undefined, language: string, own: string, text: string): Words {
  const all = typeof words === 'object' ? { ...words } : { [own]: words ?? '' };
  if (text || language === own) all[language] = text;
  else Reflect.deleteProperty(all, language);
  const only = Object.keys(all);
  return only.length === 1 && only[0] === own ? (all[own] ?? '') : all;
}

/** What something is called, in the school's language. */
export const labelOf = (r: { id: string; label?: Words }) => (typeof r.label === 'object' ? Object.values(r.label)[0] : r.label) || r.id;

/** The next free id of a kind: rule-4. */
export function nextId(kind: string, taken: string[]) {
  let n = taken.length + 1;
  while (taken.includes(`${kind}-${n}`)) n++;
  return `${kind}-${n}`;
}

/** What is counted, in words: “courses of Science among the requests”. */
export function countWords(t: TFunction, c: Count, usual = 'requests') {
  const parts = [
    t(`rules.measures.${c.measure ?? 'courses'}`, { defaultValue: c.measure }),
    selectionWords(t, c.of ?? 'all'),
    t(`rules.on.${c.on ?? usual}`, { defaultValue: c.on }),
  ];
  if (c.term) parts.push(t('rules.term', { term: c.term }));
  return parts.filter(Boolean).join(' ');
}

/** What a selection selects, in words; nothing for all. */
export function selectionWords(t: TFunction, s: Selection): string {
  if (typeof s === 'string') return s === 'all' ? '' : t('rules.selection', { what: s.replace(/^group:/, '') });
  const periods = (s.periods ?? []).map((p) => t('rules.period', { n: p }));
  const named = [...(s.subjects ?? []), ...(s.tags ?? []), ...(s.courses ?? []), ...periods].join(', ');
  const not = s.not === undefined ? '' : t('rules.not', { what: typeof s.not === 'string' ? s.not.replace(/^group:/, '') : selectionNames(s.not) });
  return [named && t('rules.selection', { what: named }), not].filter(Boolean).join(' ');
}

const selectionNames = (s: Exclude<Selection, string>) => [...(s.subjects ?? []), ...(s.tags ?? []), ...(s.courses ?? [])].join(', ');
