import type { useTranslation } from 'react-i18next';

/** The pages of the school office. */
export const officePages = (t: ReturnType<typeof useTranslation>['t']) => [
  { to: '/', label: t('nav.caseload') },
  { to: '/data', label: t('data.nav') },
  { to: '/people', label: t('people.nav') },
];
