import { useDeferredValue, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation } from 'wouter';
import { type Person, type Year, useCatalog } from '../api/client';
import { type CaseRow, type Caseload, type Filter, useCaseload } from '../api/desks';
import { useChoosing, waitsForLook } from '../api/seats';
import { Header } from '../kit/header';
import { staffPages } from '../kit/pages';
import { Unread } from '../shared/unread';
import { bookOf } from '../shared/words';
import { Filters, Flow } from './filters';
import { searchOf, useListed, usePosition } from './listed';
import { Panel } from './panel';
import { Rows } from './rows';
import { BulkAct } from './bulkact';
import '../shared/staff';

/** What waits for the reader in the whole caseload, whatever is chosen of it below. */
function Head({ counts, looks }: { counts: Caseload['counts']; looks: number }) {
  const { t } = useTranslation();
  return (
    <h1 className="mt-3 mb-2">
      {counts.waiting ? t('caseload.head', { count: counts.waiting }) : looks ? '' : t('caseload.headNone')}{' '}
      {counts.ready > 0 && t('caseload.clear', { count: counts.ready })}{' '}
      {looks > 0 && (
        <Link href="/seats" className="inked-link">
          {t('caseload.looks', { count: looks })}
        </Link>
      )}
    </h1>
  );
}

/** With those who have chosen sections and wait for the reader's look. */
function HeadWithSeats({ at, counts }: { at: Year; counts: Caseload['counts'] }) {
  const choosing = useChoosing(at);
  return <Head counts={counts} looks={choosing.data?.filter(waitsForLook).length ?? 0} />;
}

/** The students of a caseload by what they wait for, with one of them beside, or what is done with all of them. */
export default function Counselor({ person }: { person: Person }) {
  const { t } = useTranslation();
  const [path, go] = useLocation();
  const at = useMemo(() => ({ school: person.school, year: person.year }), [person]);
  const { filter } = useListed(person);
  const set = (change: Filter) => {
    const merged = { ...filter, ...change };
    if (merged.text && change.text) delete merged.stage;
    go(`${path}?${searchOf(person, merged)}`, { replace: true });
    setStudent(undefined);
    setTogether(undefined);
  };
  const deferred = useDeferredValue(filter);
  const caseload = useCaseload(at, deferred);
  const catalog = useCatalog(at);
  const [student, setStudent] = useState<string>();
  const [together, setTogether] = useState<{ rows: CaseRow[]; about?: string }>();

  const list = caseload.data?.students ?? [];
  const current = together ? undefined : (student ?? list[0]?.id);
  const { position, count, next } = usePosition(list, current);
  // Who is shown stays until another is chosen, also where they leave the list by what is done.
  if (current && current !== student && deferred === filter && !caseload.isPlaceholderData) setStudent(current);

  if (!caseload.data || !catalog.data) return <Unread of={[catalog, caseload]} />;
  const book = bookOf(catalog.data);
  const { counts, students } = caseload.data;
  return (
    <div className="flex min-h-screen flex-col desk:h-screen">
      <Header pages={staffPages(t, person)} where={t('header.schoolYear', { school: catalog.data.name, year: catalog.data.label })}>
        <b className="font-semibold text-ink">{caseload.data.name}</b>
      </Header>
      <main id="page" className="flex min-h-0 flex-1 flex-col px-4 desk:px-6">
        {person.seats ? <HeadWithSeats at={at} counts={counts} /> : <Head counts={counts} looks={0} />}
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
              <BulkAct
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
                list={searchOf(person, filter)}
                position={position}
                count={count}
                onNext={next ? () => setStudent(next) : undefined}
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
