import { lazy, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, Route, Router, Switch } from 'wouter';
import { type Person, type Place, type Sheet, acts, useAct, useCatalog, useSheet } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Late } from '../kit/late';
import { Answered } from '../kit/answered';
import { SinceSubmitted } from '../since';
import { Header } from '../kit/header';
import { Agreements } from '../kit/agreements';
import { day, money, when } from '../kit/format';
import { type Book, bookOf, clauses, join, needWords, openNeeds, statusWords, termsWords } from '../words';

const Student = lazy(() => import('../student/student'));
const Reminded = lazy(() => import('../reminded'));
const TextDialog = lazy(() => import('../kit/dialog').then((m) => ({ default: m.TextDialog })));

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

/** What each child asks for and why, in plain words; sign, or ask for a change. */
function Children({ persons }: { persons: Person[] }) {
  const { t } = useTranslation();
  const children = persons.flatMap((p) => p.children.map((child) => ({ ...child, place: { school: p.school, year: child.year, student: child.id } })));
  const [at, setAt] = useState(0);
  const child = children[at];
  const catalog = useCatalog(child?.place);
  const sheet = useSheet(child?.place);
  const error = catalog.error ?? (sheet.data ? undefined : sheet.error);
  return (
    <>
      <Header
        pages={[]}
        where={
          catalog.data &&
          child &&
          t('family.sheetOf', { name: `${child.given} ${child.family}`, grade: child.grade, school: catalog.data.name, year: catalog.data.label })
        }
      >
        {sheet.data && <span>{statusWords(t, sheet.data).state}</span>}
      </Header>
      {error ? (
        <main id="page" className="p-4">
          <Refusal text={errorWords(t, error)} />
          <Button className="mt-3" onClick={() => void Promise.all([catalog.refetch(), sheet.refetch()])}>
            {t('error.retry')}
          </Button>
        </main>
      ) : !catalog.data || !sheet.data || !child ? (
        <Loading />
      ) : (
        <main id="page" className="mx-auto max-w-xl px-4 pt-3 pb-32">
          <ChildSheet key={`${child.place.school} ${child.id}`} book={bookOf(catalog.data)} sheet={sheet.data} place={child.place} />
          {children.length > 1 && (
            <section className="mt-6">
              <h2 className="font-semibold">{t('family.others')}</h2>
              <ul>
                {children.map(
                  (other, i) =>
                    i !== at && (
                      <li key={`${other.place.school} ${other.id}`}>
                        <button
                          type="button"
                          className="min-h-11 inked-link"
                          onClick={() => {
                            setAt(i);
                            window.scrollTo(0, 0);
                          }}
                        >
                          {other.given}, {t('family.grade', { grade: other.grade })}
                        </button>
                      </li>
                    ),
                )}
              </ul>
            </section>
          )}
        </main>
      )}
    </>
  );
}

function ChildSheet({ book, sheet, place }: { book: Book; sheet: Sheet; place: Place }) {
  const { t } = useTranslation();
  const sign = useAct(place, acts.sign);
  const wish = useAct(place, acts.wish);
  const [agreed, setAgreed] = useState<string[]>([]);
  const [commitments, setCommitments] = useState<string[]>([]);
  const [asking, setAsking] = useState(false);
  const s = sheet.status;
  const name = sheet.student.given;
  const who = sheet.student.counselor ?? t('theCounselor');
  const submitted = s.handedIn;
  const canSign = sheet.acts.sign.allowed;
  const ticked = sheet.fees.every((code) => agreed.includes(code)) && sheet.agree.guardian.every((id) => commitments.includes(id));
  const { currency } = book.catalog;
  const open = clauses(t, book, sheet);
  return (
    <>
      <h1 className="mb-1">
        {submitted
          ? t('family.head', { name, count: sheet.requests.length })
          : s.changed
            ? t('family.headChanged', { name })
            : t(s.state === 'sentBack' ? 'family.headBack' : 'family.headNone', { name })}
      </h1>
      <p className="mb-3 text-soft">
        {s.submittedAt && s.receipt && `${t('family.submitted', { time: when(s.submittedAt, s.window?.zone), receipt: s.receipt })} `}
        {s.changed && `${t('family.again', { name })} `}
        {canSign && s.window && `${t('family.until', { closes: when(s.window.families, s.window.zone) })} `}
        {submitted ? t('family.meant') : t('family.notYet')}
      </p>
      {s.asked && (
        <p className="mb-3 rounded border p-2 hatch">
          <span className="rounded bg-card px-1 text-ochre">{t('family.asked', { message: s.asked, name })}</span>
        </p>
      )}
      {s.reminded && (
        <Late fallback={null}>
          <Reminded place={place} zone={s.window?.zone} at={s.reminded} />
        </Late>
      )}
      <SinceSubmitted book={book} sheet={sheet} />
      {s.answered && <Answered answered={s.answered} zone={s.window?.zone} />}
      {s.state === 'sentBack' && s.message && s.message !== s.answered?.answer && (
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
                  ? t('family.waits', {
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
              {c?.description && <p className="text-sm text-soft">{c.description}</p>}
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
        <>
          <Agreements
            head={t('family.agree')}
            items={sheet.fees.map((code) => ({
              id: code,
              text: t('family.agreeFee', { fee: money(book.course(code)?.fee ?? 0, currency), course: book.title(code) }),
            }))}
            agreed={agreed}
            onAgree={setAgreed}
          />
          <Agreements
            head={t('agree.head')}
            items={sheet.agree.guardian.map((id) => ({ id, text: book.catalog.commitments.find((c) => c.id === id)?.text ?? id }))}
            agreed={commitments}
            onAgree={setCommitments}
          />
        </>
      )}
      <Refusal text={sign.error ? errorWords(t, sign.error) : undefined} />
      {(canSign || sheet.acts.ask.allowed) && (
        <div className="fixed inset-x-0 bottom-0 border-t border-line bg-card">
          <div className="mx-auto flex max-w-xl flex-wrap gap-2 px-4 py-2">
            {sheet.acts.ask.allowed && (
              <Button className="flex-1" onClick={() => setAsking(true)}>
                {t('family.ask')}
              </Button>
            )}
            {canSign && (
              <Button
                tone="chief"
                className="flex-[1.4]"
                disabled={!ticked || sign.isPending}
                aria-describedby={ticked ? undefined : 'tick'}
                onClick={() => sign.mutate({ version: sheet.version, agreed, commitments })}
              >
                {sign.isPending ? t('working') : t('family.sign', { name })}
              </Button>
            )}
            {canSign && !ticked && (
              <p id="tick" className="w-full text-sm text-soft">
                {t('family.tick')}
              </p>
            )}
          </div>
        </div>
      )}
      {asking && (
        <Late>
          <TextDialog
            open
            title={t('family.askTitle')}
            label={t('family.askLabel', { name })}
            action={t('family.askSend')}
            busy={wish.isPending}
            error={wish.error ? errorWords(t, wish.error) : undefined}
            onClose={() => setAsking(false)}
            onDone={(message) => wish.mutate({ version: sheet.version, message }, { onSuccess: () => setAsking(false) })}
          />
        </Late>
      )}
    </>
  );
}
