import { hydrate, useQueryClient } from '@tanstack/react-query';
import { lazy, useEffect, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Router, useLocation } from 'wouter';
import { ApiError, type Me, type Person, setLanguage, useMe } from './api/client';
import { shown } from './api/kept';
import { closest, ownLanguage, picked, remember, speak, unread } from './i18n';
import { Loading } from './kit/controls';
import { Late } from './kit/late';
import { Header, type Place, Places } from './kit/header';
import { Unread } from './shared/unread';

const SignIn = lazy(() => import('./signin'));
const SecondStep = lazy(() => import('./passkeys').then((m) => ({ default: m.SecondStep })));
const Student = lazy(() => import('./student/student'));
const Family = lazy(() => import('./family/family'));
const Counselor = lazy(() => import('./counselor/caseload'));
const StudentDesk = lazy(() => import('./counselor/student'));
const Paper = lazy(() => import('./counselor/pages'));
const Prepare = lazy(() => import('./counselor/prepare'));
const ChoosingPage = lazy(() => import('./counselor/choosing'));
const DemandPage = lazy(() => import('./scheduler/demand'));
const SectionsPage = lazy(() => import('./scheduler/sections'));
const PlacementPage = lazy(() => import('./scheduler/placement'));
const Nowhere = lazy(() => import('./teacher/nowhere'));
const StaffHead = lazy(() => import('./shared/staffhead'));
const Rules = lazy(() => import('./office/rules'));
const Courses = lazy(() => import('./office/catalog'));
const People = lazy(() => import('./office/people'));
const Data = lazy(() => import('./office/data'));
const Classes = lazy(() => import('./teacher/classes'));
const Tryouts = lazy(() => import('./teacher/tryouts'));
const Account = lazy(() => import('./account'));

/** A place with whom of a person's parts in schools it is for. */
interface Desk extends Place {
  job: Person['job'];
  persons: Person[];
}

/** What someone comes for: all children in one place, everything else by school. */
function desksOf(t: ReturnType<typeof useTranslation>['t'], me: Me): Desk[] {
  const family = me.persons.filter((p) => p.job === 'family');
  const desks: Desk[] = family.length ? [{ key: 'family', label: t('header.family'), job: 'family', persons: family }] : [];
  for (const p of me.persons) {
    if (p.job === 'family') continue;
    const label = t('header.desk', { job: t(`header.job.${p.job}`), school: p.name });
    desks.push({ key: `${p.job}-${encodeURIComponent(p.school)}`, label, job: p.job, persons: [p] });
  }
  return desks;
}

export function App() {
  const me = useMe();
  const [spoken, setSpoken] = useState(false);
  // The language is the person's own: what they chose, else what the school has of them, else the browser's.
  const chosen = me.data && (me.data.language || (me.data.username && me.data.persons.find((p) => p.language)?.language));
  useEffect(() => {
    if (me.isPending) return;
    const tag = picked.read() ?? (chosen ? closest([chosen]) : ownLanguage());
    if (chosen) remember(tag);
    void speak(tag).finally(() => setSpoken(true));
  }, [me.isPending, chosen]);
  const entered = !!me.data?.username && !me.data.once && !me.data.second;
  useEffect(() => {
    const tag = picked.read();
    if (entered && tag)
      void setLanguage(tag)
        .catch(() => undefined) // this browser remembers it even so
        .finally(picked.forget);
  }, [entered]);
  // Without the network, and only in the window that was open before, there is what was last shown.
  const client = useQueryClient();
  const lost = me.error instanceof ApiError && me.error.code === 'offline' && !me.data;
  useEffect(() => {
    const state = lost ? shown.read() : null;
    if (state) hydrate(client, JSON.parse(state));
  }, [lost, client]);
  const nobody = me.data && !me.data.username;
  useEffect(() => {
    if (nobody) shown.forget();
  }, [nobody]);
  if (!spoken || (lost && shown.read() !== null)) return <Loading />;
  if (!me.data) return <Unread of={[me]} />;
  if (!me.data.username)
    return (
      <Late fallback={<Loading />}>
        <SignIn />
      </Late>
    );
  if (me.data.once)
    return (
      <Places.Provider value={{ all: [], here: undefined, signedIn: true }}>
        <Late fallback={<Loading />}>
          <Header pages={[]} />
          <Account once />
        </Late>
      </Places.Provider>
    );
  if (me.data.second)
    return (
      <Places.Provider value={{ all: [], here: undefined, signedIn: true }}>
        <Late fallback={<Loading />}>
          <Header pages={[]} />
          <SecondStep kind={me.data.second} />
        </Late>
      </Places.Provider>
    );
  return <SignedIn me={me.data} />;
}

function SignedIn({ me }: { me: Me }) {
  const { t, i18n } = useTranslation();
  const [at, go] = useLocation();
  const desks = useMemo(() => desksOf(t, me), [t, me]);
  const wanted = /^\/d\/([^/]+)/.exec(at)?.[1];
  const here = desks.find((d) => d.key === wanted) ?? desks[0];
  const many = desks.length > 1;
  // What is still English in a language that families and students alone have is read from the left.
  const english = unread.includes(i18n.language) && at !== '/account' && here?.job !== 'family' && here?.job !== 'student';
  useEffect(() => {
    document.documentElement.dir = english ? 'ltr' : i18n.dir();
  }, [english, i18n, i18n.language]);
  useEffect(() => {
    if (here && many && here.key !== wanted && at === '/') go(`/d/${here.key}`, { replace: true });
    // A link that a child sends leads there, whatever else the parent comes for.
    if (many && !wanted && at.startsWith('/child/') && desks[0]?.job === 'family') go(`/d/family${at}${window.location.search}`, { replace: true });
    if (wanted && (!many || here?.key !== wanted)) go('/', { replace: true });
  }, [at, desks, go, here, many, wanted]);
  return (
    <Places.Provider value={{ all: desks, here: at === '/account' ? undefined : here?.key, signedIn: true }}>
      <Late fallback={<Loading />}>
        {at === '/account' ? (
          <>
            <Header pages={[{ to: '/', label: t('nav.back') }]} />
            <Account />
          </>
        ) : (
          <Router base={many && here ? `/d/${here.key}` : ''} key={here?.key}>
            <DeskOf desk={here} />
          </Router>
        )}
      </Late>
    </Places.Provider>
  );
}

function DeskOf({ desk }: { desk: Desk | undefined }) {
  const username = useMe().data?.username ?? '';
  const [at] = useLocation();
  const person = desk?.persons[0];
  if (desk?.job === 'family') return <Family persons={desk.persons} />;
  if (desk?.job === 'student' && person) return <Student place={{ school: person.school, year: person.year, student: person.id }} />;
  if (desk?.job === 'office' && person && ['/people', '/data', '/rules', '/catalog', '/demand', '/sections', '/placement'].includes(at))
    return (
      <>
        <StaffHead person={person} />
        {office(at, person)}
      </>
    );
  const student = /^\/student\/([^/]+)/.exec(at)?.[1];
  if ((desk?.job === 'counselor' || desk?.job === 'office') && person && student)
    return <StudentDesk key={student} person={person} student={decodeURIComponent(student)} />;
  if ((desk?.job === 'counselor' || desk?.job === 'office') && person && at === '/paper') return <Paper person={person} />;
  if ((desk?.job === 'counselor' || desk?.job === 'office') && person && at === '/seats') return <ChoosingPage person={person} />;
  if ((desk?.job === 'counselor' || desk?.job === 'office') && person && at === '/prepare') return <Prepare person={person} />;
  if ((desk?.job === 'counselor' || desk?.job === 'office') && person) return <Counselor person={person} />;
  if (desk?.job === 'teacher' && person && at === '/tryouts') return <Tryouts person={person} />;
  if (desk?.job === 'teacher' && person) return <Classes person={person} />;
  return <Nowhere person={person} username={username} />;
}

/** A page of the office. */
function office(at: string, person: Person) {
  switch (at) {
    case '/demand':
      return <DemandPage at={person} />;
    case '/sections':
      return <SectionsPage at={person} />;
    case '/placement':
      return <PlacementPage at={person} />;
    case '/data':
      return <Data at={person} />;
    case '/rules':
      return <Rules at={person} />;
    case '/catalog':
      return <Courses at={person} />;
    default:
      return <People at={person} />;
  }
}
