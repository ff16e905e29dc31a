import { type KeyboardEvent, useRef, useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type ApiError, type ClassView, type Person, type Year, api, ask } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { amount } from '../kit/format';
import { Header } from '../kit/header';
import { Mark } from '../kit/marks';
import { join, needWords } from '../words';
import './words';

type Pupil = ClassView['pupils'][number];
type Column = ClassView['columns'][number];

const classesKey = (at: Year) => ['classes', at.school, at.year] as const;

/** A teacher's classes, one at a time: a row a student, a column for each course that may come next, the word given by keys. */
export default function Classes({ person }: { person: Person }) {
  const { t, i18n } = useTranslation();
  const at = { school: person.school, year: person.year };
  const list = useQuery({
    queryKey: [...classesKey(at), i18n.language],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/classes', { params: { path: at } })),
  });
  const [chosen, setChosen] = useState<string>();
  const classes = list.data?.classes ?? [];
  const here = classes.find((c) => c.course === chosen) ?? classes[0];
  return (
    <>
      <Header pages={[{ to: '/', label: t('teach.classes') }]} where={person.name}>
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
            <OneClass key={here.course} at={at} course={here.course} />
          </>
        )}
      </main>
    </>
  );
}

const nobody = (error: unknown) => (error as ApiError | null)?.code === 'forbidden';

function OneClass({ at, course }: { at: Year; course: string }) {
  const { t, i18n } = useTranslation();
  const client = useQueryClient();
  const key = ['class', at.school, at.year, course, i18n.language];
  const path = { ...at, class: course };
  const view = useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/classes/{class}', { params: { path } })),
  });
  const recommend = useMutation<ClassView, ApiError, { students: string[]; course: string; reason?: string }>({
    mutationFn: (body) => ask(api.POST('/api/schools/{school}/years/{year}/classes/{class}/recommendations', { params: { path }, body })),
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
      client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: classesKey(at) });
    },
    scope: { id: `class ${course}` }, // one after the other
  });
  const [why, setWhy] = useState<string>(); // the student whose reason is being written
  const [said, setSaid] = useState('');
  const table = useRef<HTMLTableElement>(null);
  if (view.error) return <Refusal text={errorWords(t, view.error)} />;
  if (!view.data) return <Loading />;
  const { title } = view.data;
  // By mark where there are marks, so that a condition shows as a line between those above it and those below.
  const pupils = [...view.data.pupils].sort((a, b) => (b.mark ?? -1) - (a.mark ?? -1));
  const marks = pupils.some((p) => p.mark !== undefined);
  const offered = view.data.columns.map((_, i) => i).filter((i) => pupils.some((p) => p.cells[i]?.verdict !== 'none'));
  const columns = offered.flatMap((i) => view.data.columns[i] ?? []);
  const words = pupils.filter((p) => p.word).length;
  const name = (p: Pupil) => `${p.family}, ${p.given}`;
  const columnTitle = (c: Column) => (c.again ? t('teach.again', { title: c.title }) : c.title);
  const give = (p: Pupil, c: Column | undefined) => {
    setSaid('');
    recommend.mutate({ students: [p.student], course: c?.course ?? '', reason: p.reason });
  };
  const cellOf = (p: Pupil, n: number) => p.cells[offered[n] ?? -1];
  // The whole class: all who may, but for those who have another word.
  const giveAll = (n: number) => {
    const c = columns[n];
    if (!c) return;
    const open = pupils.filter((p) => !p.word || p.word === c.course);
    const holds = (p: Pupil) => cellOf(p, n)?.holds === true;
    const students = open.filter((p) => holds(p) && p.word !== c.course).map((p) => p.student);
    const left = open.filter((p) => !holds(p));
    const tell = () =>
      setSaid([t('teach.given', { course: columnTitle(c) }), left.length && t('teach.left', { names: join(t, left.map(name)) })].filter(Boolean).join(' '));
    if (students.length) recommend.mutate({ students, course: c.course }, { onSuccess: tell });
    else tell();
  };
  const focus = (n: number) => table.current?.querySelectorAll<HTMLElement>('tbody tr')[n]?.focus();
  const press = (event: KeyboardEvent<HTMLTableRowElement>, p: Pupil, n: number) => {
    if (event.target instanceof HTMLInputElement || event.ctrlKey || event.metaKey || event.altKey) return;
    const digit = /^Digit([0-4])$/.exec(event.code)?.[1];
    if (event.key === 'ArrowDown') focus(n + 1);
    else if (event.key === 'ArrowUp') focus(n - 1);
    else if (event.key.toLowerCase() === 'r' && p.word) setWhy(p.student);
    else if (digit === '0') give(p, undefined);
    else if (digit && event.shiftKey) giveAll(Number(digit) - 1);
    else if (digit) {
      const c = columns[Number(digit) - 1];
      if (!c || cellOf(p, Number(digit) - 1)?.verdict === 'none') return;
      give(p, p.word === c.course ? undefined : c);
      focus(n + 1);
    } else return;
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
        <table ref={table} className="w-full border-collapse text-left">
          <thead className="text-sm text-soft">
            <tr>
              <th className="py-1 pr-3 font-normal">{t('teach.student')}</th>
              <th className="pr-3 font-normal">{t('teach.enters')}</th>
              {marks && <th className="pr-3 font-normal">{t('teach.mark')}</th>}
              <th className="pr-3 font-normal">{t('teach.asks')}</th>
              {columns.map((c, n) => (
                <th key={c.course} className="pr-2 align-bottom font-normal">
                  <kbd className="rounded border border-line px-1.5 font-mono text-xs max-desk:hidden">{n + 1}</kbd>{' '}
                  <b className="font-semibold text-ink">{columnTitle(c)}</b>
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
                <th scope="row" className="py-1 pr-3 font-semibold">
                  {name(p)}
                </th>
                <td className="pr-3">{p.grade}</td>
                {marks && <td className="pr-3">{p.mark === undefined ? '' : amount(p.mark)}</td>}
                <td className="pr-3 text-sm text-soft">{p.asks.length ? join(t, p.asks) : t('teach.nothing')}</td>
                {columns.map((c, i) => (
                  <td key={c.course} className="py-1 pr-2">
                    <Cell pupil={p} column={c} cell={cellOf(p, i)} title={columnTitle(c)} onGive={() => give(p, p.word === c.course ? undefined : c)} />
                  </td>
                ))}
                {p.word && (
                  <td className="min-w-48 py-1 text-sm">
                    {why === p.student ? (
                      <Why
                        value={p.reason ?? ''}
                        onKeep={(reason) => {
                          recommend.mutate({ students: [p.student], course: p.word ?? '', reason });
                          setWhy(undefined);
                          focus(n);
                        }}
                      />
                    ) : (
                      <button type="button" className="min-h-7 text-left text-soft inked-link" onClick={() => setWhy(p.student)}>
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

/** A course for a student: the teacher's word, or whether its condition holds. */
function Cell(props: { pupil: Pupil; column: Column; cell: Pupil['cells'][number] | undefined; title: string; onGive: () => void }) {
  const { t } = useTranslation();
  const { pupil, cell } = props;
  if (!cell || cell.verdict === 'none') return <span className="text-sm text-soft">{t('teach.notOffered')}</span>;
  const given = pupil.word === props.column.course;
  const { holds } = cell;
  const needs = (cell.lacks ?? []).map((n) => needWords(t, { title: () => n.title ?? '' }, n));
  const words = given ? t('teach.word') : holds ? t('teach.may') : t('teach.lacks', { needs: join(t, needs) });
  return (
    <button
      type="button"
      aria-pressed={given}
      aria-label={`${props.title}, ${pupil.given} ${pupil.family}: ${words}`}
      disabled={!pupil.may.allowed}
      onClick={props.onGive}
      className={`min-h-9 w-full min-w-28 rounded-sm border px-2 text-left text-sm ${given ? 'border-ink font-semibold' : 'border-line text-soft'} ${holds ? 'bg-card' : 'hatch'}`}
    >
      <span className={holds ? '' : 'rounded-sm bg-card px-1 text-ochre'}>
        {given && <Mark kind="settled" />} {words}
      </span>
    </button>
  );
}

function Why({ value, onKeep }: { value: string; onKeep: (reason: string) => void }) {
  const { t } = useTranslation();
  const [text, setText] = useState(value);
  return (
    <form
      className="flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(text);
      }}
    >
      <input
        autoFocus
        aria-label={t('teach.why')}
        maxLength={120}
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="min-h-8 min-w-0 flex-1 rounded border border-edge bg-card px-2"
      />
      <Button type="submit">{t('teach.keep')}</Button>
    </form>
  );
}
