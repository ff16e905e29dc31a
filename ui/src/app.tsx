import { Suspense, lazy } from 'react';
import { useTranslation } from 'react-i18next';
import { useLocation } from 'wouter';
import { ApiError, type Person, useMe } from './api/client';
import { errorWords } from './errors';
import { Button, Loading } from './kit/controls';
import { Header, officePages } from './kit/header';
import { SignIn } from './signin';

const Student = lazy(() => import('./student/student'));
const Family = lazy(() => import('./family/family'));
const Counselor = lazy(() => import('./counselor/caseload'));
const People = lazy(() => import('./office/people'));
const Account = lazy(() => import('./account'));

export function App() {
  const me = useMe();
  const { t } = useTranslation();
  const [at] = useLocation();
  if (me.isPending) return <Loading />;
  if (me.error instanceof ApiError && me.error.code === 'not-signed-in') return <SignIn />;
  if (me.error)
    return (
      <main className="p-6">
        <p role="alert">{errorWords(t, me.error)}</p>
        <Button className="mt-3" onClick={() => void me.refetch()}>
          {t('error.retry')}
        </Button>
      </main>
    );
  const person = me.data.persons[0];
  return (
    <Suspense fallback={<Loading />}>
      {at === '/account' ? (
        <>
          <Header pages={[{ to: '/', label: t('nav.back') }]} />
          <Account />
        </>
      ) : person?.job === 'office' && at === '/people' ? (
        <>
          <Header pages={officePages(t)} />
          <People at={person} />
        </>
      ) : person?.job === 'student' ? (
        <Student person={person} />
      ) : person?.job === 'family' ? (
        <Family persons={me.data.persons} />
      ) : person?.job === 'counselor' || person?.job === 'office' ? (
        <Counselor person={person} />
      ) : (
        <Nothing person={person} />
      )}
    </Suspense>
  );
}

function Nothing({ person }: { person: Person | undefined }) {
  const { t } = useTranslation();
  return (
    <>
      <Header pages={[]} />
      <main id="page" className="p-6">
        <h1>{t('teacher.head')}</h1>
        <p className="mt-2 text-soft">{t('teacher.note', { name: person ? `${person.given} ${person.family}` : '' })}</p>
      </main>
    </>
  );
}
