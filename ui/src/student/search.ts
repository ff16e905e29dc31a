import type { Course } from '../api/client';
import { fold } from '../kit/fold';
import type { Book } from '../shared/words';

/** A text without accents, in small letters, as words. */
const wordsOf = (text: string) =>
  fold(text)
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/** What is searched of a course: its title and code, everyday words for it, and the rest: subjects, tags, rules that count it, who teaches it. */
interface Index {
  title: string[];
  words: string[];
  rest: string[];
}

const indexes = new WeakMap<Course, Index>();

function indexOf(book: Book, course: Course): Index {
  let have = indexes.get(course);
  if (!have) {
    have = {
      title: wordsOf(`${course.title} ${course.code}`),
      words: wordsOf((course.words ?? []).join(' ')),
      rest: wordsOf(
        [...course.subjects, ...(course.tags ?? []), ...(course.teachers ?? []), ...ruleLabels(book, course.code), course.description ?? ''].join(' '),
      ),
    };
    indexes.set(course, have);
  }
  return have;
}

/** The rules that count a course and not every course. */
const ruleLabels = (book: Book, course: string) => book.catalog.rules.filter((r) => r.courses.includes(course)).map((r) => r.label);

export const queryOf = (text: string) => wordsOf(text);

/**
 * How well a course matches all the words: 0 not at all; the more the better: by its title or code, by an everyday word, by the
 * beginning of a word elsewhere, and last by a word of its title with one slip, which is forgiven in words of five letters and more.
 */
export function matches(book: Book, course: Course, words: string[]): number {
  const { title, words: everyday, rest } = indexOf(book, course);
  let worst = 5;
  for (const word of words) {
    let best = 0;
    if (title.includes(word)) best = 5;
    else if (title.some((s) => s.startsWith(word))) best = 4;
    else if (everyday.some((s) => s.startsWith(word))) best = 3;
    else if (rest.some((s) => s.startsWith(word))) best = 2;
    else if (word.length > 4 && [...title, ...everyday].some((s) => near(s.slice(0, word.length + 1), word))) best = 1;
    worst = Math.min(worst, best);
  }
  return worst;
}

/** Whether two words differ by at most one letter added, left out, changed or swapped with its neighbour. */
function near(a: string, b: string): boolean {
  if (Math.abs(a.length - b.length) > 1) return false;
  let i = 0;
  while (i < a.length && i < b.length && a[i] === b[i]) i++;
  const rest = (x: number, y: number) => a.slice(i + x).startsWith(b.slice(i + y)) || b.slice(i + y) === a.slice(i + x);
  return rest(1, 1) || rest(1, 0) || rest(0, 1) || (a[i] === b[i + 1] && a[i + 1] === b[i] && rest(2, 2));
}
