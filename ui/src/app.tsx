import { useQueryClient } from '@tanstack/react-query';
import { type ReactNode, Suspense, lazy } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation } from 'wouter';
import { ApiError, type Person, api, ask, useMe } from './api/client';
import { errorWords } from './errors';
import { Button, Loading } from './kit/controls';
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

/** The pages of the school office. */
export function officePages(t: ReturnType<typeof useTranslation>['t']) {
  return [
    { to: '/', label: t('nav.caseload') },
    { to: '/people', label: t('people.nav') },
  ];
}

/** The head of every screen: where one is, and what state things are in. */
export function Header(props: { pages: { to: string; label: string }[]; children?: ReactNode }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [at] = useLocation();
  return (
    <header className="no-print flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-line px-4 py-1 desk:min-h-12 desk:px-6">
      <a href="#page" className="sr-only focus:not-sr-only">
        {t('skip')}
      </a>
      <span className="font-head text-lg font-semibold text-madder">Rubricon</span>
      {props.pages.length > 0 && (
        <nav aria-label={t('nav.label')} className="flex gap-5">
          {props.pages.map((page) => (
            <Link
              key={page.to}
              href={page.to}
              aria-current={at === page.to ? 'page' : undefined}
              className="flex min-h-11 items-center border-b-2 border-transparent text-soft aria-[current=page]:border-ink aria-[current=page]:font-semibold aria-[current=page]:text-ink"
            >
              {page.label}
            </Link>
          ))}
        </nav>
      )}
      <div className="flex flex-wrap items-center gap-x-3 text-sm text-soft max-desk:order-last max-desk:w-full max-desk:pb-1 desk:flex-1 desk:justify-end">
        {props.children}
      </div>
      <Link href="/account" className="flex min-h-8 items-center text-sm text-soft inked-link max-desk:ml-auto">
        {t('account.link')}
      </Link>
      <button
        type="button"
        className="min-h-8 text-sm text-soft inked-link"
        onClick={() => {
          void ask(api.DELETE('/api/session')).finally(() => {
            client.clear();
            window.location.assign('/');
          });
        }}
      >
        {t('signOut')}
      </button>
    </header>
  );
}
