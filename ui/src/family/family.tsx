import { lazy, useEffect, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Route, Router, Switch } from 'wouter';
import { type Person, type Place, type Sheet, useCatalog, useSheet, useSheets } from '../api/client';
import { Loading } from '../kit/controls';
import { when, yearLabel } from '../kit/format';
import { Late } from '../kit/late';
import { Header } from '../kit/header';
import { Unread } from '../shared/unread';
import { bookOf, statusWords } from '../shared/words';
import { ChildSheet, Foot } from './child';
import './words';

const Student = lazy(() => import('../student/student'));

interface Child {
  id: string;
  given: string;
  family: string;
  grade: number;
  school: string; // its name
  place: Place;
}

/** A guardian's screens: the children, and, where the school lets guardians edit, a child's sheet as the child has it. */
export default function Family({ persons }: { persons: Person[] }) {
  const { t } = useTranslation();
  return (
    <Switch>
      <Route path="/child/:school/:student/*?">
        {({ school, student }) => {
          const person = persons.find((p) => p.school === decodeURIComponent(school));
          const child = person?.children.find((c) => c.id === decodeURIComponent(student));
          if (!person || !child) return <Children persons={persons} />;
          return (
            <Router base={`/child/${school}/${student}`}>
              <Late fallback={<Loading />}>
                <Student place={{ school: person.school, year: child.year, student: child.id }} back={{ to: '~/', label: t('header.family') }} />
              </Late>
            </Router>
          );
        }}
      </Route>
      <Route>
        <Children persons={persons} />
      </Route>
    </Switch>
  );
}

/** How soon a sheet needs its reader: what waits for a signature first. */
const urgency = (s: Sheet | undefined) =>
  !s ? 9 : s.acts.sign.allowed ? 0 : s.status.state === 'sentBack' || s.status.changed ? 1 : !s.status.handedIn ? (s.acts.edit.allowed ? 2 : 3) : 4;

/** All children on one page, anyone who needs the reader soonest first: a letter with a sentence for each, then what each asks for. */
function Children({ persons }: { persons: Person[] }) {
  const { t } = useTranslation();
  const children = persons.flatMap((p) =>
    p.children.map((child): Child => ({ ...child, school: p.name, place: { school: p.school, year: child.year, student: child.id } })),
  );
  const sheets = useSheets(children.map((c) => c.place));
  const known = children.map((child, i) => ({ child, sheet: sheets[i]?.data })).sort((a, b) => urgency(a.sheet) - urgency(b.sheet));
  const [seen, setSeen] = useState<string>(); // whose part is in view
  const keyOf = (c: Child) => `${c.place.school} ${c.id}`;
  const here = known.find(({ child }) => keyOf(child) === seen) ?? known[0];
  return (
    <>
      <Header
        pages={[]}
        where={
          here &&
          t('family.sheetOf', {
            name: `${here.child.given} ${here.child.family}`,
            grade: here.child.grade,
            school: here.child.school,
            year: yearOf(here.child),
          })
        }
      >
        {here?.sheet && <span>{statusWords(t, here.sheet).state}</span>}
      </Header>
      <main id="page" className="mx-auto max-w-xl px-4 pt-3 pb-40 **:scroll-mb-36">
        <h1 className="mb-3">{known.flatMap(({ child, sheet }) => (sheet ? says(t, child, sheet) : [])).join(' ')}</h1>
        {known.length > 1 && (
          <ul className="mb-5">
            {known.map(({ child, sheet }) => (
              <li key={keyOf(child)} className="border-t border-line py-2">
                <a href={`#child-${child.id}`} className="inked-link">
                  <b className="font-semibold">{child.given}</b>
                </a>{' '}
                {sheet && t('family.enters', { grade: child.grade, school: child.school, what: statusWords(t, sheet).next })}
              </li>
            ))}
          </ul>
        )}
        {known.map(({ child }) => (
          <Part key={keyOf(child)} child={child} alone={known.length === 1} onSeen={() => setSeen(keyOf(child))} />
        ))}
      </main>
    </>
  );
}

/** The school year of a child's sheet. */
const yearOf = (c: Child) => yearLabel(c.place.year);

/** Where a child's sheet stands, as a sentence. */
function says(t: ReturnType<typeof useTranslation>['t'], child: Child, sheet: Sheet) {
  const s = sheet.status;
  const name = child.given;
  if (sheet.acts.sign.allowed && s.window) return t('family.waitsForYou', { name, closes: when(s.window.families, s.window.zone) });
  if (s.changed) return t('family.headChanged', { name });
  if (s.state === 'sentBack') return t('family.headBack', { name });
  if (s.state === 'placed') return t('family.headPlaced', { name });
  if (s.state === 'cleared') return t('family.headCleared', { name });
  return s.handedIn ? t('family.head', { name, count: sheet.requests.length }) : t('family.headNone', { name });
}

/** One child's part of the page; while it is in view, the foot of the page is about this child. */
function Part({ child, alone, onSeen }: { child: Child; alone: boolean; onSeen: () => void }) {
  const catalog = useCatalog(child.place);
  const sheet = useSheet(child.place);
  const [inView, setInView] = useState(alone);
  const part = useRef<HTMLElement>(null);
  const latest = useRef(onSeen);
  useEffect(() => {
    latest.current = onSeen;
  });
  useEffect(() => {
    if (alone || !part.current) return;
    const watch = new IntersectionObserver(
      ([entry]) => {
        setInView(entry?.isIntersecting ?? false);
        if (entry?.isIntersecting) latest.current();
      },
      { rootMargin: '-45% 0px -45% 0px' }, // what crosses the middle
    );
    watch.observe(part.current);
    return () => watch.disconnect();
  }, [alone]);
  return (
    <section
      ref={part}
      id={`child-${child.id}`}
      aria-label={`${child.given} ${child.family}`}
      className={alone ? '' : 'mt-2 min-h-[60vh] border-t-2 border-ink pt-3'}
    >
      {!alone && <h2 className="font-head text-xl font-medium">{`${child.given} ${child.family}`}</h2>}
      {!catalog.data || !sheet.data ? (
        <Unread of={[catalog, sheet]} inside />
      ) : (
        <ChildSheet book={bookOf(catalog.data)} sheet={sheet.data} place={child.place} foot={(props) => inView && <Foot {...props} />} />
      )}
    </section>
  );
}
