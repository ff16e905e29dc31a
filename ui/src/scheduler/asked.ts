import type { TFunction } from 'i18next';
import type { components } from '../api/schema.gen';

export type Demand = components['schemas']['DemandView'];
export type Asked = components['schemas']['DemandCourse'];

/** What there is to say of a course in a few words. */
export function noteOf(t: TFunction, c: Asked) {
  const said = [];
  if (c.stopped) said.push(t('demand.note.stopped', { reason: c.stopped.reason }));
  else if (c.over) said.push(t('demand.note.over', { count: c.over }));
  if (c.uncovered) said.push(t('demand.note.uncovered', { count: c.uncovered }));
  if (c.stepIn) said.push(t('demand.note.stepIn', { count: c.stepIn }));
  return said.join(' ');
}
