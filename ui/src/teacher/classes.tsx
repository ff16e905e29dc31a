import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { useIsMutating, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { ApiError, type ClassView, type Person, type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { fold } from '../kit/fold';
import { amount, clock } from '../kit/format';
import { Header } from '../kit/header';
import { join } from '../shared/words';
import { Cell, type Column, type Pupil, Why } from './cell';
import { teacherPages, useTryouts } from './tryout';
import './words';

const classesKey = (at: Year) => ['classes', at.school, at.year] as const;
const giving = ['give word'];

/** A teacher's classes, one at a time: a row a student, a column for each course that may come next, the word given by keys. */
export default function Classes({ person }: { person: Person }) {
  const { t, i18n } = useTranslation();
  const at = { school: person.school, year: person.year };
  const list = useQuery({
    queryKey: [...classesKey(at), i18n.language],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/classes', { params: { path: at } })),
  });
  const tryouts = useTryouts(at);
  const [chosen, setChosen] = useState<string>();
  const [keptAt, setKeptAt] = useState('');
  const waits = useIsMutating({ mutationKey: giving });
  useEffect(() => {
    if (!waits) return;
    const stay = (event: BeforeUnloadEvent) => event.preventDefault();
    addEventListener('beforeunload', stay);
    return () => removeEventListener('beforeunload', stay);
  }, [waits]);
  const classes = list.data?.classes ?? [];
  const here = classes.find((c) => c.course === chosen) ?? classes[0];
  const step = (by: number) => {
    const to = classes[classes.findIndex((c) => c === here) + by];
    if (to) setChosen(to.course);
  };
  return (
    <>
      <Header pages={teacherPages(t, tryouts.data)} where={person.name}>
        <span role="status">{waits ? t('teach.waits', { count: waits }) : keptAt && t('teach.keptAt', { time: clock(keptAt) })}</span>
        <b className="font-semibold text-ink">
          {person.given} {person.family}
        </b>
      </Header>
      <main id="page" className="px-4 pt-3 pb-10 desk:px-6">
        {list.error && !nobody(list.error) && <Refusal text={errorWords(t, list.error)} />}
        {list.isPending && <Loading />}
        {(nobody(list.error) || (list.data && classes.length === 0)) && <h1>{t('teach.none')}</h1>}
        {here && (
          <>
            <nav aria-label={t('teach.classes')} className="mb-2 flex flex-wrap gap-x-5">
              {classes.map((c) => (
                <button
                  key={c.course}
                  type="button"
                  aria-current={c === here ? 'true' : undefined}
                  onClick={() => setChosen(c.course)}
                  className="min-h-9 border-b-2 border-transparent text-soft aria-[current=true]:border-ink aria-[current=true]:font-semibold aria-[current=true]:text-ink"
                >
                  {t('teach.class', { title: c.title, words: c.words, pupils: c.pupils })}
                </button>
              ))}
            </nav>
            <OneClass key={here.course} at={at} course={here.course} onStep={step} onKept={setKeptAt} />
          </>
        )}
      </main>
    </>
  );
}

const nobody = (error: unknown) => (error as ApiError | null)?.code === 'forbidden';

interface Giving {
  students: string[];
  course: string;
  reason?: string;
}

function OneClass({ at, course, onStep, onKept }: { at: Year; course: string; onStep: (by: number) => void; onKept: (time: string) => void }) {
  const { t, i18n } = useTranslation();
  const client = useQueryClient();
  const [also, setAlso] = useState('');
  const key = ['class', at.school, at.year, course, i18n.language, also];
  const path = { ...at, class: course };
  const view = useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/classes/{class}', { params: { path, query: { also: also || undefined } } })),
    placeholderData: (old) => old,
  });
  const recommend = useMutation<ClassView, ApiError, Giving>({
    mutationKey: giving,
    mutationFn: (body) =>
      ask(api.POST('/api/schools/{school}/years/{year}/classes/{class}/recommendations', { params: { path }, body: { ...body, also: also || undefined } })),
    // What is pressed next is about what was given last, be the answer here yet or not.
    onMutate: ({ students, course, reason }) =>
      client.setQueryData<ClassView>(
        key,
        (old) =>
          old && {
            ...old,
            pupils: old.pupils.map((p) => (students.includes(p.student) ? { ...p, word: course || undefined, reason: reason ?? p.reason } : p)),
          },
      ),
    onError: () => client.invalidateQueries({ queryKey: key }),
    onSuccess: (next) => {
      onKept(new Date().toISOString());
      if (client.isMutating({ mutationKey: giving }) > 1) return; // more is on its way
      client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: classesKey(at) });
    },
    scope: { id: `class ${course}` }, // one after the other
    networkMode: 'online', // without the network it waits
    retry: (count, error) => count < 5 && error instanceof ApiError && error.code === 'offline',
  });
  const [why, setWhy] = useState<string>(); // the student whose reason is being written
  const [said, setSaid] = useState('');
  const table = useRef<HTMLTableElement>(null);
  const before = useRef<Giving[][]>([]); // what there was, to be given back
  const typed = useRef({ text: '', at: 0 });
  if (view.error) return <Refusal text={errorWords(t, view.error)} />;
  if (!view.data) return <Loading />;
  const { title } = view.data;
  // By mark where there are marks, so that a condition shows as a line between those above it and those below.
  const pupils = [...view.data.pupils].sort((a, b) => (b.mark ?? -1) - (a.mark ?? -1));
  const marks = pupils.some((p) => p.mark !== undefined);
  // A column that no one may have is left out, except for the one that was asked for.
  const offered = view.data.columns.flatMap((c, i) => (c.course === also || pupils.some((p) => p.cells[i]?.verdict !== 'none') ? [i] : []));
  const columns = offered.flatMap((i) => view.data.columns[i] ?? []);
  const words = pupils.filter((p) => p.word).length;
  const name = (p: Pupil) => `${p.family}, ${p.given}`;
  const columnTitle = (c: Column) => (c.again ? t('teach.again', { title: c.title }) : c.title);
  const keep = (given: Giving, options?: Parameters<typeof recommend.mutate>[1]) => {
    const was = pupils.filter((p) => given.students.includes(p.student));
    before.current.push(was.map((p) => ({ students: [p.student], course: p.word ?? '', reason: p.reason ?? '' })));
    recommend.mutate(given, options);
  };
  const give = (p: Pupil, c: Column | undefined) => {
    setSaid('');
    keep({ students: [p.student], course: c?.course ?? '', reason: p.reason });
  };
  const giveBack = () => {
    const last = before.current.pop();
    setSaid(last ? t('teach.back') : '');
    for (const one of last ?? []) recommend.mutate(one);
  };
  const cellOf = (p: Pupil, n: number) => p.cells[offered[n] ?? -1];
  // The whole class: all who may, except for those who have another word.
  const giveAll = (n: number) => {
    const c = columns[n];
    if (!c) return;
    const open = pupils.filter((p) => !p.word || p.word === c.course);
    const holds = (p: Pupil) => cellOf(p, n)?.holds === true;
    const students = open.filter((p) => holds(p) && p.word !== c.course).map((p) => p.student);
    const left = open.filter((p) => !holds(p));
    const tell = () =>
      setSaid([t('teach.given', { course: columnTitle(c) }), left.length && t('teach.left', { names: join(t, left.map(name)) })].filter(Boolean).join(' '));
    if (students.length) keep({ students, course: c.course }, { onSuccess: tell });
    else tell();
  };
  const focus = (n: number) => table.current?.querySelectorAll<HTMLElement>('tbody tr')[n]?.focus();
  const find = (letter: string, now: number) => {
    typed.current = { text: (now - typed.current.at < 1_000 ? typed.current.text : '') + fold(letter), at: now };
    const n = pupils.findIndex((p) => [p.family, p.given].some((part) => fold(part).startsWith(typed.current.text)));
    if (n >= 0) focus(n);
  };
  const press = (event: KeyboardEvent<HTMLTableRowElement>, p: Pupil, n: number) => {
    if (event.target instanceof HTMLInputElement || event.altKey) return;
    const row = event.target === event.currentTarget;
    const digit = /^Digit([0-9])$/.exec(event.code)?.[1];
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() !== 'z') return;
      giveBack();
    } else if (event.key === 'ArrowDown') focus(n + 1);
    else if (event.key === 'ArrowUp') focus(n - 1);
    else if (event.key === 'PageDown') onStep(1);
    else if (event.key === 'PageUp') onStep(-1);
    else if (event.key === 'Enter' && row && p.word) setWhy(p.student);
    else if (digit === '0') give(p, undefined);
    else if (digit && event.shiftKey) giveAll(Number(digit) - 1);
    else if (digit) {
      const c = columns[Number(digit) - 1];
      if (!c || cellOf(p, Number(digit) - 1)?.verdict === 'none') return;
      give(p, p.word === c.course ? undefined : c);
      focus(n + 1);
    } else if (row && /^[\p{L}'’-]$/u.test(event.key)) find(event.key, event.timeStamp);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <h1 data-testid="words">{t(words ? 'teach.head' : 'teach.headNone', { count: words, all: pupils.length, course: title })}</h1>
      <p className="mb-2 max-w-4xl text-soft">{t('teach.note')}</p>
      <p className="text-sm text-soft max-desk:hidden">{t('teach.keys')}</p>
      <p role="status" className="min-h-6 text-sm text-ochre">
        {said}
      </p>
      <Refusal text={recommend.error ? errorWords(t, recommend.error) : undefined} />
      <div className="overflow-x-auto">
        <table ref={table} className="w-full border-collapse text-start">
          <thead className="text-sm text-soft">
            <tr>
              <th className="py-1 pe-3 font-normal">{t('teach.student')}</th>
              <th className="pe-3 font-normal">{t('teach.enters')}</th>
              {marks && <th className="pe-3 font-normal">{t('teach.mark')}</th>}
              <th className="pe-3 font-normal">{t('teach.asks')}</th>
              {columns.map((c, n) => (
                <th key={c.course} className="pe-2 align-bottom font-normal">
                  <kbd className="rounded border border-line px-1.5 font-mono text-xs max-desk:hidden">{n + 1}</kbd>{' '}
                  <b className="font-semibold text-ink">{columnTitle(c)}</b>
                  {c.byWord && <span className="block text-sm">{t('teach.byWord')}</span>}
                  <button
                    type="button"
                    className="block min-h-6 text-sm inked-link"
                    aria-label={`${t('teach.give')}: ${columnTitle(c)}`}
                    onClick={() => giveAll(n)}
                  >
                    {t('teach.give')}
                  </button>
                </th>
              ))}
              {view.data.others.length > 0 && (
                <th className="pe-2 align-bottom font-normal">
                  <select
                    aria-label={t('teach.another')}
                    value=""
                    onChange={(event) => setAlso(event.target.value)}
                    className="min-h-8 max-w-36 rounded border border-line bg-paper px-1 max-desk:min-h-11"
                  >
                    <option value="">{t('teach.another')}</option>
                    {view.data.others.map((c) => (
                      <option key={c.course} value={c.course}>
                        {c.title}
                      </option>
                    ))}
                  </select>
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {pupils.map((p, n) => (
              <tr
                key={p.student}
                data-student={p.student}
                tabIndex={0}
                onKeyDown={(event) => press(event, p, n)}
                className="border-t border-line focus-visible:bg-wash"
              >
                <th scope="row" className="py-0.5 pe-3 font-semibold">
                  {name(p)}
                </th>
                <td className="pe-3">{p.grade}</td>
                {marks && <td className="pe-3">{p.mark === undefined ? '' : amount(p.mark)}</td>}
                <td className="pe-3 text-sm">
                  <Asks pupil={p} columns={view.data.columns} />
                </td>
                {columns.map((c, i) => (
                  <td key={c.course} className="py-0.5 pe-2">
                    <Cell pupil={p} column={c} cell={cellOf(p, i)} title={columnTitle(c)} onGive={() => give(p, p.word === c.course ? undefined : c)} />
                  </td>
                ))}
                {p.word && (
                  <td className="min-w-48 py-0.5 text-sm">
                    {why === p.student ? (
                      <Why
                        label={t('teach.why')}
                        value={p.reason ?? ''}
                        onKeep={(reason) => {
                          keep({ students: [p.student], course: p.word ?? '', reason });
                          setWhy(undefined);
                          focus(n);
                        }}
                        onLeave={() => {
                          setWhy(undefined);
                          focus(n);
                        }}
                      />
                    ) : (
                      <button type="button" className="min-h-7 text-start text-soft inked-link" onClick={() => setWhy(p.student)}>
                        {p.reason || t('teach.why')}
                      </button>
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

/** What the student asks for in the subject, standing out where it is not the teacher's word. */
function Asks({ pupil, columns }: { pupil: Pupil; columns: Column[] }) {
  const { t } = useTranslation();
  if (pupil.asks.length === 0) return <span className="text-soft">{t('teach.nothing')}</span>;
  const word = columns.find((c) => c.course === pupil.word)?.title;
  const other = word !== undefined && !pupil.asks.includes(word);
  return (
    <span className={other ? 'font-semibold' : 'text-soft'}>{t(pupil.handedIn ? 'teach.requested' : 'teach.plans', { courses: join(t, pupil.asks) })}</span>
  );
}
