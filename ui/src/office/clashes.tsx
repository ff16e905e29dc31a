import type { ReactNode } from 'react';
import { useTranslation } from 'react-i18next';

/** What is edited here and has been put in force otherwise by someone else in the meantime, each to be given up for theirs. */
export function Clashes({ list }: { list: { name: string; says: ReactNode; onTheirs: () => void }[] }) {
  const { t } = useTranslation();
  if (list.length === 0) return null;
  return (
    <section className="mb-4" aria-label={t('courses.clashes')}>
      <h2 className="font-semibold">{t('courses.clashes')}</h2>
      <ul>
        {list.map((c) => (
          <li key={c.name} className="border-t border-line py-1 text-sm">
            <b className="font-semibold">{c.name}</b> {c.says}{' '}
            <button type="button" className="min-h-6 inked-link" onClick={c.onTheirs}>
              {t('courses.takeTheirs')}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
