import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { TFunction } from 'i18next';
import { type FormEvent, useId, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { type Batching, type RecordView, type SheetOutcome, doBatch, takeBack, tryBatch } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { yearLabel } from '../kit/format';
import type { Book } from '../shared/words';
import { BackForm, outcomeWords } from './back';

export type Kind = Batching['kind'];

interface Student {
  id: string;
  given: string;
  family: string;
  grade: number;
  version: number;
}

/** How many sheets are sent at once, so that it can be said how far it is. */
const chunk = 100;

const field = 'min-h-9 rounded border border-edge bg-paper px-2 max-desk:min-h-11';

/** Why an act cannot be tried; a field of a record is named. */
function trialWords(t: TFunction, error: unknown) {
  const { code, param } = (error as { problem?: { code?: string; param?: string } }).problem ?? {};
  return code === 'bad-record' ? t(`together.bad.${param}`) : errorWords(t, error);
}

/** What is about to be done, without with whom. */
type Act = Omit<Batching, 'sheets' | 'batch'>;

/** One act on many sheets: what it is, whom it would concern and whom it leaves out and why, before it is done; then it can be taken back. */
export function BulkAct(props: {
  at: Year;
  book: Book;
  students: Student[];
  kinds: Kind[];
  first?: Kind;
  about?: string;
  head?: string;
  mends?: RecordView;
  own?: Batching['own']; // what is entered for each, where it is not the same for all
  onClose?: () => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { at, book, students, kinds } = props;
  const [kind, setKind] = useState<Kind>(props.first && kinds.includes(props.first) ? props.first : (kinds[0] ?? 'remind'));
  const [act, setAct] = useState<Act>();
  const [out, setOut] = useState<string[]>([]);
  const [sent, setSent] = useState(0);
  const sheets = useMemo(() => students.map((s) => ({ student: s.id, version: s.version })), [students]);
  // An older version matters where what was looked at is decided on; what is prepared goes onto whatever is there.
  const looked = (k: Kind) => (k === 'clear' || k === 'sendBack' ? sheets : sheets.map((s) => ({ student: s.student })));
  const trial = useMutation({ mutationFn: (a: Act) => tryBatch(at, { ...a, sheets: looked(a.kind) }) });
  const fits = trial.data?.sheets.filter((s) => !s.code) ?? [];
  const stays = trial.data?.sheets.filter((s) => s.code) ?? [];
  const chosen = fits.filter((s) => !out.includes(s.student));
  const work = useMutation({
    mutationFn: async (a: Act) => {
      const all: SheetOutcome[] = [];
      let batch: number | undefined;
      for (let i = 0; i < chosen.length; i += chunk) {
        const part = chosen
          .slice(i, i + chunk)
          .map((s) => ({ student: s.student, version: a.kind === 'clear' || a.kind === 'sendBack' ? s.version : undefined }));
        const answer = await doBatch(at, { ...a, batch, sheets: part });
        if (answer.sheets.some((s) => !s.code)) batch = answer.batch;
        all.push(...answer.sheets);
        setSent(i + part.length);
      }
      return { batch, sheets: all };
    },
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ['caseload'] });
      void client.invalidateQueries({ queryKey: ['sheet'] });
      void client.invalidateQueries({ queryKey: ['batches'] });
    },
  });

  function look(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const text = (name: string) => String(form.get(name) ?? '').trim();
    const code = (name: string) => codeOf(book, text(name));
    const next: Act = {
      kind,
      course: code('course'),
      instead: code('instead'),
      name: text('name') || undefined,
      fixed: form.get('fixed') !== null || undefined,
      message: text('message') || undefined,
      reason: text('reason') || undefined,
      record:
        kind === 'record' && !props.own
          ? {
              record: props.mends?.id,
              course: code('course'),
              title: code('course') === text('course') ? text('course') : undefined,
              subject: text('subject') || undefined,
              schoolYear: text('schoolYear'),
              term: text('term') || undefined,
              credits: text('credits') || undefined,
              mark: text('mark') || undefined,
              outcome: text('outcome') as RecordView['outcome'],
            }
          : undefined,
      own: props.own,
    };
    setAct(next);
    setOut([]);
    work.reset();
    trial.mutate(next);
  }

  return (
    <section aria-label={props.head ?? t('together.head', { count: students.length })}>
      <div className="flex items-baseline gap-3">
        <h2 className="font-head text-xl font-medium">{props.head ?? t('together.head', { count: students.length })}</h2>
        {props.onClose && (
          <button type="button" className="ms-auto min-h-7 inked-link" onClick={props.onClose}>
            {t('together.close')}
          </button>
        )}
      </div>
      {!work.data && (
        <form onSubmit={look} onChange={() => act && !work.isPending && (setAct(undefined), trial.reset())} className="mt-2 max-w-xl">
          <label className="flex flex-wrap items-center gap-2">
            {t('together.act')}
            <select value={kind} onChange={(event) => (setKind(event.target.value as Kind), setAct(undefined), trial.reset())} className={field}>
              {kinds.map((k) => (
                <option key={k} value={k}>
                  {t(`together.kind.${k}`)}
                </option>
              ))}
            </select>
          </label>
          <p className="mt-1 mb-2 text-sm text-soft">{t(`together.note.${kind}`)}</p>
          <Fields key={kind} kind={kind} book={book} about={props.about} mends={props.mends} own={props.own !== undefined} />
          <Button type="submit" tone="dark" className="mt-2" disabled={trial.isPending || work.isPending || students.length === 0}>
            {trial.isPending ? t('working') : t('together.look')}
          </Button>
        </form>
      )}
      <Refusal text={trial.error ? trialWords(t, trial.error) : undefined} />
      {act && trial.data && !work.data && (
        <div className="mt-3">
          <h3 className="font-semibold" role="status">
            {t('together.would', { count: fits.length })} {stays.length > 0 && t('together.stay', { count: stays.length })}
          </h3>
          {fits.length > 0 && (
            <>
              <Whom book={book} list={fits} out={out} onOut={setOut} />
              <div className="mt-2 flex flex-wrap items-center gap-3">
                <Button tone="chief" disabled={work.isPending || chosen.length === 0} onClick={() => (setSent(0), work.mutate(act))}>
                  {work.isPending ? t('together.doing', { done: sent, total: chosen.length }) : t(`together.do.${act.kind}`, { count: chosen.length })}
                </Button>
                {work.isPending && <progress className="h-2 w-40 accent-ink" aria-label={t('together.progress')} max={chosen.length} value={sent} />}
              </div>
            </>
          )}
          <Stays list={stays} />
          <Refusal text={work.error ? errorWords(t, work.error) : undefined} />
        </div>
      )}
      {work.data && <Result at={at} batch={work.data.batch} sheets={work.data.sheets} onAgain={() => (work.reset(), trial.reset(), setAct(undefined))} />}
    </section>
  );
}

/** The code of a course that was written by code or title; what is neither goes as it is, and is refused by name. */
export function codeOf(book: Book, text: string) {
  const wanted = text.toLowerCase();
  return book.catalog.courses.find((c) => c.code.toLowerCase() === wanted || c.title.toLowerCase() === wanted)?.code ?? (text || undefined);
}

/** What an act needs beside whom it concerns. */
function Fields({ kind, book, about, mends, own }: { kind: Kind; book: Book; about?: string; mends?: RecordView; own: boolean }) {
  const { t } = useTranslation();
  const id = useId();
  const courseField = (name: string, required: boolean) => (
    <label className="mt-1 block">
      {t(`together.${name}`)}
      <input name={name} list={id} required={required} maxLength={100} className={`${field} mt-0.5 block w-full`} />
    </label>
  );
  return (
    <>
      {(kind === 'assign' || kind === 'takeOff' || kind === 'waive' || kind === 'place') && courseField('course', true)}
      {(kind === 'assign' || kind === 'place') && courseField('instead', false)}
      {kind === 'assign' && (
        <label className="mt-2 flex items-center gap-2">
          <input type="checkbox" name="fixed" className="size-5 accent-(--ink)" />
          {t('together.fixed')}
        </label>
      )}
      {kind === 'exempt' && (
        <label className="mt-1 block">
          {t('together.rule')}
          <select name="name" required defaultValue="" className={`${field} mt-0.5 block w-full`}>
            <option value="">{t('together.chooseRule')}</option>
            {book.catalog.rules.map((r) => (
              <option key={r.id} value={r.id}>
                {r.label}
              </option>
            ))}
            {book.catalog.audits.map((a) => (
              <optgroup key={a.id} label={a.label}>
                {a.entries.map((e) => (
                  <option key={e.id} value={`${a.id}/${e.id}`}>
                    {e.label}
                  </option>
                ))}
              </optgroup>
            ))}
          </select>
        </label>
      )}
      {kind === 'record' && !own && <RecordFields id={id} book={book} mends={mends} />}
      {kind === 'permit' && (
        <>
          <label className="mt-1 block">
            {t('together.permission')}
            <input name="name" required maxLength={100} className={`${field} mt-0.5 block w-full`} />
          </label>
          {courseField('course', false)}
        </>
      )}
      {kind === 'remind' && (
        <label className="mt-1 block">
          {t('together.about')}
          <select name="name" defaultValue={about && reminders.includes(about) ? about : 'unsigned'} className={`${field} mt-0.5 block w-full`}>
            {reminders.map((r) => (
              <option key={r} value={r}>
                {t(`reminder.${r}`)}
              </option>
            ))}
          </select>
        </label>
      )}
      {(kind === 'sendBack' || kind === 'remind') && (
        <label className="mt-1 block">
          {t(kind === 'sendBack' ? 'together.message' : 'together.beside')}
          <textarea
            name="message"
            required={kind === 'sendBack'}
            maxLength={1000}
            rows={3}
            className="mt-0.5 block w-full rounded border border-edge bg-paper p-2"
          />
        </label>
      )}
      {kind !== 'clear' && kind !== 'sendBack' && kind !== 'remind' && (
        <label className="mt-1 block">
          {t('panel.reason')}
          <textarea name="reason" required maxLength={1000} rows={2} className="mt-0.5 block w-full rounded border border-edge bg-paper p-2" />
        </label>
      )}
      <datalist id={id}>
        {book.catalog.courses.map((c) => (
          <option key={c.code} value={c.title}>
            {c.code}
          </option>
        ))}
      </datalist>
    </>
  );
}

/** A record as it is entered, or as it stands where it is corrected. */
function RecordFields({ id, book, mends }: { id: string; book: Book; mends: RecordView | undefined }) {
  const { t } = useTranslation();
  const start = book.catalog.year - 1;
  const text = (name: 'course' | 'subject' | 'schoolYear' | 'term' | 'credits' | 'mark', value: string | undefined, required: boolean, width: string) => (
    <label className="block">
      {t(`together.record.${name}`)}
      <input
        name={name}
        list={name === 'course' ? id : undefined}
        required={required}
        maxLength={100}
        defaultValue={value}
        className={`${field} mt-0.5 block ${width}`}
      />
    </label>
  );
  return (
    <div className="flex flex-wrap gap-3">
      {text('course', mends?.title, true, 'w-64')}
      {text('subject', mends?.subjects[0], false, 'w-40')}
      {text('schoolYear', mends?.schoolYear ?? yearLabel(start), true, 'w-24')}
      {text('term', mends?.term, false, 'w-20')}
      {text('credits', mends && String(mends.credits), false, 'w-20')}
      {text('mark', mends?.mark === undefined ? undefined : String(mends.mark), false, 'w-20')}
      <label className="block">
        {t('together.record.outcome')}
        <select name="outcome" defaultValue={mends?.outcome ?? 'transfer'} className={`${field} mt-0.5 block`}>
          {(['earned', 'transfer', 'inProgress', 'failed', 'withdrawn'] as const).map((o) => (
            <option key={o} value={o}>
              {t(`file.outcome.${o}`)}
            </option>
          ))}
        </select>
      </label>
    </div>
  );
}

/** What a family can be reminded of. */
const reminders = ['unbegun', 'unsigned', 'changed', 'contested', 'uncovered', 'loneHalf', 'overdue'];

/** Whom an act would concern, each to be left out. */
function Whom(props: { book: Book; list: SheetOutcome[]; out: string[]; onOut: (out: string[]) => void }) {
  const { t } = useTranslation();
  const { list, out, onOut, book } = props;
  return (
    <ul className="mt-1 max-h-[40vh] overflow-y-auto border-y border-line" tabIndex={0} aria-label={t('together.whom')}>
      {list.map((s) => (
        <li key={s.student} className="border-t border-line first:border-t-0">
          <label className="flex min-h-8 items-center gap-3 max-desk:min-h-11">
            <input
              type="checkbox"
              className="size-5 accent-(--ink)"
              checked={!out.includes(s.student)}
              onChange={(event) => onOut(event.target.checked ? out.filter((x) => x !== s.student) : [...out, s.student])}
            />
            <span className="w-40 truncate">
              {s.family}, {s.given}
            </span>
            <span className="w-6 text-soft">{s.grade}</span>
            <span className="min-w-0 flex-1 truncate text-sm text-soft">
              {s.came.length > 0 && t('together.came', { courses: s.came.map(book.title).join(', ') })}{' '}
              {s.gone.length > 0 && t('together.gone', { courses: s.gone.map(book.title).join(', ') })}
            </span>
          </label>
        </li>
      ))}
    </ul>
  );
}

/** Who stays as they are, by why. */
function Stays({ list }: { list: SheetOutcome[] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<string>();
  const by = useMemo(() => {
    const groups = new Map<string, SheetOutcome[]>();
    for (const s of list) groups.set(s.code ?? '', [...(groups.get(s.code ?? '') ?? []), s]);
    return [...groups];
  }, [list]);
  if (by.length === 0) return null;
  return (
    <section className="mt-3" aria-label={t('together.left')}>
      <h3 className="font-semibold">{t('together.left')}</h3>
      <ul>
        {by.map(([code, some]) => (
          <li key={code} className="border-t border-line py-1">
            <button type="button" aria-expanded={open === code} className="min-h-6 text-start" onClick={() => setOpen(open === code ? undefined : code)}>
              <b className="font-semibold">{some.length}</b> {outcomeWords(t, code)} <span className="inked-link text-sm">{t('together.who')}</span>
            </button>
            {open === code && <p className="text-sm text-soft">{some.map((s) => (s.family ? `${s.family}, ${s.given}` : s.student)).join(' · ')}</p>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What was done, with the way back. */
export function Result(props: { at: Year; batch: number | undefined; sheets: SheetOutcome[]; onAgain: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const done = props.sheets.filter((s) => !s.code);
  const back = useMutation({
    mutationFn: (reason: string) => takeBack(props.at, props.batch ?? 0, reason),
    onSettled: () => {
      for (const key of ['caseload', 'sheet', 'batches']) void client.invalidateQueries({ queryKey: [key] });
    },
  });
  return (
    <div className="mt-3">
      <p role="status">
        <b className="font-semibold">{t('together.done', { count: done.length })}</b>{' '}
        {back.data && t('together.backDone', { count: back.data.sheets.filter((s) => !s.code).length })}
      </p>
      <Stays list={props.sheets.filter((s) => s.code)} />
      {back.data && <Stays list={back.data.sheets.filter((s) => s.code)} />}
      <div className="mt-2 flex flex-wrap gap-2">
        {props.batch && !back.data && (
          <BackForm busy={back.isPending} error={back.error ? errorWords(t, back.error) : undefined} onBack={(reason) => back.mutate(reason)} />
        )}
        <Button onClick={props.onAgain}>{t('together.again')}</Button>
      </div>
    </div>
  );
}
