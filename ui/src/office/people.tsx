import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { ApiError, type Found, type Year, api, ask, givePassword, setRight, useOfficeActs, usePeople } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Dialog, TextDialog } from '../kit/dialog';
import { ShowEarlier } from '../shared/earlier';
import { when } from '../kit/format';
import { SearchField } from '../kit/searchfield';
import { Codes } from './codes';
import { Leads, SignIns } from './person';
import '../shared/staff';

const staff = ['teacher', 'administrator', 'aide', 'proctor'];

/** The people of the school: who may do what, a first sign-in or a lost password, and what the office has done. */
export default function People({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [text, setText] = useState('');
  const people = usePeople(at, useDeferredValue(text.trim()));
  const [chosen, setChosen] = useState<Found>();
  const [watched, setWatched] = useState<string>(); // whose sign-ins are looked at
  const [leading, setLeading] = useState<string>(); // whose courses are set
  const [right, setRightOf] = useState<{ person: Found; give: boolean }>();
  const refresh = () => Promise.all(['people', 'office-acts'].map((key) => client.invalidateQueries({ queryKey: [key] })));
  const give = useMutation({ mutationFn: ({ person, mail }: { person: Found; mail: boolean }) => givePassword(at, person.id, mail), onSuccess: refresh });
  const set = useMutation({
    mutationFn: ({ person, give: yes, reason }: { person: Found; give: boolean; reason: string }) => setRight(at, person.id, yes, reason),
    onSuccess: () => (setRightOf(undefined), refresh()),
  });
  const [lost, setLost] = useState<Found>(); // whose passkeys are taken away
  const forget = useMutation({
    mutationFn: ({ person, reason }: { person: string; reason: string }) =>
      ask(api.POST('/api/schools/{school}/years/{year}/people/{person}/passkeys', { params: { path: { ...yearOf(at), person } }, body: { reason } })),
    onSuccess: () => (setLost(undefined), refresh()),
  });
  const [replaces, setReplaces] = useState<{ person: Found; mail: boolean }>(); // whose own password a code would replace
  const giveTo = (code: { person: Found; mail: boolean }) => {
    setReplaces(undefined);
    setChosen(code.person);
    give.mutate(code);
  };
  const askedFirst = (code: { person: Found; mail: boolean }) => (code.person.password && !code.person.once ? setReplaces(code) : giveTo(code));
  return (
    <main id="page" className="mx-auto max-w-4xl px-4 pt-5 pb-16">
      <h1 className="mb-2">{t('people.head')}</h1>
      <p className="mb-3 text-soft">{t('people.note')}</p>
      {replaces && (
        <Dialog open onClose={() => setReplaces(undefined)} title={t('people.codeTitle', { name: `${replaces.person.given} ${replaces.person.family}` })}>
          <p className="my-2">{t('people.giveSure')}</p>
          <div className="mt-3 flex gap-2">
            <Button tone="dark" onClick={() => giveTo(replaces)}>
              {t('people.giveGo')}
            </Button>
            <Button onClick={() => setReplaces(undefined)}>{t('cancel')}</Button>
          </div>
        </Dialog>
      )}
      {give.data && !give.data.password && chosen && (
        <p role="status" className="mb-3 rounded border border-ink bg-card p-3">
          {t('people.mailed', { name: `${chosen.given} ${chosen.family}` })}
        </p>
      )}
      {give.data?.password && chosen && (
        <div className="mb-3 rounded border border-ink bg-card p-3">
          <p role="status">
            {t('people.given', { name: `${chosen.given} ${chosen.family}` })}{' '}
            <code className="font-mono text-lg font-semibold select-all">{give.data.password}</code>
          </p>
          <p className="mt-1 text-sm">{t('people.letter', { username: chosen.username })}</p>
          <Button className="mt-2" onClick={() => window.print()}>
            {t('people.print')}
          </Button>
        </div>
      )}
      <Refusal text={give.error ? errorWords(t, give.error) : people.error ? errorWords(t, people.error) : undefined} />
      <SearchField label={t('people.find')} value={text} onChange={setText} className="no-print min-h-11 w-full" />
      {text.trim() !== '' && people.data?.length === 0 && <p className="py-3 text-soft">{t('people.none')}</p>}
      <ul className="no-print mt-2">
        {text.trim() !== '' &&
          people.data?.map((p) => (
            <li key={p.id} className="flex flex-wrap items-center gap-x-3 border-t border-line py-1.5">
              <span className="min-w-0 flex-1 basis-48">
                <b className="font-semibold">
                  {p.given} {p.family}
                </b>{' '}
                <span className="text-soft">
                  {[
                    p.username,
                    t(`people.role.${p.role}`, { defaultValue: p.role }),
                    t(p.once ? 'people.hasCode' : p.password ? 'people.has' : 'people.hasNot'),
                    p.right && t(p.right === 'import' ? 'people.administersByData' : 'people.administers'),
                    p.seenAt && t('people.seen', { time: when(p.seenAt) }),
                  ]
                    .filter(Boolean)
                    .join(' · ')}
                </span>
              </span>
              {p.username && (
                <Button aria-expanded={watched === p.id} onClick={() => setWatched(watched === p.id ? undefined : p.id)}>
                  {t('people.signIns')}
                </Button>
              )}
              {staff.includes(p.role) && (
                <Button aria-expanded={leading === p.id} onClick={() => setLeading(leading === p.id ? undefined : p.id)}>
                  {t('people.leads')}
                </Button>
              )}
              {staff.includes(p.role) && p.right !== 'import' && (
                <Button onClick={() => setRightOf({ person: p, give: !p.right })}>{t(p.right ? 'people.takeRight' : 'people.giveRight')}</Button>
              )}
              <Button disabled={give.isPending} onClick={() => askedFirst({ person: p, mail: false })}>
                {t('people.give')}
              </Button>
              <Button disabled={give.isPending} onClick={() => askedFirst({ person: p, mail: true })}>
                {t('people.mailCode')}
              </Button>
              {staff.includes(p.role) && p.username && <Button onClick={() => setLost(p)}>{t('people.passkeys')}</Button>}
              <a
                className="inked-link text-sm"
                href={`/api/schools/${encodeURIComponent(at.school)}/years/${at.year}/people/${encodeURIComponent(p.id)}/everything`}
                download
              >
                {t('people.everything')}
              </a>
              {watched === p.id && <SignIns at={at} person={p.id} />}
              {leading === p.id && <Leads at={at} person={p} onSet={refresh} />}
            </li>
          ))}
      </ul>
      <Codes at={at} />
      <SecondStepOf at={at} onSet={refresh} />
      <Acts at={at} />
      {lost && (
        <TextDialog
          open
          title={t('people.passkeysTitle', { name: `${lost.given} ${lost.family}` })}
          label={t('people.reason')}
          action={t('people.passkeysGo')}
          busy={forget.isPending}
          error={
            forget.error
              ? forget.error instanceof ApiError && forget.error.code === 'not-found'
                ? t('people.passkeysNone')
                : errorWords(t, forget.error)
              : undefined
          }
          onClose={() => (setLost(undefined), forget.reset())}
          onDone={(reason) => forget.mutate({ person: lost.id, reason })}
        />
      )}
      {right && (
        <TextDialog
          open
          title={t(right.give ? 'people.giveTitle' : 'people.takeTitle', { name: `${right.person.given} ${right.person.family}` })}
          label={t('people.reason')}
          action={t(right.give ? 'people.giveRight' : 'people.takeRight')}
          busy={set.isPending}
          error={set.error ? errorWords(t, set.error) : undefined}
          onClose={() => setRightOf(undefined)}
          onDone={(reason) => set.mutate({ ...right, reason })}
        />
      )}
    </main>
  );
}

const yearOf = (at: Year) => ({ school: at.school, year: at.year });

/** Whether the staff of the school need a passkey as a second step of signing in. */
function SecondStepOf({ at, onSet }: { at: Year; onSet: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = yearOf(at);
  const key = ['second-step', at.school];
  const [asking, setAsking] = useState(false);
  const wanted = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/second-step', { params: { path } })) });
  const set = useMutation({
    mutationFn: (reason: string) =>
      ask(api.PUT('/api/schools/{school}/years/{year}/second-step', { params: { path }, body: { wanted: !wanted.data?.wanted, reason } })),
    onSuccess: () => {
      setAsking(false);
      void client.invalidateQueries({ queryKey: key });
      onSet();
    },
  });
  if (wanted.error) return <Refusal text={errorWords(t, wanted.error)} />;
  if (!wanted.data) return null;
  const does = wanted.data.wanted;
  return (
    <section className="no-print mt-8" aria-label={t('people.second')}>
      <h2 className="font-semibold">{t('people.second')}</h2>
      <p className="mb-2 text-soft">{t(does ? 'people.secondOn' : 'people.secondOff')}</p>
      <Button onClick={() => setAsking(true)}>{t(does ? 'people.secondStop' : 'people.secondWant')}</Button>
      {asking && (
        <TextDialog
          open
          title={t(does ? 'people.secondStop' : 'people.secondWant')}
          label={t('people.reason')}
          action={t(does ? 'people.secondStop' : 'people.secondWant')}
          busy={set.isPending}
          error={set.error ? errorWords(t, set.error) : undefined}
          onClose={() => setAsking(false)}
          onDone={(reason) => set.mutate(reason)}
        />
      )}
    </section>
  );
}

/** What the office has done, the latest first. */
function Acts({ at }: { at: Year }) {
  const { t } = useTranslation();
  const acts = useOfficeActs(at);
  return (
    <section className="no-print mt-8" aria-label={t('people.acts')}>
      <h2 className="font-semibold">{t('people.acts')}</h2>
      {acts.error && <Refusal text={errorWords(t, acts.error)} />}
      {acts.isPending && <Loading />}
      {acts.data?.length === 0 && <p className="text-soft">{t('people.noActs')}</p>}
      <ul className="max-h-96 overflow-y-auto" tabIndex={0} aria-label={t('people.acts')}>
        {acts.data?.map((a, i) => (
          <li key={i} className="flex flex-wrap gap-x-3 border-t border-line py-1 text-sm">
            <span className="w-36 text-soft">{when(a.at)}</span>
            <span className="min-w-0 flex-1 basis-60">
              <b className="font-semibold">{a.by}</b>{' '}
              {t(`people.act.${a.kind}`, { about: a.kind === 'batch' ? t(`together.kind.${a.about}`, { defaultValue: a.about }) : a.about })}
              {a.reason && <span className="text-soft"> “{a.reason}”</span>}
            </span>
          </li>
        ))}
      </ul>
      <ShowEarlier of={acts} />
    </section>
  );
}
