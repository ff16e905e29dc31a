import type { TFunction } from 'i18next';

/** A selection of courses as policy.json has it. */
type Selection = string | { subjects?: string[]; tags?: string[]; courses?: string[]; not?: Selection };

/** A count as policy.json has it; what is absent has its default. */
interface Count {
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
  label?: string | Record<string, string>;
  grades?: number[];
  stance?: string;
  when?: Count;
}

/** What of policy.json is shown as sentences; all else is carried along as it is. */
export interface Policy {
  rules?: Rule[];
  groups?: Record<string, Selection>;
}

/** Reads policy.json as far as it can be shown; whether it is right the server tells. */
export function parsePolicy(text: string): Policy | undefined {
  try {
    const policy = JSON.parse(text) as Policy;
    const whole = typeof policy === 'object' && policy !== null && (policy.rules === undefined || Array.isArray(policy.rules));
    return whole && (policy.rules ?? []).every((r) => typeof r === 'object' && r !== null && typeof r.id === 'string') ? policy : undefined;
  } catch {
    return undefined;
  }
}

/** A rule's label, in the school's language. */
export const labelOf = (r: Rule) => (typeof r.label === 'string' ? r.label : r.label ? (Object.values(r.label)[0] ?? r.id) : r.id);

/** Changes a rule's label in the school's language, further languages staying. */
export function setLabel(r: Rule, label: string) {
  const [first] = typeof r.label === 'object' ? Object.keys(r.label) : [];
  if (typeof r.label === 'object' && first) r.label = { ...r.label, [first]: label };
  else r.label = label;
}

/** What is counted, in words: “courses of Science among the requests”. */
export function countWords(t: TFunction, c: Count) {
  const parts = [
    t(`rules.measures.${c.measure ?? 'courses'}`, { defaultValue: c.measure }),
    selectionWords(t, c.of ?? 'all'),
    t(`rules.on.${c.on ?? 'requests'}`, { defaultValue: c.on }),
  ];
  if (c.term) parts.push(t('rules.term', { term: c.term }));
  return parts.filter(Boolean).join(' ');
}

function selectionWords(t: TFunction, s: Selection): string {
  if (typeof s === 'string') return s === 'all' ? '' : t('rules.selection', { what: s.replace(/^group:/, '') });
  const named = [...(s.subjects ?? []), ...(s.tags ?? []), ...(s.courses ?? [])].join(', ');
  const not =
    s.not === undefined
      ? ''
      : t('rules.not', { what: typeof s.not === 'string' ? s.not : [...(s.not.subjects ?? []), ...(s.not.tags ?? []), ...(s.not.courses ?? [])].join(', ') });
  return [named && t('rules.selection', { what: named }), not].filter(Boolean).join(' ');
}
