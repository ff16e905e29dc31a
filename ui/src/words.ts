import type { TFunction } from 'i18next';
import type { Catalog, Course, Effect, Entry, Need, Proof, Rule, RuleState, Sheet, Todo } from './api/client';

/** The catalog with its courses and rules by code. */
export interface Book {
  catalog: Catalog;
  course: (code: string) => Course | undefined;
  rule: (id: string) => Rule | undefined;
  title: (code: string) => string;
}

const books = new WeakMap<Catalog, Book>();

export function bookOf(catalog: Catalog): Book {
  const have = books.get(catalog);
  if (have) return have;
  const courses = new Map(catalog.courses.map((c) => [c.code, c]));
  const rules = new Map(catalog.rules.map((r) => [r.id, r]));
  const book = {
    catalog,
    course: (code: string) => courses.get(code),
    rule: (id: string) => rules.get(id),
    title: (code: string) => courses.get(code)?.title ?? code,
  };
  books.set(catalog, book);
  return book;
}

export function amount(n: number) {
  return String(Math.round(n * 100) / 100);
}

export function join(t: TFunction, parts: string[]) {
  if (parts.length < 2) return parts.join('');
  return t('list', { head: parts.slice(0, -1).join(t('listComma')), last: parts.at(-1) });
}

export function when(iso: string, zone?: string) {
  return new Intl.DateTimeFormat('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    timeZone: zone,
    timeZoneName: zone ? 'short' : undefined,
  }).format(new Date(iso));
}

export function clock(iso: string) {
  return new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' }).format(new Date(iso));
}

/** How much of a rule's measure, in words: “1 credit”, “two courses”. */
export function measured(t: TFunction, rule: Rule | undefined, n: number) {
  const count = Math.round(n * 100) / 100;
  const numbers = ['', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
  const word = numbers[count] ? t(`number.${numbers[count]}`) : amount(n);
  if (rule?.on === 'alternates' && rule.measure === 'courses') return t('measure.alternates', { count, word });
  return t(`measure.${rule?.measure ?? 'courses'}`, { count, word });
}

export function needWords(t: TFunction, n: Need) {
  const name = n.title ?? n.name ?? '';
  return t(n.at === undefined || n.kind === 'grade' ? `need.${n.kind}` : `need.${n.kind}At`, { name, at: n.at });
}

/** What a condition's leaf rests on: “Geometry, being taken now”. */
export function proofWords(t: TFunction, p: Proof) {
  if (p.verdict === 'unverified' && p.by) return t('proof.claim', { by: p.by });
  if (p.kind === 'score') return p.value === undefined ? t('proof.noScore') : t('proof.score', { value: p.value });
  if (p.outcome)
    return t(`proof.${p.outcome}`, {
      from: p.from,
      year: p.year,
      mark: p.mark === undefined ? '' : t('proof.mark', { mark: p.mark }),
    });
  if (p.by) return t('proof.by', { by: p.by });
  return t(p.verdict === 'met' ? 'proof.holds' : 'proof.nothing');
}

export function termName(t: TFunction, book: Book, term: number) {
  const short = book.catalog.terms[term] ?? '';
  return t(`term.${short}`, { defaultValue: short });
}

export function termsWords(t: TFunction, book: Book, terms: number[]) {
  if (terms.length === book.catalog.terms.length) return t('wholeYear');
  return join(
    t,
    terms.map((term) => termName(t, book, term)),
  );
}

/** When a course can meet, in words. */
export function spanWords(t: TFunction, book: Book, c: Course) {
  const all = book.catalog.terms.length;
  const spans = c.spans ?? [];
  if (spans.length === 1 && spans[0]) return termsWords(t, book, spans[0]);
  if (spans.length === all && spans.every((s) => s.length === 1)) return t('anyTerm');
  return spans.map((s) => termsWords(t, book, s)).join(t('or'));
}

export interface Clause {
  key: string;
  text: string;
  todo: Todo;
}

/** One clause for each thing still to do. */
export function clauses(t: TFunction, book: Book, sheet: Sheet): Clause[] {
  return sheet.todo.map((todo, i) => {
    const rule = book.rule(todo.rule ?? '');
    const label = (rule?.label ?? '').toLowerCase();
    const much = measured(t, rule, todo.amount ?? 0);
    let text: string;
    switch (todo.kind) {
      case 'ruleShort':
        if (rule?.on === 'alternates') text = t('todo.alternates', { much });
        else if (rule?.measure === 'credits' && rule.courses.length === 0) text = t('todo.credits', { much });
        else text = t('todo.short', { much, label });
        break;
      case 'ruleOver':
        text = t('todo.over', { much, label });
        break;
      case 'entry':
        text = t(todo.verdict === 'unverified' ? 'todo.word' : 'todo.entry', {
          course: book.title(todo.course ?? ''),
          who: sheet.student.counselor ?? t('theCounselor'),
        });
        break;
      case 'link':
        text = t('todo.link', { needs: book.title(todo.needs ?? ''), course: book.title(todo.course ?? '') });
        break;
      case 'overload':
        text = t('todo.overload', { amount: amount(todo.amount ?? 0) });
        break;
      default:
        text = t(`todo.${todo.kind}`, { course: book.title(todo.course ?? '') });
    }
    return { key: `${todo.kind} ${todo.rule ?? todo.course ?? i} ${todo.needs ?? ''}`, text, todo };
  });
}

/** What adding a course would do, most telling first. */
export function effectWords(t: TFunction, book: Book, e: Effect): { strong: string[]; plain: string[] } {
  const strong: string[] = [];
  const plain: string[] = [];
  const c = book.course(e.course);
  if (e.earned) return { strong: [t('effect.earned')], plain };
  if (e.barred) {
    return { strong: [], plain: [e.offered ? t('effect.invited') : t('effect.grades', { grades: (c?.grades ?? []).join(', ') })] };
  }
  if (e.refused === 'fixed') return { strong: [], plain: [t('effect.fixed', { courses: join(t, (e.swaps ?? []).map(book.title)) })] };
  if (e.refused) return { strong: [], plain: [t('effect.sheetFull')] };
  if (e.repeat) return { strong: [], plain: [t('effect.repeat')] };
  if (e.missing?.length) {
    const needs = join(
      t,
      e.missing.map((n) => needWords(t, n)),
    );
    plain.push(t(e.entry === 'unverified' ? 'effect.unverified' : 'effect.needs', { needs }));
  } else if (e.entry === 'expected') plain.push(t('effect.expected'));
  for (const change of e.rules ?? []) {
    const rule = book.rule(change.rule);
    const label = rule?.label ?? change.rule;
    const words = t(`effect.${change.does}`, { label, from: amount(change.from), to: amount(change.to) });
    if (change.does === 'completes') strong.push(words);
    else plain.push(words);
  }
  if (!e.fits) {
    const fill = (e.fill ?? []).filter((f) => f !== e.course).map(book.title);
    plain.push(fill.length > 3 ? t('effect.full') : t('effect.fill', { courses: join(t, fill) }));
  } else if (c && (c.spans ?? []).length > 1) plain.push(t('effect.fitsIn', { terms: termsWords(t, book, e.terms) }));
  else plain.push(t('effect.fits'));
  if (e.swaps?.length) plain.push(t('effect.swaps', { courses: join(t, e.swaps.map(book.title)) }));
  if (e.with?.length) plain.push(t('effect.with', { courses: join(t, e.with.map(book.title)) }));
  if (e.retake) plain.push(t('effect.retake'));
  return { strong, plain };
}

/** What still keeps an entry's condition from holding. */
export const openNeeds = (e: Entry) => (e.mark === 'stopped' ? (e.needs ?? []).filter((p) => p.open) : []);

/** One line about a course on the sheet: who put it there, what it rests on, what it waits for. */
export function entryLine(t: TFunction, book: Book, sheet: Sheet, e: Entry): string {
  const parts: string[] = [];
  if (e.gone) parts.push(t('entry.gone'));
  const open = openNeeds(e);
  if (open.length) {
    parts.push(
      t('entry.needs', {
        needs: join(
          t,
          open.map((p) => needWords(t, p)),
        ),
      }),
    );
    if (e.claims?.length) parts.push(t('entry.claimed', { who: sheet.student.counselor ?? t('theCounselor') }));
  }
  if (e.barred) parts.push(t('entry.barred'));
  if (e.repeat) parts.push(t('entry.repeat'));
  if (e.retake) parts.push(t('entry.retake'));
  if (e.assigned)
    parts.push(e.fixed ? t('entry.fixed') : e.exchange?.length ? t('entry.exchange', { courses: join(t, e.exchange.map(book.title)) }) : t('entry.assigned'));
  if (e.recommends) parts.push(t('entry.recommended', { who: e.recommends }));
  const now = (e.needs ?? []).find((p) => p.verdict === 'expected' && p.outcome === 'inProgress');
  if (e.entry === 'expected' && now) parts.push(t('entry.expected', { from: now.from }));
  if (e.waivedBy && !e.assigned) parts.push(t('entry.waived', { who: e.waivedBy }));
  const links = book.course(e.course)?.links ?? [];
  const beside = sheet.requests.filter((r) => links.includes(r.course)).map((r) => book.title(r.course));
  if (beside.length) parts.push(t('entry.with', { courses: join(t, beside) }));
  return parts.join(' · ');
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

export function statusWords(t: TFunction, sheet: Sheet): { state: string; next: string } {
  const s = sheet.status;
  const time = (at: string | undefined) => (at ? when(at, s.window?.zone) : '');
  const next = t(`next.${s.next}`, {
    opens: time(s.window?.opens),
    closes: time(s.window?.families),
    ends: time(s.window?.counselors),
    counselor: sheet.student.counselor ?? t('theCounselor'),
  });
  return { state: t(s.changed ? 'state.changed' : `state.${s.state}`), next };
}
