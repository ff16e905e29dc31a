import type { TFunction } from 'i18next';
import type { ConditionPart, Course, Effect, Proof, RuleState, Sheet } from '../api/client';
import { amount } from '../kit/format';
import { type Book, fromWords, join, needWords, termsWords } from '../shared/words';

/** Whether someone may ask for a course by its condition, in a sentence. */
export function mayWords(t: TFunction, asks: ConditionPart | undefined, counselor: string, waived?: string) {
  if (waived) return t('may.waived', { who: waived });
  return t(`may.${asks?.verdict ?? 'none'}`, { who: counselor });
}

/** What a condition's leaf rests on: “Geometry, being taken now”. */
export function proofWords(t: TFunction, book: Book, p: Proof) {
  if (p.verdict === 'unverified' && p.by) return t('proof.claim', { by: p.by });
  if (p.kind === 'score') return p.value === undefined ? t('proof.noScore') : t('proof.score', { value: p.value });
  if (p.outcome)
    return t(`proof.${p.outcome}`, {
      from: fromWords(book, p),
      year: p.year,
      mark: p.mark === undefined ? '' : t('proof.mark', { mark: amount(p.mark) }),
    });
  if (p.by) return t('proof.by', { by: p.by });
  return t(p.verdict === 'met' ? 'proof.holds' : 'proof.nothing');
}

/** When a course can meet, in words. */
export function spanWords(t: TFunction, book: Book, c: Course) {
  const all = book.catalog.terms.length;
  const spans = c.spans ?? [];
  if (spans.length === 1 && spans[0]) return termsWords(t, book, spans[0]);
  if (spans.length === all && spans.every((s) => s.length === 1)) return t('anyTerm');
  return spans.map((s) => termsWords(t, book, s)).join(t('or'));
}

/** What taking a course as an alternate would come to: its place, and what it lacks. What fits and counts is for requests. */
export function alternateWords(t: TFunction, book: Book, sheet: Sheet, e: Effect): { strong: string[]; plain: string[] } {
  const request = effectWords(t, book, sheet, e);
  if (!e.possible) return request;
  const plain: string[] = [];
  const next = sheet.nextAlternate;
  plain.push(next.most === undefined ? t('effect.asAlternate', { n: next.rank }) : t('effect.tooManyAlternates', { max: amount(next.most) }));
  if (e.taking) plain.push(t('effect.taking', { course: book.title(e.course) }));
  if (e.missing?.length) {
    const needs = join(
      t,
      e.missing.map((need) => needWords(t, book, need)),
    );
    plain.push(t(e.entry === 'unverified' ? 'effect.unverified' : 'effect.needs', { needs }));
  } else if (e.entry === 'expected') plain.push(t('effect.expected'));
  return { strong: [], plain };
}

/** What adding a course would do, most telling first. */
export function effectWords(t: TFunction, book: Book, sheet: Sheet, e: Effect): { strong: string[]; plain: string[] } {
  const strong: string[] = [];
  const plain: string[] = [];
  const c = book.course(e.course);
  if (e.earned) return { strong: [t('effect.earned')], plain };
  if (e.barred) {
    return {
      strong: [],
      plain: [e.offered ? t('effect.invited') : t('effect.grades', { count: c?.grades.length ?? 0, grades: join(t, (c?.grades ?? []).map(String)) })],
    };
  }
  if (e.refused === 'fixed') return { strong: [], plain: [t('effect.fixed', { courses: join(t, (e.swaps ?? []).map(book.title)) })] };
  if (e.over) return { strong: [], plain: [t('effect.over', { label: book.rule(e.over)?.label ?? e.over })] };
  if (e.refused) return { strong: [], plain: [t('effect.sheetFull')] };
  if (e.repeat) return { strong: [], plain: [t('effect.repeat')] };
  if (e.taking) strong.push(t('effect.taking', { course: book.title(e.course) }));
  if (e.missing?.length) {
    const needs = join(
      t,
      e.missing.map((n) => needWords(t, book, n)),
    );
    plain.push(t(e.entry === 'unverified' ? 'effect.unverified' : 'effect.needs', { needs }));
    if (e.entry === 'unmet') plain.push(t('effect.claim', { who: sheet.student.counselor ?? t('theCounselor') }));
  } else if (e.entry === 'expected') plain.push(t('effect.expected'));
  for (const change of e.rules ?? []) {
    const rule = book.rule(change.rule);
    const label = rule?.label ?? change.rule;
    if (rule?.on === 'alternates' && change.to < change.from) {
      plain.push(t('effect.leavesAlternates', { count: change.to }));
      continue;
    }
    const words = t(`effect.${change.does}`, { label, from: amount(change.from), to: amount(change.to) });
    if (change.does === 'completes') strong.push(words);
    else plain.push(words);
  }
  if (c?.summer) plain.push(t('effect.summer'));
  else if (!e.fits) {
    const fill = (e.fill ?? []).filter((f) => f !== e.course);
    plain.push(t(fill.length > 3 ? 'effect.full' : 'effect.fill', { courses: join(t, fill.map(book.title)) }));
    if (e.room?.length) plain.push(t('effect.room', { courses: join(t, e.room.map(book.title)) }));
  } else if (c && (c.spans ?? []).length > 1) plain.push(t('effect.fitsIn', { terms: termsWords(t, book, e.terms) }));
  else plain.push(t('effect.fits'));
  if (e.swaps?.length) plain.push(t('effect.swaps', { courses: join(t, e.swaps.map(book.title)) }));
  if (e.with?.length) plain.push(t('effect.with', { courses: join(t, e.with.map(book.title)) }));
  if (e.clash?.length) plain.push(t('effect.clash', { courses: join(t, e.clash.map(book.title)) }));
  if (e.retake) plain.push(t('effect.retake'));
  return { strong, plain };
}

/** How much of a rule there is, with its bounds: “6.5 · 6–8”. */
export function ruleNumbers(t: TFunction, r: RuleState) {
  const has = amount(r.measured);
  if (r.min !== undefined && r.max !== undefined)
    return r.min === r.max ? t('ledger.of', { has, min: amount(r.min) }) : t('ledger.between', { has, min: amount(r.min), max: amount(r.max) });
  if (r.min !== undefined) return t('ledger.atLeast', { has, min: amount(r.min) });
  if (r.max !== undefined) return t('ledger.atMost', { has, max: amount(r.max) });
  return has;
}
