import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type CaseRow, type Person, type Year, clearSheets, reopenSheets, useCaseload, useCatalog } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { Header } from '../kit/header';
import { officePages } from '../kit/pages';
import { bookOf } from '../words';
import { Panel } from './panel';
import '../kit/staff';

const stages = ['notBegun', 'inProgress', 'withFamily', 'waiting', 'complete', 'cleared'] as const;
type Stage = (typeof stages)[number];

/** Sheets that were cleared together, in the versions they have since. */
interface Cleared {
  sheets: { student: string; version: number }[];
  failed: number;
}
const reasons = ['claim', 'asked', 'unmet', 'retake', 'tooComplex'] as const;

/** A counselor's students by what they wait for, with one of them beside. */
export default function Counselor({ person }: { person: Person }) {
  const { t } = useTranslation();
  const [all, setAll] = useState(person.job === 'office');
  const at = useMemo(() => ({ school: person.school, year: person.year }), [person]);
  const caseload = useCaseload(at, all);
  const catalog = useCatalog(at);
  const [stage, setStage] = useState<Stage>('waiting');
  const [text, setText] = useState('');
  const [student, setStudent] = useState<string>();
  const [cleared, setCleared] = useState<Cleared>(); // the last that were cleared together
  const rows = useMemo(() => caseload.data?.students ?? [], [caseload.data]);
  const by = useMemo(() => Object.fromEntries(stages.map((s) => [s, rows.filter((r) => r.stage === s)])) as Record<Stage, CaseRow[]>, [rows]);
  const needle = text.trim().toLowerCase();
  const shown = needle ? rows.filter((r) => `${r.given} ${r.family} ${r.given} ${r.family}, ${r.given}`.toLowerCase().includes(needle)) : by[stage];

  const error = caseload.data ? undefined : (caseload.error ?? catalog.error);
  if (error)
    return (
      <main className="p-6">
        <Refusal text={errorWords(t, error)} />
        <Button className="mt-3" onClick={() => void caseload.refetch()}>
          {t('error.retry')}
        </Button>
      </main>
    );
  if (!caseload.data || !catalog.data) return <Loading />;
  const book = bookOf(catalog.data);
  const groups =
    needle || stage !== 'waiting'
      ? [{ key: '', rows: shown }]
      : reasons.map((r) => ({ key: r as string, rows: shown.filter((x) => x.reason === r) })).filter((g) => g.rows.length);
  const flat = groups.flatMap((g) => g.rows);
  const current = student ?? flat[0]?.id;
  const next = () => {
    const at = flat.findIndex((r) => r.id === current);
    setStudent((flat[at + 1] ?? flat[0])?.id);
  };
  return (
    <div className="flex min-h-screen flex-col desk:h-screen">
      <Header
        pages={person.job === 'office' ? officePages(t) : [{ to: '/', label: t('nav.caseload') }]}
        where={t('header.schoolYear', { school: catalog.data.name, year: catalog.data.label })}
      >
        <b className="font-semibold text-ink">{caseload.data.name}</b>
        {person.job === 'counselor' && (
          <select
            aria-label={t('caseload.scope')}
            value={all ? 'all' : 'mine'}
            onChange={(event) => setAll(event.target.value === 'all')}
            className="min-h-8 rounded border border-edge bg-card px-1 text-ink"
          >
            <option value="mine">{t('caseload.mine')}</option>
            <option value="all">{t('caseload.all')}</option>
          </select>
        )}
      </Header>
      <main id="page" className="flex min-h-0 flex-1 flex-col px-4 desk:px-6">
        <h1 className="mt-3 mb-2">
          {by.waiting.length ? t('caseload.head', { count: by.waiting.length }) : t('caseload.headNone')}{' '}
          {by.complete.length > 0 && t('caseload.clear', { count: by.complete.length })}
        </h1>
        <Flow by={by} stage={needle ? undefined : stage} onStage={(s) => (setStage(s), setText(''), setStudent(undefined))} />
        <div className="grid min-h-0 flex-1 border-t border-line desk:grid-cols-[35rem_1fr]">
          <section className="flex min-h-0 flex-col desk:border-r desk:border-line">
            <div className="flex items-center gap-3 py-2 desk:pr-4">
              <input
                type="search"
                aria-label={t('caseload.find')}
                placeholder={t('caseload.find')}
                value={text}
                onChange={(event) => setText(event.target.value)}
                className="min-h-9 min-w-0 flex-1 rounded border border-edge bg-card px-2 placeholder:text-soft"
              />
              {stage === 'complete' && !needle && (
                <ClearAll at={at} rows={by.complete.filter((r) => r.acts.clear.allowed)} done={cleared} onDone={setCleared} />
              )}
            </div>
            <div className="min-h-0 overflow-y-auto" tabIndex={-1}>
              {flat.length === 0 && <p className="py-3 text-soft">{t('caseload.nobody')}</p>}
              {groups.map((g) => (
                <div key={g.key}>
                  {g.key && (
                    <h2 className="flex gap-2 pt-2 pb-1 text-sm text-soft">
                      <b className="font-semibold text-ink">{t(`caseload.reason.${g.key}`)}</b> {g.rows.length}
                    </h2>
                  )}
                  <ul>
                    {g.rows.map((r) => (
                      <li key={r.id}>
                        <button
                          type="button"
                          aria-current={r.id === current ? 'true' : undefined}
                          onClick={() => {
                            setStudent(r.id);
                            if (window.innerWidth < 1024) document.getElementById('student')?.scrollIntoView();
                          }}
                          className="grid min-h-8 w-full grid-cols-[9.5rem_1.5rem_1fr_4rem] items-center gap-2 border-t border-line px-2 text-left aria-[current]:bg-wash aria-[current]:shadow-[inset_3px_0_0_var(--ink)] max-desk:min-h-11 max-desk:grid-cols-[9rem_1.5rem_1fr]"
                        >
                          <span className="truncate">
                            {r.family}, {r.given}
                          </span>
                          <span className="text-soft">{r.grade}</span>
                          <span className="truncate text-soft">{why(t, book.title, r)}</span>
                          <span className="text-right text-sm text-soft max-desk:hidden">{since(t, r)}</span>
                        </button>
                      </li>
                    ))}
                  </ul>
                </div>
              ))}
            </div>
          </section>
          <section id="student" className="min-h-0 overflow-y-auto pt-3 pb-6 desk:pl-5" tabIndex={-1}>
            {current ? (
              <Panel key={current} book={book} place={{ ...at, student: current }} onNext={next} />
            ) : (
              <p className="text-soft">{t('caseload.empty')}</p>
            )}
          </section>
        </div>
      </main>
    </div>
  );
}

type T = ReturnType<typeof useTranslation>['t'];

function why(t: T, title: (code: string) => string, r: CaseRow): string {
  if (r.also) return `${why(t, title, { ...r, also: undefined })} · ${t('caseload.also', { message: r.also })}`;
  if (r.reason === 'asked') return `“${r.text}”`;
  if (r.reason === 'claim') return `${t('caseload.claimFor', { course: title(r.course ?? '') })}: “${r.text}”`;
  if (r.course) return title(r.course);
  return t(`caseload.stage.${r.stage}`);
}

function since(t: T, r: CaseRow) {
  if (!r.since) return '';
  const days = Math.floor((Date.now() - new Date(r.since).getTime()) / 86_400_000);
  return days < 1 ? t('caseload.today') : t('caseload.days', { count: days });
}

/** How many students are where, as one strip whose parts choose the list below. */
function Flow(props: { by: Record<Stage, CaseRow[]>; stage: Stage | undefined; onStage: (s: Stage) => void }) {
  const { t } = useTranslation();
  return (
    <div className="mb-3 flex rounded border border-line bg-card max-desk:grid max-desk:grid-cols-3">
      {stages.map((s) => (
        <button
          key={s}
          type="button"
          aria-pressed={props.stage === s}
          onClick={() => props.onStage(s)}
          style={{ flexGrow: Math.max(1, Math.sqrt(props.by[s].length)) }}
          className={`shrink-0 basis-24 border-r border-line px-3 py-1 text-left text-sm last:border-r-0 ${s === 'waiting' ? 'hatch' : 'hover:bg-wash'} aria-pressed:shadow-[inset_0_-3px_0_var(--ink)]`}
        >
          <span className={s === 'waiting' ? 'inline-block rounded-sm bg-card px-1 text-ochre' : 'text-soft'}>
            <b className="block text-base leading-tight font-semibold text-ink">{props.by[s].length}</b>
            {t(`caseload.stage.${s}`)}
          </span>
        </button>
      ))}
    </div>
  );
}

/** Clears everybody who can be cleared: first it shows whom, so that some can be left out; afterwards it can be taken back as one. */
function ClearAll({ at, rows, done, onDone }: { at: Year; rows: CaseRow[]; done: Cleared | undefined; onDone: (done?: Cleared) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [asking, setAsking] = useState(false);
  const [out, setOut] = useState<string[]>([]);
  const chosen = rows.filter((r) => !out.includes(r.id));
  const refresh = () => client.invalidateQueries({ queryKey: ['caseload'] });
  const clear = useMutation({
    mutationFn: () =>
      clearSheets(
        at,
        chosen.map((r) => ({ student: r.id, version: r.version })),
      ),
    onSuccess: (answer) => {
      setAsking(false);
      onDone({
        sheets: answer.sheets.flatMap((s) => (s.code || !s.version ? [] : [{ student: s.student, version: s.version }])),
        failed: answer.sheets.filter((s) => s.code).length,
      });
    },
    onSettled: refresh,
  });
  const back = useMutation({
    mutationFn: (sheets: Cleared['sheets']) => reopenSheets(at, sheets, t('caseload.backReason')),
    onSuccess: () => onDone(undefined),
    onSettled: refresh,
  });
  return (
    <>
      {done ? (
        <p className="text-sm">
          <span role="status">
            {t('caseload.cleared', { done: done.sheets.length, all: done.sheets.length + done.failed })}{' '}
            {done.failed > 0 && t('caseload.clearFailed', { count: done.failed })}
          </span>{' '}
          {done.sheets.length > 0 && (
            <button type="button" disabled={back.isPending} className="min-h-7 inked-link" onClick={() => back.mutate(done.sheets)}>
              {back.isPending ? t('working') : t('caseload.takeBack')}
            </button>
          )}
        </p>
      ) : (
        rows.length > 0 && (
          <Button tone="dark" onClick={() => setAsking(true)}>
            {t('caseload.clearAll', { count: rows.length })}
          </Button>
        )
      )}
      {back.data && !done && (
        <p role="status" className="text-sm">
          {t('caseload.takenBack', { count: back.data.sheets.filter((s) => !s.code).length })}
        </p>
      )}
      <Refusal text={back.error ? errorWords(t, back.error) : undefined} />
      <Dialog open={asking} onClose={() => setAsking(false)} title={t('caseload.clearTitle')}>
        <p className="mb-2 text-soft">{t('caseload.clearNote')}</p>
        <ul className="max-h-[50vh] overflow-y-auto" tabIndex={-1}>
          {rows.map((r) => (
            <li key={r.id} className="border-t border-line">
              <label className="flex min-h-8 items-center gap-3">
                <input
                  type="checkbox"
                  className="size-5 accent-(--ink)"
                  checked={!out.includes(r.id)}
                  onChange={(event) => setOut(event.target.checked ? out.filter((x) => x !== r.id) : [...out, r.id])}
                />
                <span className="flex-1">
                  {r.family}, {r.given}
                </span>
                <span className="text-soft">{r.grade}</span>
              </label>
            </li>
          ))}
        </ul>
        <Refusal text={clear.error ? errorWords(t, clear.error) : undefined} />
        <div className="mt-3 flex gap-2">
          <Button tone="chief" disabled={clear.isPending || chosen.length === 0} onClick={() => clear.mutate()}>
            {clear.isPending ? t('working') : t('caseload.clearNow', { count: chosen.length })}
          </Button>
          <Button onClick={() => setAsking(false)}>{t('cancel')}</Button>
        </div>
      </Dialog>
    </>
  );
}
