import { useState } from 'react';
import type { TFunction } from 'i18next';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type Sheet, acts, studentPath, useAct } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { Agreements } from '../shared/agreements';
import { SubmittedDifference } from '../shared/difference';
import { amount, day, money, when } from '../kit/format';
import { clauses, join, needWords, statusWords, termsWords } from '../shared/words';
import { closedWords } from './closed';
import { spanWords, ruleNumbers } from './effectwords';
import type { Desk } from './desk';
import './laterwords';

/** Handing in, as a separate act: refused with what to mend, or answered with a receipt. */
export default function SubmitPage({ desk }: { desk: Desk }) {
  const { t, i18n } = useTranslation();
  const { book, sheet } = desk;
  const submit = useAct(desk.place, acts.submit);
  const [agreed, setAgreed] = useState<string[]>([]);
  const s = sheet.status;
  const may = sheet.acts.submit;
  const mend = clauses(t, book, sheet).filter((c) => !c.todo.waits);
  const waiting = clauses(t, book, sheet).filter((c) => c.todo.waits);
  const fees = sheet.fees.reduce((sum, code) => sum + (book.course(code)?.fee ?? 0), 0);
  const head = s.state === 'cleared' ? 'submit.headCleared' : s.handedIn ? 'submit.headDone' : may.allowed ? 'submit.headReady' : 'submit.headOpen';
  return (
    <main id="page" className="mx-auto max-w-3xl px-4 pt-5 pb-16">
      <p className="text-soft" data-testid="whose">
        {t('submit.sheetOf', {
          name: `${sheet.student.given} ${sheet.student.family}`,
          grade: sheet.student.grade,
          school: book.catalog.name,
          year: book.catalog.label,
        })}
      </p>
      <h1 className="mb-2">{closedWords(t, sheet) ?? t(head)}</h1>
      {s.receipt && (
        <p className="mb-3 text-lg">
          <b data-testid="receipt">{t('submit.receipt', { receipt: s.receipt })}</b>,{' '}
          {s.submittedAt && t('submit.receiptAt', { time: when(s.submittedAt, s.window?.zone) })}
          {s.changed && ` · ${statusWords(t, sheet).state.toLowerCase()}`}
        </p>
      )}
      <SubmittedDifference book={book} sheet={sheet} />
      {!s.handedIn && mend.length > 0 && (
        <div className="mb-4">
          <p>{t('submit.mend')}</p>
          <ul className="mt-1">
            {mend.map((c) => (
              <li key={c.key} className="border-t border-line">
                <Link href={`/?mend=${encodeURIComponent(c.key)}`} className="flex min-h-9 items-center inked-link">
                  {c.text}
                </Link>
              </li>
            ))}
          </ul>
        </div>
      )}
      {waiting.length > 0 && <p className="mb-3 text-ochre">{t('todo.head') + waiting.map((c) => c.text).join(t('listComma'))}.</p>}
      <p className="mb-4 text-soft">{t('submit.what')}</p>
      <h2 className="font-semibold">{t('submit.requests', { count: sheet.requests.length })}</h2>
      <ol className="mb-4">
        {sheet.requests.map((e) => (
          <li key={e.course} className="flex gap-3 border-t border-line py-1.5">
            <span className="w-5 text-end text-soft">{e.rank}</span>
            <span className="flex-1 font-semibold">{book.title(e.course)}</span>
            <span className="text-soft">
              {termsWords(t, book, e.terms)} · {amount(book.course(e.course)?.credits ?? 0)}
            </span>
          </li>
        ))}
      </ol>
      <h2 className="font-semibold">{sheet.alternates.length ? t('submit.alternates', { count: sheet.alternates.length }) : t('submit.nothing')}</h2>
      <ol className="mb-4">
        {sheet.alternates.map((e) => {
          const c = book.course(e.course);
          return (
            <li key={e.course} className="flex gap-3 border-t border-line py-1.5">
              <span className="w-5 text-end text-soft">{e.rank}</span>
              <span className="flex-1 font-semibold">{book.title(e.course)}</span>
              <span className="text-soft">
                {[e.standsFor && t('submit.standsFor', { course: book.title(e.standsFor) }), c && spanWords(t, book, c)].filter(Boolean).join(' · ')}
              </span>
            </li>
          );
        })}
      </ol>
      {sheet.summer.length > 0 && !sheet.round && (
        <>
          <h2 className="font-semibold">{t('submit.summer')}</h2>
          <ol className="mb-4">
            {sheet.summer.map((e) => (
              <li key={e.course} className="flex gap-3 border-t border-line py-1.5">
                <span className="w-5 text-end text-soft">{e.rank}</span>
                <span className="flex-1 font-semibold">{book.title(e.course)}</span>
                <span className="text-soft">{amount(book.course(e.course)?.credits ?? 0)}</span>
              </li>
            ))}
          </ol>
        </>
      )}
      {sheet.errands.length > 0 && (
        <>
          <h2 className="font-semibold">{t('errands.head')}</h2>
          <ul className="mb-4">
            {sheet.errands.map((x) => {
              const errand = book.catalog.errands[x.errand];
              return (
                errand && (
                  <li key={x.errand} className="flex gap-3 border-t border-line py-1.5">
                    <span className="flex-1">
                      {errand.title} <span className="text-soft">· {book.title(x.course)}</span>
                    </span>
                    <span className="text-soft">
                      {x.settled ? t('errands.settled') : errand.due ? t('errands.by', { due: day(errand.due) }) : t('errands.open')}
                    </span>
                  </li>
                )
              );
            })}
          </ul>
        </>
      )}
      {fees > 0 && <p className="mb-4">{t('submit.fees', { sum: money(fees, book.catalog.currency) })}</p>}
      {may.allowed && !may.reason && (
        <Agreements
          head={t('agree.head')}
          items={sheet.agree.student.map((id) => ({ id, text: book.catalog.commitments.find((c) => c.id === id)?.text ?? id }))}
          agreed={agreed}
          onAgree={setAgreed}
        />
      )}
      {may.allowed && !may.reason && (
        <Agreements
          head={t('ack.head')}
          items={sheet.agree.acknowledge.map((a) => ({ id: a.id, text: acknowledgeWords(t, desk, a) }))}
          agreed={agreed}
          onAgree={setAgreed}
        />
      )}
      <Loose desk={desk} />
      <div className="no-print flex flex-wrap gap-2">
        {(may.allowed || may.why === 'not-ready') && (
          <Button tone="chief" disabled={submit.isPending} onClick={() => submit.mutate({ version: sheet.version, agreed, reason: desk.reason })}>
            {submit.isPending ? t('working') : s.receipt ? t('submit.again') : t('submit.button')}
          </Button>
        )}
        <Button onClick={() => window.print()}>{t('submit.print')}</Button>
        <a
          href={`${studentPath(desk.place)}/sheet/paper.pdf?language=${i18n.language}`}
          download="sheet.pdf"
          className="inline-flex min-h-11 items-center rounded border border-edge bg-card px-3 py-1 hover:bg-wash desk:min-h-8"
        >
          {t('submit.take')}
        </a>
      </div>
      <p className="no-print mt-3">
        <Link href="/history" className="inked-link">
          {t('history.link')}
        </Link>
      </p>
      {!s.handedIn && !may.allowed && may.why !== 'not-ready' && <p className="mt-2 text-soft">{statusWords(t, sheet).next}</p>}
      <Refusal text={submit.error ? errorWords(t, submit.error) : undefined} />
    </main>
  );
}

/** Requests that nothing covers, and alternates that can replace nothing. */
function Loose({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const titles = (list: Sheet['requests']) =>
    join(
      t,
      list.map((e) => book.title(e.course)),
    );
  const uncovered = sheet.requests.filter((e) => !e.covered);
  const useless = sheet.alternates.filter((e) => !e.saves?.length);
  return (
    <>
      {uncovered.length > 0 && <p className="mb-2 text-soft">{t('submit.uncovered', { courses: titles(uncovered) })}</p>}
      {useless.length > 0 && <p className="mb-2 text-soft">{t('submit.useless', { courses: titles(useless) })}</p>}
    </>
  );
}

/** What is acknowledged: a rule that the school lets be broken, or what a course asks for and is not on record. */
function acknowledgeWords(t: TFunction, { book, sheet }: Desk, a: Sheet['agree']['acknowledge'][number]) {
  if (a.rule) {
    const state = sheet.rules.find((r) => r.id === a.rule);
    return t('ack.rule', { label: book.rule(a.rule)?.label ?? a.rule, numbers: state ? ruleNumbers(t, state) : '' });
  }
  if (a.taking) return t('ack.taking', { course: book.title(a.course ?? '') });
  const entry = [...sheet.requests, ...sheet.summer].find((e) => e.course === a.course);
  const needs = (entry?.needs ?? []).filter((p) => p.open).map((p) => needWords(t, book, p));
  return t('ack.entry', { course: book.title(a.course ?? ''), needs: join(t, needs) });
}
