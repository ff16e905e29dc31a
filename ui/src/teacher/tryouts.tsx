import { useState } from 'react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type ApiError, type Person, type Year, api, ask } from '../api/client';
import type { components } from '../api/schema.gen';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { day } from '../kit/format';
import { Header } from '../kit/header';
import { Mark } from '../kit/marks';
import { Pasted } from '../shared/pasted';
import { Why } from './cell';
import { type Taking, type Trying, type Tryout, teacherPages, tryoutsKey, useTryouts } from './tryout';
import './words';

/** The courses into which a leader takes students: who tries out for each, and a list of those who are taken. */
export default function Tryouts({ person }: { person: Person }) {
  const { t } = useTranslation();
  const at = { school: person.school, year: person.year };
  const list = useTryouts(at);
  return (
    <>
      <Header pages={teacherPages(t, list.data)} where={person.name}>
        <b className="font-semibold text-ink">
          {person.given} {person.family}
        </b>
      </Header>
      <main id="page" className="mx-auto max-w-5xl px-4 pt-3 pb-10 desk:px-6">
        <h1>{list.data && headline(t, list.data)}</h1>
        <p className="mb-2 max-w-4xl text-soft">{t('tryouts.note')}</p>
        {list.error && <Refusal text={errorWords(t, list.error)} />}
        {list.isPending && <Loading />}
        {list.data?.map((x) => (
          <One key={x.course} at={at} tryout={x} />
        ))}
      </main>
    </>
  );
}

function headline(t: ReturnType<typeof useTranslation>['t'], list: Tryout[]) {
  const open = list.flatMap((x) => x.pupils).filter((p) => p.answer === 'open').length;
  return list.length === 0 ? t('tryouts.none') : open ? t('tryouts.head', { count: open }) : t('tryouts.headNone');
}

function One({ at, tryout }: { at: Year; tryout: Tryout }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [why, setWhy] = useState<string>();
  // Those without an answer come first, and stay where they are when they get one.
  const [order] = useState(() => tryout.pupils.filter((p) => p.answer !== 'open').map((p) => p.student));
  const pupils = [...tryout.pupils].sort((a, b) => order.indexOf(a.student) - order.indexOf(b.student));
  const take = useMutation<Tryout, ApiError, Taking>({
    mutationFn: (body) =>
      ask(api.POST('/api/schools/{school}/years/{year}/tryouts/{course}/answers', { params: { path: { ...at, course: tryout.course } }, body })),
    onSuccess: (next) => client.setQueryData<Tryout[]>(tryoutsKey(at), (old) => old?.map((x) => (x.course === next.course ? next : x))),
    onError: () => client.invalidateQueries({ queryKey: tryoutsKey(at) }),
  });
  const answer = (p: Trying, to: Taking['answer'], note = '') => take.mutate({ students: [p.student], answer: to, note });
  const taken = tryout.pupils.filter((p) => p.answer === 'taken').length;
  return (
    <section aria-labelledby={`tryout-${tryout.course}`} className="mt-4 border-t border-ink pt-2">
      <h2 id={`tryout-${tryout.course}`} className="font-semibold">
        {tryout.title} <span className="font-normal text-soft">{t('tryouts.taken', { count: taken, all: tryout.pupils.length })}</span>
      </h2>
      {tryout.due && (
        <p className="text-sm text-soft">
          {day(tryout.due)}
          {tryout.place && ` · ${tryout.place}`}
        </p>
      )}
      <Refusal text={take.error ? errorWords(t, take.error) : undefined} />
      <Listed at={at} tryout={tryout} busy={take.isPending} onTake={(students, done) => take.mutate({ students, answer: 'taken' }, { onSuccess: done })} />
      {tryout.pupils.length === 0 && <p className="py-2 text-soft">{t('tryouts.nobody')}</p>}
      <ul>
        {pupils.map((p) => (
          <li
            key={p.student}
            data-student={p.student}
            className="grid items-center gap-x-4 border-b border-line py-1 desk:grid-cols-[minmax(0,14rem)_4rem_minmax(0,12rem)_minmax(0,1fr)_auto]"
          >
            <b className="font-semibold">
              {p.family}, {p.given}
            </b>
            <span className="text-sm text-soft">{t('tryouts.grade', { grade: p.grade })}</span>
            <span className="text-sm text-soft">{t(`tryouts.asks.${p.asks ?? 'not'}`)}</span>
            <span className="text-sm">
              {p.answer === 'open' ? (
                <span className="text-ochre">
                  <Mark kind="missing" /> {t('tryouts.open')}
                </span>
              ) : why === p.student ? (
                <Why
                  label={t('tryouts.why')}
                  value={p.note ?? ''}
                  onKeep={(note) => (answer(p, p.answer, note), setWhy(undefined))}
                  onLeave={() => setWhy(undefined)}
                />
              ) : (
                <>
                  <Mark kind={p.answer === 'taken' ? 'settled' : 'half'} /> {t(`tryouts.is.${p.answer}`, { by: p.by })}{' '}
                  <button type="button" className="min-h-7 text-start text-soft inked-link" onClick={() => setWhy(p.student)}>
                    {p.note || t('tryouts.why')}
                  </button>
                </>
              )}
            </span>
            <span className="flex flex-wrap gap-2">
              {p.answer !== 'taken' && (
                <Button
                  disabled={!p.may.allowed || take.isPending}
                  aria-label={`${t('tryouts.take')}: ${p.given} ${p.family}`}
                  onClick={() => answer(p, 'taken', p.note)}
                >
                  {t('tryouts.take')}
                </Button>
              )}
              {p.answer === 'open' && tryout.turns && (
                <Button
                  disabled={!p.may.allowed || take.isPending}
                  aria-label={`${t('tryouts.turn')}: ${p.given} ${p.family}`}
                  onClick={() => answer(p, 'not')}
                >
                  {t('tryouts.turn')}
                </Button>
              )}
              {p.answer !== 'open' && (
                <Button
                  disabled={!p.may.allowed || take.isPending}
                  aria-label={`${t('tryouts.undo')}: ${p.given} ${p.family}`}
                  onClick={() => answer(p, 'open')}
                >
                  {t('tryouts.undo')}
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A list of those who are taken: whom it names is said before anybody is. */
function Listed(props: { at: Year; tryout: Tryout; busy: boolean; onTake: (students: string[], done: () => void) => void }) {
  const { t } = useTranslation();
  const [text, setText] = useState('');
  const path = { ...props.at, course: props.tryout.course };
  const name = useMutation<components['schemas']['CohortView'], ApiError, string>({
    mutationFn: (roster) => ask(api.POST('/api/schools/{school}/years/{year}/tryouts/{course}/named', { params: { path }, body: { roster } })),
  });
  const found = name.data;
  const change = (next: string) => {
    setText(next);
    name.reset();
  };
  return (
    <details className="my-1">
      <summary className="min-h-8 cursor-pointer">{t('tryouts.list')}</summary>
      <form
        className="max-w-xl"
        onSubmit={(event) => {
          event.preventDefault();
          name.mutate(text);
        }}
      >
        <Pasted label={t('tryouts.listNote')} value={text} rows={5} onChange={change} />
        <Refusal text={name.error ? errorWords(t, name.error) : undefined} />
        {!found && (
          <Button type="submit" className="mt-2" disabled={name.isPending || text.trim() === ''}>
            {t('tryouts.look')}
          </Button>
        )}
      </form>
      {found && (
        <div className="mt-2 max-w-xl" role="status">
          <p>{found.students.length ? t('tryouts.names', { count: found.students.length }) : t('tryouts.namesNone')}</p>
          <p className="text-sm text-soft">{found.students.map((s) => `${s.family}, ${s.given} (${s.grade})`).join('; ')}</p>
          {found.lines.length > 0 && (
            <ul className="mt-1 rounded border p-2 text-sm hatch">
              {found.lines.map((l) => (
                <li key={l.line} className="rounded-sm bg-card px-1">
                  <code className="font-mono">{l.text}</code>{' '}
                  <span className="text-ochre">
                    {l.twice
                      ? t('tryouts.twice')
                      : l.people.length
                        ? t('tryouts.several', { list: l.people.map((p) => `${p.family}, ${p.given} (${p.grade}, ${p.id})`).join('; ') })
                        : t('tryouts.unknown')}
                  </span>
                </li>
              ))}
            </ul>
          )}
          {found.students.length > 0 && (
            <Button
              tone="dark"
              className="mt-2"
              disabled={props.busy}
              onClick={() =>
                props.onTake(
                  found.students.map((s) => s.id),
                  () => change(''),
                )
              }
            >
              {t('tryouts.takeAll', { count: found.students.length })}
            </Button>
          )}
        </div>
      )}
    </details>
  );
}
