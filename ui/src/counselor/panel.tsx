import { useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Decision, type Entry, type Place, type Settling, type Sheet, acts, placeOf, useAct, useSheet } from '../api/client';
import { errorWords } from '../shared/errors';
import { Link } from 'wouter';
import ChangeRequests from '../shared/changerequests';
import { Button, Loading, Refusal } from '../kit/controls';
import { ClaimFile } from '../shared/claimfile';
import { Remarks } from '../shared/remarks';
import { SubmittedDifference } from '../shared/difference';
import { Dialog, TextDialog } from '../kit/dialog';
import { Mark, subjectTab } from '../kit/marks';
import { amount, day, pastYears } from '../kit/format';
import { type Book, clashWords, clauses, entryLine, inUnit, join, needWords, openNeeds, statusWords } from '../shared/words';

/** What is done with a text that is asked for first. */
type Writing = 'back' | 'clear' | 'sign' | 'reopen';

/** An errand that is settled, or is not after all. */
type Errand = Pick<Settling, 'course' | 'kind' | 'done'>;

type Asked = { answer: Decision['answer']; entry: Entry; claim?: number };

/** One student next to the caseload: what waits for a decision, the year in short, and the acts. */
export function Panel(props: {
  book: Book;
  place: Place;
  short?: boolean;
  list?: string; // what the list beside is chosen by, as an address writes it
  position?: number; // in the list, from 1; 0: no longer
  count?: number;
  onNext?: () => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { book, place } = props;
  const sheet = useSheet(place);
  const clear = useAct(place, acts.clear);
  const back = useAct(place, acts.sendBack);
  const decide = useAct(place, acts.decide);
  const sign = useAct(place, acts.sign);
  const reopen = useAct(place, acts.reopen);
  const [asked, setAsked] = useState<Asked>();
  const settle = useAct(place, acts.settle);
  const [errand, setErrand] = useState<Errand>();
  const [writing, setWriting] = useState<Writing>();
  const [about, setAbout] = useState<string[]>([]); // the entries that a message is about
  const refresh = () => void client.invalidateQueries({ queryKey: ['caseload'] });

  if (sheet.error && !sheet.data) return <Refusal text={errorWords(t, sheet.error)} />;
  if (!sheet.data) return <Loading />;
  const s = sheet.data;
  const credits = s.requests.reduce((sum, e) => sum + (book.course(e.course)?.credits ?? 0), 0);
  const open = clauses(t, book, s, 'school');
  const stopped = s.requests.filter((e) => openNeeds(e).length > 0);
  const may = s.acts;
  const written: Record<Writing, { run: (text: string) => void; busy: boolean; error: unknown }> = {
    back: { run: (message) => back.mutate({ version: s.version, message, about }, over), busy: back.isPending, error: back.error },
    clear: { run: (reason) => clear.mutate({ version: s.version, reason }, over), busy: clear.isPending, error: clear.error },
    sign: { run: (reason) => sign.mutate({ version: s.version, agreed: [], reason }, over), busy: sign.isPending, error: sign.error },
    reopen: { run: (reason) => reopen.mutate({ version: s.version, reason }, over), busy: reopen.isPending, error: reopen.error },
  };
  const over = {
    onSuccess: () => {
      setWriting(undefined);
      setAbout([]);
      refresh();
    },
  };
  return (
    <>
      {!props.short && (
        <h2 className="flex items-baseline gap-4 font-head text-xl font-medium">
          {s.student.given} {s.student.family}
          <Link href={`/student/${encodeURIComponent(s.student.id)}${props.list ? `?${props.list}` : ''}`} className="font-read text-base inked-link">
            {t('panel.whole')}
          </Link>
        </h2>
      )}
      <p className="mb-2 text-sm text-soft">
        {t('panel.sub', {
          grade: s.student.grade,
          state: (!s.status.started ? t('caseload.stage.notBegun') : statusWords(t, s).state).toLowerCase(),
          credits: inUnit(t, book, credits),
        })}
        {s.status.receipt && ` · ${t('submit.receipt', { receipt: s.status.receipt })}`}
      </p>
      {s.status.changeRequests.length > 0 && <ChangeRequests book={book} sheet={s} place={placeOf(s)} answers />}
      {stopped.map((e) => (
        <Question key={e.course} book={book} sheet={s} entry={e} onAsk={setAsked} />
      ))}
      {!props.short && (
        <>
          <ul className="my-2 grid gap-1" style={{ gridTemplateColumns: `repeat(${book.catalog.terms.length}, minmax(0, 1fr))`, gridAutoFlow: 'row dense' }}>
            {[...s.requests]
              .sort((a, b) => b.terms.length - a.terms.length)
              .map((e) => (
                <li
                  key={e.course}
                  title={entryLine(t, book, s, e)}
                  className="truncate rounded-sm border border-s-4 border-line bg-card px-2 py-0.5 text-sm"
                  style={{
                    borderInlineStartColor: subjectTab(book.course(e.course)?.subject ?? '').hue,
                    gridColumn: e.terms.length > 1 ? `span ${e.terms.length}` : (e.terms[0] ?? 0) + 1,
                  }}
                >
                  {book.title(e.course)}{' '}
                  <span className="text-soft">
                    {e.assigned ? `· ${t('panel.required')}` : e.recommends ? `· ${t('entry.recommended', { who: e.recommends })}` : ''}
                  </span>
                </li>
              ))}
          </ul>
          <p className="text-sm text-soft">
            <b className="font-semibold text-ink">{t('panel.alternates')}</b>{' '}
            {s.alternates.map((e) => `${e.rank} ${book.title(e.course)}`).join(' · ') || t('submit.nothing')}
          </p>
        </>
      )}
      <SubmittedDifference book={book} sheet={s} />
      {s.clash && <p className="my-2 text-ochre">{clashWords(t, book, s)}</p>}
      <Remarks book={book} sheet={s} kinds={[]} />
      {s.errands.length > 0 && (
        <section aria-label={t('panel.errands')} className="mt-1 text-sm">
          <b className="font-semibold">{t('panel.errands')}</b>
          <ul>
            {s.errands.map((x) => {
              const what = book.catalog.errands[x.errand];
              if (!what) return null;
              return (
                <li key={x.errand} className="flex flex-wrap items-baseline gap-x-2">
                  <Mark kind={x.settled ? 'settled' : 'missing'} />
                  <span>
                    {what.title}{' '}
                    <span className="text-soft">
                      · {book.title(x.course)} ·{' '}
                      {x.settled
                        ? [t('errands.settled'), x.by].filter(Boolean).join(', ')
                        : what.due
                          ? t('errands.by', { due: day(what.due) })
                          : t('errands.open')}
                    </span>
                  </span>
                  {may.decide.allowed && (!x.settled || x.by) && (
                    <button
                      type="button"
                      className="min-h-6 inked-link"
                      onClick={() => setErrand({ course: x.course, kind: what.kind as Settling['kind'], done: !x.settled })}
                    >
                      {t(x.settled ? 'panel.errandOpen' : 'panel.errandDone')}
                    </button>
                  )}
                </li>
              );
            })}
          </ul>
        </section>
      )}
      <p className="mt-1 mb-3 text-sm">
        {open.length === 0
          ? t(s.status.state === 'cleared' ? 'panel.holdsCleared' : may.clear.allowed ? 'panel.holds' : 'panel.holdsOnly')
          : t('panel.open', {
              list: join(
                t,
                open.map((c) => c.text),
              ),
            })}{' '}
        {may.clear.why && t(`panel.why.${may.clear.why}`, { defaultValue: '' })}
      </p>
      <div className="flex flex-wrap gap-2">
        {may.clear.why !== 'already-done' && may.clear.why !== 'forbidden' && (
          <Button
            tone="chief"
            disabled={!may.clear.allowed || clear.isPending}
            onClick={() => (may.clear.reason ? setWriting('clear') : clear.mutate({ version: s.version }, { onSuccess: refresh }))}
          >
            {clear.isPending ? t('working') : t('panel.clear')}
          </Button>
        )}
        {may.sign.allowed && <Button onClick={() => setWriting('sign')}>{t('panel.sign')}</Button>}
        {may.sendBack.allowed && <Button onClick={() => setWriting('back')}>{t('panel.back')}</Button>}
        {may.reopen.allowed && <Button onClick={() => setWriting('reopen')}>{t('panel.reopen')}</Button>}
        {props.onNext && <Button onClick={props.onNext}>{t('panel.next')}</Button>}
        {(props.position ?? 0) > 0 && <span className="text-sm text-soft">{t('panel.position', { n: props.position, of: props.count })}</span>}
      </div>
      <Refusal text={clear.error ? errorWords(t, clear.error) : undefined} />
      {writing && (
        <TextDialog
          open
          title={t(`panel.${writing}Title`)}
          label={t(`panel.${writing}Label`, { name: s.student.given })}
          action={t(`panel.${writing}Title`)}
          busy={written[writing].busy}
          error={written[writing].error ? errorWords(t, written[writing].error) : undefined}
          onClose={() => setWriting(undefined)}
          onDone={written[writing].run}
        >
          {writing === 'back' && (
            <fieldset className="mt-2">
              <legend className="text-sm text-soft">{t('panel.about')}</legend>
              {[...s.requests, ...s.summer, ...s.alternates].map((e) => (
                <label key={e.course} className="me-4 inline-flex min-h-7 items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="size-5 accent-(--ink)"
                    checked={about.includes(e.course)}
                    onChange={(event) => setAbout(event.target.checked ? [...about, e.course] : about.filter((c) => c !== e.course))}
                  />
                  {book.title(e.course)}
                </label>
              ))}
            </fieldset>
          )}
        </TextDialog>
      )}
      {errand && (
        <TextDialog
          open
          title={t(errand.done ? 'panel.errandDoneTitle' : 'panel.errandOpenTitle', { course: book.title(errand.course) })}
          label={t('panel.reason')}
          action={t('panel.done')}
          busy={settle.isPending}
          error={settle.error ? errorWords(t, settle.error) : undefined}
          onClose={() => setErrand(undefined)}
          onDone={(reason) => settle.mutate({ version: s.version, ...errand, reason }, { onSuccess: () => (setErrand(undefined), refresh()) })}
        />
      )}
      {asked && (
        <DecisionDialog
          book={book}
          asked={asked}
          busy={decide.isPending}
          error={decide.error ? errorWords(t, decide.error) : undefined}
          onClose={() => setAsked(undefined)}
          start={s.year}
          onDone={(decided) =>
            decide.mutate(
              { version: s.version, answer: asked.answer, claim: asked.claim, course: asked.entry.course, ...decided },
              {
                onSuccess: () => {
                  setAsked(undefined);
                  refresh();
                },
              },
            )
          }
        />
      )}
    </>
  );
}

function Question(props: { book: Book; sheet: Sheet; entry: Entry; onAsk: (a: Asked) => void }) {
  const { t } = useTranslation();
  const { entry, book } = props;
  const needs = openNeeds(entry);
  const claim = entry.claims?.[0];
  return (
    <div className="mb-2 rounded border p-2 hatch">
      <div className="rounded-sm bg-card p-2">
        <p>
          {t('panel.needs', {
            course: book.title(entry.course),
            needs: join(
              t,
              needs.map((p) => needWords(t, book, p)),
            ),
          })}
        </p>
        {entry.claims?.map((c) => (
          <p key={c.id} className="mt-1 text-sm">
            “{c.note}” <span className="text-soft">{t('panel.said', { by: c.by })}</span> <ClaimFile place={placeOf(props.sheet)} claim={c} />
          </p>
        ))}
        {props.sheet.acts.decide.allowed && (
          <div className="mt-2 flex flex-wrap gap-2">
            {claim?.course && (
              <Button tone="dark" onClick={() => props.onAsk({ answer: 'confirm', entry, claim: claim.id })}>
                {t('panel.confirm')}
              </Button>
            )}
            <Button onClick={() => props.onAsk({ answer: 'waive', entry, claim: claim?.id })}>{t('panel.waive', { course: book.title(entry.course) })}</Button>
            {claim && <Button onClick={() => props.onAsk({ answer: 'decline', entry, claim: claim.id })}>{t('panel.decline')}</Button>}
          </div>
        )}
      </div>
    </div>
  );
}

const field = 'mt-0.5 block min-h-9 w-full rounded border border-edge bg-paper px-2';

function DecisionDialog(props: {
  book: Book;
  asked: Asked;
  busy: boolean;
  error?: string;
  onClose: () => void;
  start: number; // the school year that is asked for
  onDone: (decided: { reason: string; mark?: number; schoolYear?: string; term?: string; credits?: string }) => void;
}) {
  const { t } = useTranslation();
  const { answer, entry } = props.asked;
  const claim = entry.claims?.find((c) => c.id === props.asked.claim);
  const about = claim?.course ?? entry.course;
  const course = props.book.title(answer === 'confirm' ? about : entry.course);
  const asked = openNeeds(entry).find((p) => p.name === about)?.at;
  const [mark, setMark] = useState(claim?.mark && !Number.isNaN(Number(claim.mark)) ? claim.mark : '');
  const below = answer === 'confirm' && asked !== undefined && mark.trim() !== '' && Number(mark) < asked;
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const text = (name: string) => String(form.get(name) ?? '').trim() || undefined;
    const mark = text('mark');
    props.onDone({
      reason: text('reason') ?? '',
      mark: mark ? Number(mark) : undefined,
      schoolYear: text('schoolYear'),
      term: text('term'),
      credits: text('credits'),
    });
  }
  return (
    <Dialog open onClose={props.onClose} title={t(`panel.${answer}Title`, { course })}>
      <form onSubmit={submit}>
        {claim && (
          <p className="mb-2 text-sm text-soft">
            {claim.by}: “{claim.note}”
          </p>
        )}
        {answer === 'confirm' && (
          <div className="mb-2 grid grid-cols-2 gap-2">
            <label className="block">
              {t('together.record.schoolYear')}
              <select name="schoolYear" required defaultValue={claim?.schoolYear ?? ''} className={field}>
                <option value="">{t('panel.chooseYear')}</option>
                {[...new Set([...pastYears(props.start), claim?.schoolYear])].filter(Boolean).map((year) => (
                  <option key={year}>{year}</option>
                ))}
              </select>
            </label>
            <label className="block">
              {t('together.record.term')}
              <input name="term" maxLength={100} defaultValue={claim?.term} className={field} />
            </label>
            <label className="block">
              {t('panel.mark')}
              <input
                name="mark"
                type="number"
                value={mark}
                onChange={(event) => setMark(event.target.value)}
                aria-describedby={below ? 'below' : undefined}
                min={0}
                max={100}
                step={0.01}
                className={field}
              />
            </label>
            <label className="block">
              {t('together.record.credits')}
              <input name="credits" type="number" required min={0} max={100} step={0.01} defaultValue={props.book.course(about)?.credits} className={field} />
            </label>
          </div>
        )}
        {below && (
          <p id="below" role="status" className="mb-2 text-ochre">
            {t('panel.below', { mark: amount(Number(mark)), at: amount(asked), course: props.book.title(entry.course) })}
          </p>
        )}
        <label className="block">
          {t('panel.reason')}
          <textarea name="reason" required maxLength={1000} rows={3} className="mt-1 w-full rounded border border-edge bg-paper p-2" />
        </label>
        <Refusal text={props.error} />
        <div className="mt-3 flex gap-2">
          <Button tone="dark" type="submit" disabled={props.busy}>
            {props.busy ? t('working') : t('panel.done')}
          </Button>
          <Button onClick={props.onClose}>{t('cancel')}</Button>
        </div>
      </form>
    </Dialog>
  );
}
