import type { useTranslation } from 'react-i18next';
import type { Person } from '../api/client';

type T = ReturnType<typeof useTranslation>['t'];

/** The pages of a counselor, and those that the school office has besides. */
export const staffPages = (t: T, person: Person) => [
  { to: '/', label: t('nav.caseload') },
  ...(person.seats ? [{ to: '/seats', label: t('choosing.nav') }] : []),
  { to: '/prepare', label: t('nav.prepare') },
  { to: '/paper', label: t('nav.paper') },
  ...(person.job === 'office'
    ? [
        { to: '/demand', label: t('desks.demand') },
        { to: '/sections', label: t('desks.sections') },
        { to: '/placement', label: t('desks.placement') },
        { to: '/rules', label: t('rules.nav') },
        { to: '/catalog', label: t('courses.nav') },
        { to: '/data', label: t('data.nav') },
        { to: '/people', label: t('people.nav') },
      ]
    : []),
];
