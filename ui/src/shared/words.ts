import type { TFunction } from 'i18next';
import { amount, day, plural, when } from '../kit/format';
import type { Catalog, Course, Entry, Need, Proof, Rule, Sheet, Todo } from '../api/client';

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

export function join(t: TFunction, parts: string[]) {
  if (parts.length < 2) return parts.join('');
  return t('list', { head: parts.slice(0, -1).join(t('listComma')), last: parts.at(-1) });
}

/** That some requests cannot be had together, whatever sections are chosen; nothing where they can. */
export const clashWords = (t: TFunction, book: Book, sheet: Sheet) => sheet.clash && t('entry.clash', { courses: join(t, sheet.clash.map(book.title)) });

/** That a course does not run, why, and what comes in for it; nothing where it does. */
export function notRunning(t: TFunction, book: Book, e: Entry) {
  const off = book.catalog.notRunning?.find((x) => x.course === e.course);
  if (!off) return undefined;
  const { reason } = off;
  return e.mend?.length ? t('entry.notRunningInstead', { reason, courses: join(t, e.mend.map(book.title)) }) : t('entry.notRunning', { reason });
}

/** How much of a rule's measure, in words: “one credit”, “two courses”, in the school's own unit where it has one. */
export function measured(t: TFunction, book: Book, rule: Rule | undefined, n: number) {
  const measure = rule?.measure ?? 'courses';
  if (measure === 'credits' && book.catalog.unit)
    return t('measure.unit', { word: amount(n), unit: plural(n) === 'one' ? book.catalog.unit.one : book.catalog.unit.other });
  return counted(t, measure === 'courses' && rule?.on === 'alternates' ? 'measure.alternates' : `measure.${measure}`, n);
}

/** An amount of credits in figures, in the school's own unit where it has one: “8.5 credits”, “48 units”. */
export function inUnit(t: TFunction, book: Book, n: number) {
  const { unit } = book.catalog;
  if (unit) return t('measure.unit', { word: amount(n), unit: plural(n) === 'one' ? unit.one : unit.other });
  return t('measure.figures', { count: n, n: amount(n) });
}

/** A number with what it counts; small whole numbers are written out. */
export function counted(t: TFunction, key: string, n: number) {
  const numbers = ['', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
  return t(key, { count: Math.round(n * 100) / 100, word: numbers[n] ? t(`number.${numbers[n]}`) : amount(n) });
}

export function needWords(t: TFunction, book: Pick<Book, 'title'>, n: Need) {
  const name = n.title ? book.title(n.name ?? '') : (n.name ?? '');
  return t(n.at === undefined || n.kind === 'grade' ? `need.${n.kind}` : `need.${n.kind}At`, { name, at: n.at });
}

/** The title of the course on record: the catalog's, in the reader's language, where the catalog has it. */
export const fromWords = (book: Book, p: Proof) => (p.code && book.course(p.code) ? book.title(p.code) : p.from);

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

export interface Clause {
  key: string;
  text: string;
  todo: Todo;
}

/** One clause for each thing still to do, as the family reads it, or anyone who of the school decides. */
export function clauses(t: TFunction, book: Book, sheet: Sheet, reader: 'family' | 'school' = 'family'): Clause[] {
  return sheet.todo.map((todo, i) => {
    const rule = book.rule(todo.rule ?? '');
    const label = rule?.label ?? '';
    const much = measured(t, book, rule, todo.amount ?? 0);
    const plain = rule?.on === 'alternates' || (rule?.measure === 'credits' && rule.courses.length === 0);
    let text: string;
    switch (todo.kind) {
      case 'ruleShort':
        if (rule?.on === 'alternates') text = t('todo.alternates', { much });
        else if (rule?.measure === 'credits' && rule.courses.length === 0) text = t('todo.credits', { much });
        else text = t('todo.short', { much, label });
        break;
      case 'ruleOver':
        text = plain ? t('todo.overPlain', { much }) : t('todo.over', { much, label });
        break;
      case 'entry':
        text = t(`todo.${todo.verdict === 'unverified' ? 'word' : 'entry'}${reader === 'school' ? 'Yours' : ''}`, {
          course: book.title(todo.course ?? ''),
          who: sheet.student.counselor ?? t('theCounselor'),
        });
        break;
      case 'link':
        text = t('todo.link', { needs: book.title(todo.needs ?? ''), course: book.title(todo.course ?? '') });
        break;
      case 'overload':
        text = counted(t, 'todo.overload', todo.amount ?? 0);
        break;
      default:
        text = t(`todo.${todo.kind}${todo.kind === 'barred' && reader === 'school' ? 'Yours' : ''}`, { course: book.title(todo.course ?? '') });
    }
    return { key: `${todo.kind} ${todo.rule ?? todo.course ?? i} ${todo.needs ?? ''}`, text, todo };
  });
}

/** What still keeps an entry's condition from holding. */
export const openNeeds = (e: Entry) => (e.mark === 'stopped' ? (e.needs ?? []).filter((p) => p.open) : []);

/** One line about a course on the sheet: who put it there, what it rests on, what it waits for. */
export function entryLine(t: TFunction, book: Book, sheet: Sheet, e: Entry): string {
  const parts: string[] = [];
  if (e.gone) parts.push(t('entry.gone'));
  const off = notRunning(t, book, e);
  if (off) parts.push(off);
  const open = openNeeds(e);
  if (open.length) {
    parts.push(
      t('entry.needs', {
        needs: join(
          t,
          open.map((p) => needWords(t, book, p)),
        ),
      }),
    );
    if (e.claims?.length) parts.push(t(sheet.acts.edit.reason ? 'entry.claimedBy' : 'entry.claimed', { who: sheet.student.counselor ?? t('theCounselor') }));
  }
  const no = e.claims?.length ? undefined : e.declined?.at(-1);
  if (no) parts.push(t('entry.declined', { who: no.decider, why: no.answer }));
  if (e.barred) parts.push(t('entry.barred'));
  if (e.repeat) parts.push(t('entry.repeat'));
  if (e.taking) parts.push(t('entry.taking'));
  if (e.retake) {
    const opens = book.course(e.course)?.leadsTo ?? [];
    parts.push(opens.length ? t('entry.retakeOpens', { courses: join(t, opens.map(book.title)) }) : t('entry.retake'));
  }
  if (e.assigned) {
    const who = e.assignedBy ?? t('theSchool');
    parts.push(!e.fixed && e.exchange?.length ? t('entry.exchange', { who, courses: join(t, e.exchange.map(book.title)) }) : t('entry.assigned', { who }));
  } else if (e.onlyFor?.length) {
    const rules = join(
      t,
      e.onlyFor.map((id) => book.rule(id)?.label ?? id),
    );
    parts.push(t('entry.only', { rules }));
  }
  if (e.recommends) parts.push(t('entry.recommended', { who: e.recommends }));
  for (const x of sheet.errands.filter((x) => x.course === e.course)) {
    const errand = book.catalog.errands[x.errand];
    if (!errand?.becomes?.length) continue;
    if (x.replacedBy) parts.push(t('entry.replacedBy', { course: book.title(x.replacedBy) }));
    else
      parts.push(
        t(errand.due ? 'entry.placeholder' : 'entry.placeholderNoDate', {
          courses: join(t, errand.becomes.map(book.title)),
          errand: errand.title,
          due: errand.due && day(errand.due),
        }),
      );
  }
  const now = (e.needs ?? []).find((p) => p.verdict === 'expected' && p.outcome === 'inProgress');
  if (e.entry === 'expected' && now) parts.push(t('entry.expected', { from: fromWords(book, now) }));
  if (e.waivedBy && !e.assigned)
    parts.push(e.waivedNote ? t('entry.waivedNote', { who: e.waivedBy, note: e.waivedNote }) : t('entry.waived', { who: e.waivedBy }));
  const links = book.course(e.course)?.links ?? [];
  const beside = sheet.requests.filter((r) => links.includes(r.course)).map((r) => book.title(r.course));
  if (beside.length) parts.push(t('entry.with', { courses: join(t, beside) }));
  return parts.join(' · ');
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

/** When seats are chosen, where they are. */
export function seatTimeWords(t: TFunction, sheet: Sheet): string | undefined {
  const s = sheet.status.seats;
  if (!s) return undefined;
  const { opens, families, zone } = s.window;
  if (s.phase === 'before') return t('next.seatsLater', { time: when(opens, zone) });
  return t(s.phase === 'open' ? 'next.seats' : 'next.seatsOver', { time: when(families, zone) });
}
