import { useDeferredValue, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { useLocation, useSearch } from 'wouter';
import { type Person, useCatalog } from '../api/client';
import { type CaseRow, type Filter, useCaseload } from '../api/desks';
import { Header } from '../kit/header';
import { staffPages } from '../kit/pages';
import { Unread } from '../unread';
import { bookOf } from '../words';
import { Filters, Flow } from './filters';
import { Panel } from './panel';
import { Rows } from './rows';
import { Together } from './together';
import '../kit/staff';

const keys = ['all', 'stage', 'reason', 'grade', 'program', 'course', 'counselor', 'text'] as const;

/** The students of a caseload by what they wait for, with one of them beside, or what is done with all of them. */
export default function Counselor({ person }: { person: Person }) {
  const { t } = useTranslation();
  const search = useSearch();
  const [path, go] = useLocation();
  const at = useMemo(() => ({ school: person.school, year: person.year }), [person]);
  // What is chosen stands in the address, so that it can be kept, sent and gone back to; with nothing chosen it is who waits for the school.
  const filter = useMemo<Filter>(() => {
    const given = new URLSearchParams(search);
    const out: Filter = person.job === 'office' ? { all: 'true' } : {};
    for (const key of keys) {
      const value = given.get(key);
      if (value) out[key] = value;
    }
    if (!keys.some((key) => key !== 'all' && given.get(key))) out.stage = 'waiting';
    if (out.stage === 'any') delete out.stage;
    return out;
  }, [search, person.job]);
  const set = (change: Filter) => {
    const next = new URLSearchParams();
    const merged = { ...filter, ...change };
    if (merged.text && change.text) delete merged.stage;
    for (const key of keys) if (merged[key] && !(key === 'all' && person.job === 'office')) next.set(key, merged[key]);
    if (!merged.stage) next.set('stage', 'any');
    go(`${path}?${next}`, { replace: true });
    setStudent(undefined);
    setTogether(undefined);
  };
  const deferred = useDeferredValue(filter);
  const caseload = useCaseload(at, deferred);
  const catalog = useCatalog(at);
  const [student, setStudent] = useState<string>();
  const [together, setTogether] = useState<{ rows: CaseRow[]; about?: string }>();

  if (!caseload.data || !catalog.data) return <Unread of={[catalog, caseload]} />;
  const book = bookOf(catalog.data);
  const { counts, students } = caseload.data;
  const count = (stage: string) => counts.stages.find((s) => s.id === stage)?.students ?? 0;
  const current = together ? undefined : (student ?? students[0]?.id);
  return (
    <div className="flex min-h-screen flex-col desk:h-screen">
      <Header pages={staffPages(t, person)} where={t('header.schoolYear', { school: catalog.data.name, year: catalog.data.label })}>
        <b className="font-semibold text-ink">{caseload.data.name}</b>
      </Header>
      <main id="page" className="flex min-h-0 flex-1 flex-col px-4 desk:px-6">
        <h1 className="mt-3 mb-2">
          {count('waiting') ? t('caseload.head', { count: count('waiting') }) : t('caseload.headNone')}{' '}
          {count('complete') > 0 && t('caseload.clear', { count: count('complete') })}
        </h1>
        <Flow counts={counts.stages} stage={filter.stage} onStage={(stage) => set({ stage, reason: undefined, text: undefined })} />
        <div className="grid min-h-0 flex-1 border-t border-line desk:grid-cols-[37rem_1fr]">
          <section className="flex min-h-0 flex-col desk:border-e desk:border-line" aria-label={t('caseload.students')}>
            <Filters at={at} book={book} caseload={caseload.data} filter={filter} office={person.job === 'office'} onFilter={set} />
            <Rows
              book={book}
              rows={students}
              stage={filter.stage}
              reason={filter.reason}
              current={current}
              coming={deferred !== filter || caseload.isPlaceholderData}
              onStudent={(id) => {
                setStudent(id);
                setTogether(undefined);
                if (window.innerWidth < 1024) document.getElementById('student')?.scrollIntoView();
              }}
              onTogether={(rows, about) => setTogether({ rows, about })}
            />
          </section>
          <section id="student" className="min-h-0 overflow-y-auto pt-3 pb-6 desk:ps-5" tabIndex={-1}>
            {together ? (
              <Together
                at={at}
                book={book}
                students={together.rows}
                kinds={['clear', 'remind', 'sendBack', 'assign', 'takeOff', 'exempt', 'permit', 'waive']}
                first={together.rows.every((r) => r.stage === 'complete') ? 'clear' : 'remind'}
                about={together.about}
                onClose={() => setTogether(undefined)}
              />
            ) : current ? (
              <Panel
                key={current}
                book={book}
                place={{ ...at, student: current }}
                onNext={() => setStudent((students[students.findIndex((r) => r.id === current) + 1] ?? students[0])?.id)}
              />
            ) : (
              <p className="text-soft">{t('caseload.empty')}</p>
            )}
          </section>
        </div>
      </main>
    </div>
  );
}
