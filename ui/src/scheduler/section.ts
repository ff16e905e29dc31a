import type { components } from '../api/schema.gen';

export type Schedule = components['schemas']['ScheduleView'];
export type Section = components['schemas']['SectionView'];
export type Want = components['schemas']['SectionFields'];

/** A section as it would be wanted again. */
export const plain = ({ course, title, terms, periods, days, seats, teacher, room }: Section): Want => ({
  course,
  title,
  terms,
  periods,
  days,
  seats,
  teacher,
  room,
});

/** A section some periods later, or none where the day ends. */
export function shifted(x: Section, by: number, last: number): Want | undefined {
  const periods = x.periods.map((p) => p + by);
  return periods.length > 0 && periods.every((p) => p >= 1 && p <= last) ? { ...plain(x), periods } : undefined;
}
