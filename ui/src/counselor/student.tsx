import { type ReactNode, lazy, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, Route, Router, Switch, useLocation } from 'wouter';
import { type Person, type Place, useCatalog, useSheet } from '../api/client';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { Header } from '../kit/header';
import { Late } from '../kit/late';
import { staffPages } from '../kit/pages';
import { type Book, bookOf, statusWords } from '../shared/words';
import { Done } from './done';
import { useCaseload } from '../api/desks';
import { Letters } from './letters';
import { searchOf, useListed, usePosition } from './listed';
import { StaffViews } from './staffviews';
import { Panel } from './panel';
import { Family, OnRecord } from './record';
import { BulkAct } from './bulkact';
import '../shared/staff';

const Student = lazy(() => import('../student/student'));
const ChangePage = lazy(() => import('./change'));
const OnePage = lazy(() => import('../student/onepage'));

/** One student for anyone who decides: on one page, or the sheet as the family works on it, each act with a reason. */
export default function StudentDesk({ person, student }: { person: Person; student: string }) {
  const { t } = useTranslation();
  const [reason, setReason] = useState('');
  const place = useMemo(() => ({ school: person.school, year: person.year, student }), [person.school, person.year, student]);
  const bar = (
    <label className="no-print flex flex-wrap items-center gap-2 border-b border-line bg-wash px-4 py-1.5 desk:px-6">
      <span>{t('file.instead')}</span>
      <input
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        maxLength={1000}
        placeholder={t('file.why')}
        aria-label={t('file.why')}
        className="min-h-8 min-w-60 flex-1 rounded border border-edge bg-card px-2 placeholder:text-soft max-desk:min-h-11"
      />
    </label>
  );
  const base = `/student/${encodeURIComponent(student)}`;
  return (
    <Switch>
      <Route path={`${base}/sheet/*?`}>
        <Router base={`${base}/sheet`}>
          <Late fallback={<Loading />}>
            <Student place={place} back={{ to: `~${base}`, label: t('file.back') }} by={{ reason: reason.trim(), bar }} />
          </Late>
        </Router>
      </Route>
      <Route path={`${base}/changes`}>
        <Late fallback={<Loading />}>
          <ChangePage person={person} place={place} />
        </Late>
      </Route>
      <Route>
        <File person={person} place={place} reason={reason.trim()} bar={bar} base={base} />
      </Route>
    </Switch>
  );
}

/** The acts, with the place of the student in the list of the caseload that the address names; the next one is that list's. */
function PanelInList({ person, book, place }: { person: Person; book: Book; place: Place }) {
  const { t } = useTranslation();
  const [, go] = useLocation();
  const { filter } = useListed(person);
  const list = searchOf(person, filter);
  const { position, count, next } = usePosition(useCaseload(place, filter).data?.students ?? [], place.student);
  return (
    <>
      <p className="mb-1">
        <Link href={`/?${list}`} className="inked-link">
          {t('panel.toList')}
        </Link>
      </p>
      <Panel
        book={book}
        place={place}
        short
        position={position}
        count={count}
        onNext={next ? () => go(`/student/${encodeURIComponent(next)}?${list}`) : undefined}
      />
    </>
  );
}

function File({ person, place, reason, bar, base }: { person: Person; place: Place; reason: string; bar: ReactNode; base: string }) {
  const { t } = useTranslation();
  const [, go] = useLocation();
  const { given } = useListed(person);
  const catalog = useCatalog(place);
  const sheet = useSheet(place);
  const error = catalog.error ?? sheet.error;
  if (error && !sheet.data) return <Refusal text={errorWords(t, error)} />;
  if (!catalog.data || !sheet.data) return <Loading />;
  const book = bookOf(catalog.data);
  const s = sheet.data;
  const { state, next } = statusWords(t, s);
  return (
    <>
      <Header pages={staffPages(t, person)} where={t('header.schoolYear', { school: book.catalog.name, year: book.catalog.label })}>
        <span data-testid="status">
          <b className="font-semibold text-ink">{state}</b> · {next}
        </span>
      </Header>
      {s.acts.edit.allowed && bar}
      <main id="page" className="px-4 pt-3 pb-16 desk:px-6">
        <h1 className="mb-2">{t('file.head', { name: `${s.student.given} ${s.student.family}`, grade: s.student.grade })}</h1>
        {(s.status.seats ?? s.placed) && (
          <p className="mb-2 flex gap-x-4">
            {s.status.seats && (
              <Link href={`${base}/sheet/seats`} className="inked-link">
                {t('choosing.nav')}
              </Link>
            )}
            <Link href={`${base}/changes`} className="inked-link">
              {t('change.link')}
            </Link>
          </p>
        )}
        <Late fallback={<Loading />}>
          <OnePage
            place={place}
            reason={reason}
            onFind={() => go(`${base}/sheet/`)}
            history={t('panel.history')}
            beside={
              <section aria-label={t('file.decide')} className="min-w-0 desk:border-s desk:border-line desk:ps-6">
                {given ? <PanelInList person={person} book={book} place={place} /> : <Panel book={book} place={place} short />}
              </section>
            }
            left={<OnRecord book={book} place={place} decides={s.acts.decide.allowed} version={s.version} />}
            right={
              <>
                <Family place={place} sheet={s} />
                {s.acts.decide.allowed && (
                  <div className="mt-6">
                    <BulkAct
                      at={place}
                      book={book}
                      students={[{ ...s.student, version: s.version }]}
                      kinds={['assign', 'takeOff', 'exempt', 'permit', 'place', 'waive', 'record', 'remind']}
                      head={t('file.more')}
                    />
                  </div>
                )}
                {s.acts.decide.allowed && <Letters place={place} />}
                {s.acts.decide.allowed && <StaffViews place={place} />}
                <section className="mt-6" aria-label={t('prepare.before')}>
                  <h2 className="mb-1 font-semibold">{t('prepare.before')}</h2>
                  <Done at={place} book={book} student={place.student} />
                </section>
              </>
            }
          />
        </Late>
      </main>
    </>
  );
}
