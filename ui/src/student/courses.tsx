import { useCallback, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation } from 'wouter';
import { join } from '../shared/words';
import type { Desk, Filter } from './desk';
import { Finder } from './finder';
import './laterwords';

const nothing = () => undefined;

/** The catalog at full width: every course in a line with what it would do, and up to three put side by side. */
export default function CoursesPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const { book } = desk;
  const [, go] = useLocation();
  const [filter, setFilter] = useState<Filter>({});
  const [chosen, setChosen] = useState<string[]>([]);
  const search = useRef<HTMLInputElement>(null);
  const toggle = useCallback(
    (course: string) => setChosen((list) => (list.includes(course) ? list.filter((x) => x !== course) : [...list, course].slice(0, 3))),
    [],
  );
  const [first, ...others] = chosen;
  return (
    <main id="page" className="px-4 pt-3 pb-10 desk:px-6">
      <h1 className="mb-2">{t('page.all', { count: book.catalog.courses.length })}</h1>
      <Finder
        desk={desk}
        filter={filter}
        onFilter={setFilter}
        onOpen={(course) => go(`/course/${encodeURIComponent(course)}`)}
        onPoint={nothing}
        search={search}
        compare={{ chosen, toggle }}
      />
      {first && (
        <p role="status" className="no-print sticky bottom-0 flex flex-wrap items-center gap-x-4 border-t border-line bg-paper py-2">
          <span>{t('page.chosen', { courses: join(t, chosen.map(book.title)) })}</span>
          {others.length > 0 && (
            <Link className="inked-link" href={`/course/${encodeURIComponent(first)}?with=${others.map(encodeURIComponent).join(',')}`}>
              {t('page.beside')}
            </Link>
          )}
          <button type="button" className="min-h-7 text-soft inked-link" onClick={() => setChosen([])}>
            {t('page.noneChosen')}
          </button>
        </p>
      )}
    </main>
  );
}
