import { useMutation } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Person, type Year, useCatalog } from '../api/client';
import { type CohortView, chooseCohort, useCaseload } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Header } from '../kit/header';
import { staffPages } from '../kit/pages';
import { type Book, bookOf } from '../shared/words';
import { Pasted } from '../shared/pasted';
import { Leaves, Reading } from '../shared/reading';
import { Records } from './records';
import { Done } from './done';
import { BulkAct, codeOf } from './bulkact';
import '../shared/staff';

/** What the school puts on many sheets: whom it concerns, by what holds of them or by a list, and what is done. */
export default function Prepare({ person }: { person: Person }) {
  const { t } = useTranslation();
  const at = { school: person.school, year: person.year };
  const catalog = useCatalog(at);
  const caseload = useCaseload(at, { all: 'true' }); // for the grades and programs there are
  const [chosen, setChosen] = useState<CohortView>();
  const [round, setRound] = useState(0);
  const choose = useMutation({
    mutationFn: (body: Parameters<typeof chooseCohort>[1]) => chooseCohort(at, body),
    onSuccess: (cohort) => {
      setChosen(cohort);
      setRound((n) => n + 1);
    },
  });
  if (catalog.error && !catalog.data) return <Refusal text={errorWords(t, catalog.error)} />;
  if (!catalog.data) return <Loading />;
  const book = bookOf(catalog.data);
  return (
    <>
      <Header pages={staffPages(t, person)} where={t('header.schoolYear', { school: catalog.data.name, year: catalog.data.label })} />
      <main id="page" className="px-4 pb-16 desk:px-6">
        <h1 className="mt-3 mb-2">{chosen ? t('prepare.chosen', { count: chosen.students.length }) : t('prepare.head')}</h1>
        <div className="grid gap-x-6 border-t border-line desk:grid-cols-[28rem_1fr]">
          <section aria-label={t('prepare.whom')} className="py-3 desk:border-e desk:border-line desk:pe-6">
            <Whom
              at={at}
              book={book}
              grades={caseload.data?.counts.grades.map((g) => Number(g.id)) ?? []}
              programs={caseload.data?.counts.programs.map((p) => p.id) ?? []}
              counselor={person.job === 'counselor'}
              busy={choose.isPending}
              error={choose.error ? errorWords(t, choose.error) : undefined}
              onChoose={(body) => choose.mutate(body)}
            />
            <Records at={at} book={book} onOpen={() => setChosen(undefined)} />
          </section>
          <section aria-label={t('prepare.what')} className="py-3">
            {chosen ? (
              <>
                {chosen.unknown && (
                  <p role="alert" className="mb-2 text-ochre">
                    {t('reading.unknown', { count: chosen.unknown.length, codes: chosen.unknown.join(', ') })}
                  </p>
                )}
                <Unclear cohort={chosen} />
                {chosen.students.length > 0 ? (
                  <BulkAct
                    key={round}
                    at={at}
                    book={book}
                    students={chosen.students}
                    kinds={['assign', 'place', 'takeOff', 'exempt', 'permit', 'waive', 'record', 'remind']}
                  />
                ) : (
                  <p className="text-soft">{t('prepare.nobody')}</p>
                )}
              </>
            ) : (
              <p className="max-w-xl text-soft">{t('prepare.note')}</p>
            )}
            <h2 className="mt-8 mb-1 font-semibold">{t('prepare.before')}</h2>
            <Done at={at} book={book} />
          </section>
        </div>
      </main>
    </>
  );
}

const field = 'min-h-9 rounded border border-edge bg-card px-2 max-desk:min-h-11';

function Whom(props: {
  at: Year;
  book: Book;
  grades: number[];
  programs: string[];
  counselor: boolean;
  busy: boolean;
  error?: string;
  onChoose: (body: Parameters<typeof chooseCohort>[1]) => void;
}) {
  const { t } = useTranslation();
  const [roster, setRoster] = useState('');
  const [condition, setCondition] = useState('');
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    props.onChoose({
      mine: form.get('mine') !== null,
      grades: form.getAll('grade').map(Number),
      programs: form.getAll('program').map(String),
      condition: String(form.get('condition') ?? ''),
      taking: form.get('taking') !== null,
      course: codeOf(props.book, String(form.get('course') ?? '').trim()),
      roster,
    });
  }
  return (
    <form onSubmit={submit}>
      <h2 className="font-semibold">{t('prepare.whom')}</h2>
      <p className="mb-2 text-sm text-soft">{t('prepare.all')}</p>
      <fieldset className="mb-2 flex flex-wrap gap-x-4">
        <legend className="text-sm text-soft">{t('prepare.grades')}</legend>
        {props.grades.map((g) => (
          <label key={g} className="flex min-h-8 items-center gap-1.5">
            <input type="checkbox" name="grade" value={g} className="size-5 accent-(--ink)" /> {g}
          </label>
        ))}
      </fieldset>
      {props.programs.length > 0 && (
        <fieldset className="mb-2 flex flex-wrap gap-x-4">
          <legend className="text-sm text-soft">{t('prepare.programs')}</legend>
          {props.programs.map((p) => (
            <label key={p} className="flex min-h-8 items-center gap-1.5">
              <input type="checkbox" name="program" value={p} className="size-5 accent-(--ink)" /> {p}
            </label>
          ))}
        </fieldset>
      )}
      <label className="block">
        {t('prepare.condition')}
        <input
          name="condition"
          maxLength={4096}
          spellCheck={false}
          placeholder={t('prepare.example')}
          aria-describedby="condition-read"
          onChange={(event) => setCondition(event.target.value)}
          className={`${field} mt-0.5 block w-full font-mono text-sm`}
        />
      </label>
      <Reading at={props.at} id="condition-read" text={condition} />
      <label className="mt-1 flex min-h-8 items-center gap-2">
        <input type="checkbox" name="taking" className="size-5 accent-(--ink)" /> {t('prepare.taking')}
      </label>
      <details className="mt-1 text-sm text-soft">
        <summary className="min-h-6 cursor-pointer">{t('prepare.help')}</summary>
        <Leaves />
        <label className="mt-1 block">
          {t('prepare.course')}
          <input name="course" maxLength={100} className={`${field} mt-0.5 block w-full`} />
        </label>
      </details>
      <div className="mt-2">
        <Pasted label={t('prepare.roster')} value={roster} rows={6} onChange={setRoster} />
        <span className="text-sm text-soft">{t('prepare.rosterNote')}</span>
      </div>
      {props.counselor && (
        <label className="mt-1 flex min-h-8 items-center gap-2">
          <input type="checkbox" name="mine" defaultChecked className="size-5 accent-(--ink)" /> {t('prepare.mine')}
        </label>
      )}
      <Refusal text={props.error} />
      <Button type="submit" tone="dark" className="mt-3" disabled={props.busy}>
        {props.busy ? t('working') : t('prepare.choose')}
      </Button>
    </form>
  );
}

/** The lines of a list that name no one, several, or someone once more. */
function Unclear({ cohort }: { cohort: CohortView }) {
  const { t } = useTranslation();
  if (cohort.lines.length === 0) return null;
  return (
    <section className="mb-4 rounded border p-2 hatch" aria-label={t('prepare.unclear', { count: cohort.lines.length })}>
      <div className="rounded-sm bg-card p-2">
        <h2 className="font-semibold text-ochre">{t('prepare.unclear', { count: cohort.lines.length })}</h2>
        <ul className="max-h-48 overflow-y-auto text-sm" tabIndex={0}>
          {cohort.lines.map((l) => (
            <li key={l.line}>
              {t('prepare.line', { line: l.line })} <code className="font-mono">{l.text}</code>{' '}
              <span className="text-soft">
                {l.twice
                  ? t('prepare.twice')
                  : l.people.length
                    ? t('prepare.several', { list: l.people.map((p) => `${p.family}, ${p.given} (${p.grade}, ${p.id})`).join('; ') })
                    : t('prepare.unknown')}
              </span>
            </li>
          ))}
        </ul>
      </div>
    </section>
  );
}
