import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import type { PathStop, PathView, Planning } from '../api/client';
import { Button, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { join } from '../shared/words';
import { amount } from '../kit/format';
import { SubjectTab } from '../kit/marks';
import { SearchField } from '../kit/searchfield';
import { matches, queryOf } from './search';
import type { Desk } from './desk';

type Plan = (body: Omit<Planning, 'version'>) => void;

const gradesOf = (view: PathView) => Array.from({ length: Math.max(0, view.last - view.grade) }, (_, i) => view.grade + 1 + i);

/** One course of the way: where it leads, and, where it is planned, moving it and taking it off. */
export function StopDialog(props: { desk: Desk; view: PathView; stop: PathStop; trouble: string; busy: boolean; onPlan: Plan; onClose: () => void }) {
  const { t } = useTranslation();
  const { desk, view, stop } = props;
  const c = desk.book.course(stop.course);
  return (
    <Dialog open onClose={props.onClose} title={stop.title ?? desk.book.title(stop.course)}>
      <p className="text-soft">
        {[
          stop.course,
          amount(stop.credits),
          t(`standing.${stop.state}`, { grade: stop.grade }),
          stop.mark !== undefined && t('route.mark', { mark: amount(stop.mark) }),
          stop.grade < view.grade && t('path.grade', { grade: stop.grade }),
        ]
          .filter(Boolean)
          .join(' · ')}
      </p>
      {props.trouble && <p className="mt-2 text-ochre">{props.trouble}</p>}
      {c?.description && <p className="mt-2">{c.description}</p>}
      {c && (
        <p className="mt-2 text-soft">{c.leadsTo?.length ? t('course.leads', { courses: join(t, c.leadsTo.map(desk.book.title)) }) : t('path.leadsNowhere')}</p>
      )}
      {c && (
        <p className="mt-2">
          <Link href={`/course/${encodeURIComponent(stop.course)}`} className="inked-link">
            {t('page.open')}
          </Link>
        </p>
      )}
      {stop.state === 'planned' && view.act.allowed && (
        <div className="mt-3 flex flex-wrap gap-2">
          {gradesOf(view)
            .filter((g) => g !== stop.grade)
            .map((g) => (
              <Button key={g} disabled={props.busy} onClick={() => props.onPlan({ act: 'move', course: stop.course, from: stop.grade, grade: g })}>
                {t('path.move', { grade: g })}
              </Button>
            ))}
          <Button disabled={props.busy} onClick={() => props.onPlan({ act: 'remove', course: stop.course, from: stop.grade })}>
            {t('path.remove')}
          </Button>
        </div>
      )}
    </Dialog>
  );
}

/** Courses that could be planned, for one requirement or at all, each for the grades from the first in which it could be taken. */
export function PlanDialog(props: {
  desk: Desk;
  view: PathView;
  label?: string;
  options?: number[];
  busy: boolean;
  error?: string;
  onPlan: Plan;
  onClose: () => void;
}) {
  const { t } = useTranslation();
  const { desk, view } = props;
  const { book } = desk;
  const [text, setText] = useState('');
  const list = useMemo(() => {
    const words = queryOf(text);
    return view.options
      .map((option, n) => ({ ...option, n, c: book.course(option.course) }))
      .filter(({ n }) => !props.options || props.options.includes(n))
      .map((option) => ({ ...option, relevance: option.c && words.length ? matches(book, option.c, words) : 1 }))
      .filter(({ c, relevance }) => c && relevance > 0)
      .sort((a, b) => b.relevance - a.relevance || book.title(a.course).localeCompare(book.title(b.course)));
  }, [text, view, book, props.options]);
  return (
    <Dialog open onClose={props.onClose} title={props.label ? t('path.addTo', { label: props.label }) : t('path.addTitle')}>
      <SearchField label={t('finder.label')} hint={t('finder.placeholder')} value={text} onChange={setText} className="mb-2 min-h-9 w-full" />
      <Refusal text={props.error} />
      <p role="status" className="text-sm text-soft">
        {list.length === 0 ? t('path.nothing') : t('finder.count', { count: list.length })}
      </p>
      <ul>
        {list.map(({ course, grades, c }) => (
          <li key={course} className="border-t border-line py-1.5">
            <span className="flex items-center gap-1">
              <SubjectTab subject={c?.subject ?? ''} />
              <Link href={`/course/${encodeURIComponent(course)}`} className="font-semibold inked-link">
                {book.title(course)}
              </Link>
              <span className="text-sm text-soft">· {amount(c?.credits ?? 0)}</span>
              <span className="ms-auto flex gap-1">
                {grades.map((g) => (
                  <button
                    key={g}
                    type="button"
                    disabled={props.busy}
                    aria-label={t('path.planFor', { course: book.title(course), grade: g })}
                    className="min-h-8 rounded border border-edge px-2 text-sm hover:bg-wash"
                    onClick={() => props.onPlan({ act: 'add', course, grade: g })}
                  >
                    {t('path.grade', { grade: g })}
                  </button>
                ))}
              </span>
            </span>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
