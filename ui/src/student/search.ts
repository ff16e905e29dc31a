import type { Course } from '../api/client';

/** How well a course matches all the words: 0 not at all, 3 by its title or code. A letter may be wrong in a longer word. */
export function matches(course: Course, words: string[]): number {
  const strong = `${course.title} ${course.code}`.toLowerCase().split(/[^\p{L}\p{N}]+/u);
  const weak = `${course.subjects.join(' ')} ${(course.tags ?? []).join(' ')} ${course.description ?? ''}`.toLowerCase().split(/[^\p{L}\p{N}]+/u);
  let worst = 3;
  for (const word of words) {
    let best = 0;
    if (strong.some((s) => s.startsWith(word))) best = 3;
    else if (weak.some((s) => s.startsWith(word))) best = 2;
    else if (word.length > 3 && [...strong, ...weak].some((s) => near(s.slice(0, word.length + 1), word))) best = 1;
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
