import type { Entry } from '../api/client';

/** The change that moves a course up or down in its list. */
export function reordered(entries: Entry[], list: 'requests' | 'alternates', course: string, by: number) {
  const order = entries.map((e) => e.course);
  const at = order.indexOf(course);
  const to = Math.min(order.length - 1, Math.max(0, at + by));
  order.splice(at, 1);
  order.splice(to, 0, course);
  return { act: 'order' as const, list, order };
}
