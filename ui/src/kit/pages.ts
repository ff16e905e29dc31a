import type { useTranslation } from 'react-i18next';

type T = ReturnType<typeof useTranslation>['t'];

/** The pages of a counselor. */
export const counselorPages = (t: T) => [
  { to: '/', label: t('nav.caseload') },
  { to: '/prepare', label: t('nav.prepare') },
  { to: '/paper', label: t('nav.paper') },
];

/** The pages of the school office. */
export const officePages = (t: T) => [
  ...counselorPages(t),
  { to: '/demand', label: t('desks.demand') },
  { to: '/sections', label: t('desks.sections') },
  { to: '/placement', label: t('desks.placement') },
  { to: '/rules', label: t('rules.nav') },
  { to: '/catalog', label: t('courses.nav') },
  { to: '/data', label: t('data.nav') },
  { to: '/people', label: t('people.nav') },
];
