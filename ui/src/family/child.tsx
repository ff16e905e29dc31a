import { type ReactNode, lazy, useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type Place, type Sheet, acts, studentPath, useAct } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { day, money, when } from '../kit/format';
import { Late } from '../kit/late';
import { Mark } from '../kit/marks';
import { SubmittedDifference } from '../shared/difference';
import { type Book, clashWords, clauses, join, needWords, notRunning, openNeeds, seatTimeWords, termsWords } from '../shared/words';

const Result = lazy(() => import('../shared/result'));
const Reminded = lazy(() => import('../shared/reminded'));
const Agreeing = lazy(() => import('./agreeing'));
const ShownDrafts = lazy(() => import('./shown'));
const Talk = lazy(() => import('../shared/talk'));
const ChangeRequests = lazy(() => import('../shared/changerequests'));
const Remarks = lazy(() => import('../shared/remarks').then((m) => ({ default: m.Remarks })));

/** What a child asks for and why, in plain words; sign, ask for a change, or decline. */
export function ChildSheet({ book, sheet, place, foot }: { book: Book; sheet: Sheet; place: Place; foot: (props: FootProps) => ReactNode }) {
  const { t, i18n } = useTranslation();
  const sign = useAct(place, acts.sign);
  const wish = useAct(place, acts.wish);
  const agreements = useId();
  const [talking, setTalking] = useState<string>(); // about which course
  const [left, setLeft] = useState(0); // what is not agreed to yet, when signing was tried
  const [asking, setAsking] = useState<{ course?: string; decline?: boolean }>();
  const s = sheet.status;
  const name = sheet.student.given;
  const who = sheet.student.counselor ?? t('theCounselor');
  const submitted = s.handedIn;
  const canSign = sheet.acts.sign.allowed;
  const { currency } = book.catalog;
  const open = clauses(t, book, sheet);
  const [saying, setSaying] = useState(false);
  const send = (message: string) => wish.mutate({ version: sheet.version, message, ...asking }, { onSuccess: () => setAsking(undefined) });
  return (
    <>
      <p className="mb-3 text-soft">
        {s.submittedAt && s.receipt && `${t('family.submitted', { time: when(s.submittedAt, s.window?.zone), receipt: s.receipt })} `}
        {s.changed && `${t('family.again', { name })} `}
        {canSign && s.window && `${t('family.until', { closes: when(s.window.families, s.window.zone) })} `}
        {s.state !== 'placed' && t(submitted ? 'family.meant' : 'family.notYet')}
      </p>
      <Steps sheet={sheet} who={who} />
      {s.changeRequests.length > 0 && (
        <Late>
          <ChangeRequests book={book} sheet={sheet} place={place} />
        </Late>
      )}
      {sheet.placed && (
        <Late fallback={<Loading />}>
          <Result book={book} sheet={sheet} />
        </Late>
      )}
      {s.reminded && (
        <Late fallback={null}>
          <Reminded place={place} zone={s.window?.zone} at={s.reminded} />
        </Late>
      )}
      <SubmittedDifference book={book} sheet={sheet} />
      {sheet.clash && <p className="mb-3 border-s-2 border-ochre ps-3 text-ochre">{clashWords(t, book, sheet)}</p>}
      {s.state === 'sentBack' && s.message && !s.changeRequests.some((r) => r.answer === s.message) && (
        <p className="mb-3 rounded border p-2 hatch">
          <span className="rounded bg-card px-1 text-ochre">
            {t('todo.sentBack', { who, message: s.message })} {s.about?.map(book.title).join(', ')}
          </span>
        </p>
      )}
      {s.state === 'cleared' && <p className="mb-3 font-semibold">{t('family.cleared')}</p>}
      {s.signatures.map((x) => (
        <p key={x.name + x.at} className="mb-3 font-semibold">
          {t(x.paperBy ? 'family.signedPaper' : x.forFamily ? 'family.signedFor' : 'family.signed', {
            who: x.name,
            by: x.paperBy,
            time: when(x.at, s.window?.zone),
          })}
        </p>
      ))}
      <ul>
        {sheet.requests.map((e) => {
          const c = book.course(e.course);
          const needs = openNeeds(e);
          const stopped = needs.length > 0;
          const why = e.assigned
            ? e.exchange?.length
              ? t('family.assignedBut', { courses: join(t, e.exchange.map(book.title)) })
              : t('family.required')
            : e.recommends
              ? t('entry.recommended', { who: e.recommends })
              : t('family.chosen');
          return (
            <li key={e.course} className="border-t border-line py-2">
              <div className="flex items-baseline justify-between gap-3">
                <b className="font-semibold">{book.title(e.course)}</b>
                <span className="shrink-0 text-sm text-soft">{termsWords(t, book, e.terms)}</span>
              </div>
              <p className={`text-sm ${stopped ? 'text-ochre' : 'text-soft'}`}>
                {stopped
                  ? t(e.declined?.length && !e.claims?.length ? 'entry.needs' : 'family.waits', {
                      who,
                      needs: join(
                        t,
                        needs.map((p) => needWords(t, book, p)),
                      ),
                    })
                  : why}
                {e.waivedBy && !e.assigned && e.waivedNote && ` · ${t('entry.waivedNote', { who: e.waivedBy, note: e.waivedNote })}`}
                {(c?.fee ?? 0) > 0 && ` · ${t('family.fee', { fee: money(c?.fee ?? 0, currency) })}`}
              </p>
              {!e.claims?.length && e.declined?.at(-1) && (
                <p className="text-sm text-ochre">{t('entry.declined', { who: e.declined.at(-1)?.decider, why: e.declined.at(-1)?.answer })}</p>
              )}
              {notRunning(t, book, e) && <p className="text-sm text-ochre">{notRunning(t, book, e)}</p>}
              {c?.description && (
                <p dir="auto" className="text-sm text-soft">
                  {c.description}
                </p>
              )}
              {(c?.leadsTo?.length ?? 0) > 0 && (
                <p className="text-sm text-soft">{t('family.leadsTo', { courses: join(t, (c?.leadsTo ?? []).map(book.title)) })}</p>
              )}
              {e.covered === false && <p className="text-sm text-ochre">{t('family.uncovered')}</p>}
              {(sheet.talk?.includes(e.course) || talking === e.course) && (
                <Late>
                  <Talk book={book} sheet={sheet} course={e.course} label={t('family.talkAbout', { name, course: book.title(e.course) })} />
                </Late>
              )}
              {asking?.course === e.course ? (
                <Asking
                  label={t('family.askAbout', { course: book.title(e.course) })}
                  busy={wish.isPending}
                  error={wish.error ? errorWords(t, wish.error) : undefined}
                  onLeave={() => setAsking(undefined)}
                  onSend={send}
                />
              ) : (
                <span className="no-print flex flex-wrap gap-x-4 text-sm">
                  {sheet.acts.ask.allowed && (
                    <button
                      type="button"
                      className="min-h-11 inked-link desk:min-h-7"
                      aria-label={t('family.askOf', { course: book.title(e.course) })}
                      onClick={() => setAsking({ course: e.course })}
                    >
                      {t('family.ask')}
                    </button>
                  )}
                  {talking !== e.course && !sheet.talk?.includes(e.course) && (
                    <button
                      type="button"
                      className="min-h-11 inked-link desk:min-h-7"
                      aria-label={t('family.talkOf', { name, course: book.title(e.course) })}
                      onClick={() => setTalking(e.course)}
                    >
                      {t('family.talk', { name })}
                    </button>
                  )}
                </span>
              )}
            </li>
          );
        })}
      </ul>
      <h2 className="mt-4 font-semibold">{t('family.alternates')}</h2>
      <p className="text-soft">
        {sheet.alternates.length
          ? sheet.alternates
              .map((e) => (e.standsFor ? `${book.title(e.course)} (${t('submit.standsFor', { course: book.title(e.standsFor) })})` : book.title(e.course)))
              .join(t('listComma'))
          : t('family.noAlternates')}
      </p>
      {sheet.talk?.includes('') && (
        <Late>
          <Talk book={book} sheet={sheet} course="" label={t('family.talkWhole', { name })} />
        </Late>
      )}
      {!submitted && open.length > 0 && (
        <>
          <h2 className="mt-4 font-semibold">{t('family.left')}</h2>
          <ul className="list-inside list-disc text-soft">
            {open.map((c) => (
              <li key={c.key}>{c.text}</li>
            ))}
          </ul>
        </>
      )}
      {sheet.summer.length > 0 && (
        <>
          <h2 className="mt-4 font-semibold">{t('family.summer')}</h2>
          <p className="text-soft">{sheet.summer.map((e) => book.title(e.course)).join(t('listComma'))}</p>
        </>
      )}
      {sheet.errands.length > 0 && (
        <>
          <h2 className="mt-4 font-semibold">{t('errands.head')}</h2>
          <ul>
            {sheet.errands.map((x) => {
              const errand = book.catalog.errands[x.errand];
              return (
                errand && (
                  <li key={x.errand} className="flex justify-between gap-3 border-t border-line py-1 text-sm">
                    <span>
                      {errand.title} <span className="text-soft">· {book.title(x.course)}</span>
                    </span>
                    <span className="shrink-0 text-soft">
                      {x.settled ? t('errands.settled') : errand.due ? t('errands.by', { due: day(errand.due) }) : t('errands.open')}
                    </span>
                  </li>
                )
              );
            })}
          </ul>
        </>
      )}
      {s.seats && (
        <p className="mt-4">
          <Link
            className="inline-flex min-h-11 items-center inked-link"
            href={`/child/${encodeURIComponent(place.school)}/${encodeURIComponent(place.student)}/seats`}
          >
            {t('family.seats', { name })}
          </Link>{' '}
          <span className="text-soft">{seatTimeWords(t, sheet)}</span>
        </p>
      )}
      {sheet.acts.edit.allowed && (
        <p className="mt-4">
          <Link
            className="inline-flex min-h-11 items-center inked-link"
            href={`/child/${encodeURIComponent(place.school)}/${encodeURIComponent(place.student)}`}
          >
            {t('family.edit', { name })}
          </Link>
        </p>
      )}
      {canSign && (
        <Late fallback={<Loading />}>
          <Agreeing book={book} sheet={sheet} place={place} id={agreements} onSet={() => setLeft(0)} />
        </Late>
      )}
      {sheet.shown && (
        <Late>
          <ShownDrafts book={book} sheet={sheet} place={place} />
        </Late>
      )}
      {submitted && (
        <div className="no-print mt-3 text-sm">
          <a className="inline-flex min-h-11 items-center inked-link" href={`${studentPath(place)}/sheet/paper.pdf?language=${i18n.language}`} download>
            {t('family.paper')}
          </a>
          {canSign && (
            <button type="button" className="block min-h-11 inked-link" onClick={() => setAsking({ decline: true })}>
              {t('family.decline')}
            </button>
          )}
        </div>
      )}
      <div className="no-print mt-3 text-sm">
        <button type="button" aria-expanded={saying} className="min-h-11 inked-link" onClick={() => setSaying(!saying)}>
          {t('remark.head')}
        </button>
        {saying && (
          <Late fallback={<Loading />}>
            <Remarks book={book} sheet={sheet} kinds={['question', 'comment', 'wrong']} />
          </Late>
        )}
      </div>
      {asking && !asking.course && (
        <Asking
          label={t(asking.decline ? 'family.declineLabel' : 'family.askLabel', { name })}
          busy={wish.isPending}
          error={wish.error ? errorWords(t, wish.error) : undefined}
          onLeave={() => setAsking(undefined)}
          onSend={send}
        />
      )}
      {foot({
        name,
        ask: sheet.acts.ask.allowed ? () => setAsking({}) : undefined,
        sign: canSign
          ? () => {
              const open = Array.from(document.getElementById(agreements)?.parentElement?.querySelectorAll<HTMLElement>('[data-open]') ?? []);
              setLeft(open.length);
              if (open[0]) open[0].focus();
              else sign.mutate({ version: sheet.version, agreed: [] });
            }
          : undefined,
        left,
        busy: sign.isPending,
        error: sign.error ? errorWords(t, sign.error) : undefined,
      })}
    </>
  );
}

/** What happens next with a sheet, and who has it: what is done, what is on, what comes. */
function Steps({ sheet, who }: { sheet: Sheet; who: string }) {
  const { t } = useTranslation();
  const s = sheet.status;
  const handed = s.handedIn && !s.changed;
  const done = { choose: handed, sign: handed && s.stood !== 'submitted', clear: handed && s.stood === 'cleared', place: s.state === 'placed' };
  const steps = ['choose', 'sign', 'clear', 'place'] as const;
  const now = steps.findIndex((step) => !done[step]);
  const over = s.window && new Date(s.window.families) <= new Date();
  const choosing = done.choose ? 'chosen' : !s.window ? 'open' : over ? 'closed' : 'choose';
  return (
    <ol className="mb-4" aria-label={t('family.next')}>
      {steps.map((step, i) => (
        <li
          key={step}
          aria-current={i === now ? 'step' : undefined}
          className={`flex items-baseline gap-2 py-0.5 text-sm ${i === now ? 'font-semibold' : 'text-soft'}`}
        >
          <Mark kind={done[step] ? 'settled' : i === now ? 'half' : 'missing'} />
          <span>
            {t(`family.step.${step === 'choose' ? choosing : step}`, {
              name: sheet.student.given,
              who,
              closes: s.window ? when(s.window.families, s.window.zone) : '',
            })}
            {done[step] && ` · ${t('family.done')}`}
          </span>
        </li>
      ))}
    </ol>
  );
}

/** What the reader would have otherwise, in their own words. */
function Asking(props: { label: string; busy: boolean; error?: string; onSend: (message: string) => void; onLeave: () => void }) {
  const { t } = useTranslation();
  return (
    <form
      className="mt-2 rounded border border-line bg-card p-2"
      onSubmit={(event) => {
        event.preventDefault();
        props.onSend(String(new FormData(event.currentTarget).get('text') ?? ''));
      }}
    >
      <label className="block text-sm">
        {props.label}
        <textarea name="text" required autoFocus maxLength={1000} rows={3} className="mt-1 block w-full rounded border border-edge bg-paper p-2" />
      </label>
      <Refusal text={props.error} />
      <div className="mt-2 flex gap-2">
        <Button type="submit" tone="dark" disabled={props.busy}>
          {t('family.askSend')}
        </Button>
        <Button onClick={props.onLeave}>{t('cancel')}</Button>
      </div>
    </form>
  );
}

interface FootProps {
  name: string;
  ask?: () => void;
  sign?: () => void;
  left: number; // not agreed to yet, when signing was tried
  busy: boolean;
  error?: string;
}

/** What may be done, within the thumb's reach. */
export function Foot(props: FootProps) {
  const { t } = useTranslation();
  if (!props.sign && !props.ask) return null;
  return (
    <div className="no-print fixed inset-x-0 bottom-0 border-t border-line bg-card">
      <div className="mx-auto flex max-w-xl flex-wrap gap-2 px-4 py-2">
        {props.ask && (
          <Button className="flex-1" onClick={props.ask}>
            {t('family.ask')}
          </Button>
        )}
        {props.sign && (
          <Button tone="chief" className="flex-[1.4]" disabled={props.busy} aria-describedby={props.left ? 'left' : undefined} onClick={props.sign}>
            {props.busy ? t('working') : t('family.sign', { name: props.name })}
          </Button>
        )}
        {props.sign && (
          <p id="left" role="status" className="w-full text-sm text-soft empty:hidden">
            {props.left > 0 && t('family.tick', { count: props.left })}
          </p>
        )}
        <Refusal text={props.error} />
      </div>
    </div>
  );
}
