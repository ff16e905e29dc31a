import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Person, type Place, type Sheet, acts, useAct, useCatalog, useSheet } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal, TextDialog } from '../kit/controls';
import { Header } from '../kit/header';
import { type Book, amount, bookOf, clauses, join, needWords, openNeeds, statusWords, termsWords, when } from '../words';

/** A guardian's screen: what each child asks for and why, in plain words; sign, or ask for a change. */
export default function Family({ persons }: { persons: Person[] }) {
  const { t } = useTranslation();
  const children = persons.flatMap((p) => p.children.map((child) => ({ ...child, place: { school: p.school, year: child.year, student: child.id } })));
  const [at, setAt] = useState(0);
  const child = children[at];
  const catalog = useCatalog(child?.place);
  const sheet = useSheet(child?.place);
  const error = catalog.error ?? (sheet.data ? undefined : sheet.error);
  return (
    <>
      <Header pages={[]}>{sheet.data && <span>{statusWords(t, sheet.data).state}</span>}</Header>
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
          <ChildSheet key={child.id} book={bookOf(catalog.data)} sheet={sheet.data} place={child.place} />
          {children.length > 1 && (
            <section className="mt-6">
              <h2 className="font-semibold">{t('family.others')}</h2>
              <ul>
                {children.map(
                  (other, i) =>
                    i !== at && (
                      <li key={other.id}>
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
  const [asking, setAsking] = useState(false);
  const s = sheet.status;
  const name = sheet.student.given;
  const who = sheet.student.counselor ?? t('theCounselor');
  const submitted = s.handedIn;
  const canSign = sheet.acts.sign.allowed;
  const ticked = sheet.fees.every((code) => agreed.includes(code));
  const open = clauses(t, book, sheet);
  return (
    <>
      <h1 className="mb-1">
        {submitted ? t('family.head', { name, count: sheet.requests.length }) : t(s.state === 'sentBack' ? 'family.headBack' : 'family.headNone', { name })}
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
      {s.state === 'cleared' && <p className="mb-3 font-semibold">{t('family.cleared')}</p>}
      {s.signatures.map((x) => (
        <p key={x.name + x.at} className="mb-3 font-semibold">
          {t(x.forFamily ? 'family.signedFor' : 'family.signed', { who: x.name, time: when(x.at, s.window?.zone) })}
        </p>
      ))}
      <ul>
        {sheet.requests.map((e) => {
          const c = book.course(e.course);
          const needs = openNeeds(e);
          const stopped = needs.length > 0;
          const why = e.assigned ? t('family.required') : e.recommends ? t('entry.recommended', { who: e.recommends }) : t('family.chosen');
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
                        needs.map((p) => needWords(t, p)),
                      ),
                    })
                  : why}
                {(c?.fee ?? 0) > 0 && ` · ${t('family.fee', { fee: amount(c?.fee ?? 0) })}`}
              </p>
              {c?.description && <p className="text-sm text-soft">{c.description}</p>}
            </li>
          );
        })}
      </ul>
      <h2 className="mt-4 font-semibold">{t('family.alternates')}</h2>
      <p className="text-soft">{sheet.alternates.length ? sheet.alternates.map((e) => book.title(e.course)).join(t('listComma')) : t('family.noAlternates')}</p>
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
      {canSign && sheet.fees.length > 0 && (
        <fieldset className="mt-4">
          <legend className="font-semibold">{t('family.agree')}</legend>
          {sheet.fees.map((code) => (
            <label key={code} className="flex min-h-11 items-center gap-3 border-t border-line">
              <input
                type="checkbox"
                className="size-6 shrink-0 accent-(--ink)"
                checked={agreed.includes(code)}
                onChange={(event) => setAgreed(event.target.checked ? [...agreed, code] : agreed.filter((x) => x !== code))}
              />
              {t('family.agreeFee', { fee: amount(book.course(code)?.fee ?? 0), course: book.title(code) })}
            </label>
          ))}
        </fieldset>
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
                onClick={() => sign.mutate({ version: sheet.version, agreed })}
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
      <TextDialog
        open={asking}
        title={t('family.askTitle')}
        label={t('family.askLabel', { name })}
        action={t('family.askSend')}
        busy={wish.isPending}
        error={wish.error ? errorWords(t, wish.error) : undefined}
        onClose={() => setAsking(false)}
        onDone={(message) => wish.mutate({ version: sheet.version, message }, { onSuccess: () => setAsking(false) })}
      />
    </>
  );
}
