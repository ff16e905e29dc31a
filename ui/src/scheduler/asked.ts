import type { TFunction } from 'i18next';
import type { components } from '../api/schema.gen';

export type Demand = components['schemas']['DemandView'];
export type Asked = components['schemas']['DemandCourse'];

/** How many sections are planned of a course: what was set, else as many as it takes. */
export const planOf = (c: Asked) => (c.stopped ? 0 : (c.plan ?? c.needed));

/** What there is to say of a course in a few words. */
export function noteOf(t: TFunction, c: Asked, d: Demand) {
  const over = c.requests - planOf(c) * d.size;
  const said = [];
  if (c.stopped) said.push(t('demand.note.stopped', { reason: c.stopped.reason }));
  else if (over > 0) said.push(t('demand.note.over', { count: over }));
  if (c.uncovered) said.push(t('demand.note.uncovered', { count: c.uncovered }));
  if (c.stepIn) said.push(t('demand.note.stepIn', { count: c.stepIn }));
  return said.join(' ');
}
