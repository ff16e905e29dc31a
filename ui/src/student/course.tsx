import { useTranslation } from 'react-i18next';
import { useState } from 'react';
import { Link } from 'wouter';
import type { Entry, Proof } from '../api/client';
import { Button } from '../kit/controls';
import { ClaimFile } from '../shared/claimfile';
import { Remarks } from '../shared/remarks';
import { Dialog } from '../kit/dialog';
import { Mark, type MarkKind } from '../kit/marks';
import { money } from '../kit/format';
import { inUnit, join, needWords, termsWords } from '../shared/words';
import { effectWords, proofWords, spanWords } from './effectwords';
import { Attach, ClaimDialog } from './claim';
import { reordered } from './ranks';
import { type Desk, type Filter, mayChange } from './desk';

export const verdictMarks: Record<Proof['verdict'], MarkKind> = {
  met: 'settled',
  expected: 'half',
  unverified: 'stopped',
  unmet: 'missing',
};

/** The places among the requests of courses that were made alternates: back again, they keep them. */
const places = new Map<string, number>();

/** Whether something a course asks for has been claimed already. */
const claimed = (entry: Entry, p: Proof) =>
  (entry.claims ?? []).some((c) => (p.kind === 'passed' || p.kind === 'alongside' ? c.course === p.name : c.name === (p.name ?? 'recommended')));

/** All about one course on the sheet, and what can be done with it. */
export function CourseDialog({ desk, entry, onClose, onFind }: { desk: Desk; entry: Entry; onClose: () => void; onFind: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { book, sheet, change } = desk;
  const c = book.course(entry.course);
  const [claiming, setClaiming] = useState<Proof>();
  const isSummer = sheet.summer.some((e) => e.course === entry.course);
  const isRequest = isSummer || sheet.requests.some((e) => e.course === entry.course);
  const list = isSummer ? sheet.summer : isRequest ? sheet.requests : sheet.alternates;
  const listName = isRequest ? 'requests' : 'alternates';
  const can = mayChange(desk, entry.course);
  const done = (act: Parameters<Desk['change']>[0]) => {
    change(act);
    onClose();
  };
  const facts = [
    entry.course,
    c && (c.summer ? t('finder.summer') : spanWords(t, book, c)),
    c && inUnit(t, book, c.credits),
    c?.fee && t('course.fee', { fee: money(c.fee, book.catalog.currency) }),
  ];
  return (
    <Dialog open onClose={onClose} title={book.title(entry.course)}>
      <p className="text-sm text-soft">{facts.filter(Boolean).join(' · ')}</p>
      {isRequest && c && c.spans.length > 1 && entry.terms.length > 0 && (
        <p className="text-sm text-soft">{t('course.laid', { terms: termsWords(t, book, entry.terms) })}</p>
      )}
      {c && (
        <p className="mt-2">
          {c.description}{' '}
          <Link href={`/course/${encodeURIComponent(entry.course)}`} className="whitespace-nowrap inked-link">
            {t('page.open')}
          </Link>
        </p>
      )}
      {c?.note && <p className="mt-1 text-soft">{c.note}</p>}
      {(c?.leadsTo?.length ?? 0) > 0 && <p className="mt-1 text-soft">{t('course.leads', { courses: join(t, (c?.leadsTo ?? []).map(book.title)) })}</p>}
      {(entry.needs?.length ?? 0) > 0 && (
        <>
          <h3 className="mt-3 font-semibold">{t('course.evidence')}</h3>
          <ul>
            {entry.needs?.map((p, i) => (
              <li key={i} className="flex items-baseline gap-2">
                <Mark kind={verdictMarks[p.verdict]} />
                <span>
                  {needWords(t, book, p)} <span className="text-soft">· {proofWords(t, book, p)}</span>
                  {can && p.open && p.kind !== 'grade' && !claimed(entry, p) && (
                    <button type="button" className="ms-2 min-h-6 inked-link" onClick={() => setClaiming(p)}>
                      {t('claim.open')}
                    </button>
                  )}
                </span>
              </li>
            ))}
          </ul>
          {entry.declined?.map((claim) => (
            <p key={claim.id} className="mt-1">
              <span className="text-soft">
                “{claim.note}” {claim.by}.
              </span>{' '}
              {t('claim.declined', { who: claim.decider, why: claim.answer })}
            </p>
          ))}
          {entry.claims?.map((claim) => (
            <div key={claim.id} className="mt-1 text-soft">
              <p>
                “{claim.note}” {claim.by}
              </p>
              <ClaimFile place={desk.place} claim={claim} />
              {can && <Attach desk={desk} claim={claim} />}
            </div>
          ))}
        </>
      )}
      {claiming && <ClaimDialog desk={desk} entry={entry} need={claiming} onClose={() => setClaiming(undefined)} />}
      {isRequest && !isSummer && (
        <p className="mt-3">
          {entry.covered
            ? entry.mend?.length
              ? t('course.covered', { courses: join(t, entry.mend.map(book.title)) })
              : t('course.coveredFree')
            : `${t('course.uncovered')} ${
                entry.short?.length
                  ? t('course.short', {
                      rules: join(
                        t,
                        entry.short.map((id) => book.rule(id)?.label ?? id),
                      ),
                    })
                  : ''
              }`}
        </p>
      )}
      {!sheet.draft && (
        <details className="mt-3">
          <summary className="min-h-7 cursor-pointer text-soft">{t('remark.open')}</summary>
          <Remarks book={book} sheet={sheet} course={entry.course} kinds={['question', 'comment', 'wrong']} />
        </details>
      )}
      {can && entry.exchange && entry.exchange.length > 0 && (
        <>
          <h3 className="mt-3 font-semibold">{t('course.exchangeHead')}</h3>
          <ul>
            {entry.exchange.map((code) => {
              const effect = desk.effects?.effects.find((e) => e.course === code);
              const { strong, plain } = effect ? effectWords(t, book, sheet, effect) : { strong: [], plain: [] };
              return (
                <li key={code} className="flex items-center gap-3 border-t border-line py-1.5">
                  <span className="flex-1">
                    {book.title(code)} <span className="text-sm text-soft">· {[...strong, ...plain].join(' ')}</span>
                  </span>
                  <Button
                    aria-label={t('course.exchange', { course: book.title(code) })}
                    disabled={!!effect?.refused}
                    onClick={() => done({ act: 'request', course: code })}
                  >
                    {t('course.exchangeGo')}
                  </Button>
                </li>
              );
            })}
          </ul>
        </>
      )}
      {can && entry.fixed && (
        <p className="mt-3 text-soft">
          {sheet.acts.edit.reason ? t('course.fixedSchool') : t('course.fixed', { who: sheet.student.counselor ?? t('theCounselor') })}
        </p>
      )}
      {can && (!entry.fixed || sheet.acts.edit.reason) && (
        <div className="mt-4 flex flex-wrap gap-2">
          {isRequest ? (
            !entry.gone &&
            !isSummer && (
              <Button
                onClick={() => {
                  places.set(entry.course, entry.rank);
                  done({ act: 'alternate', course: entry.course });
                }}
              >
                {t('course.alternate')}
              </Button>
            )
          ) : entry.gone ? null : (
            <Button tone="dark" onClick={() => done({ act: 'request', course: entry.course, place: places.get(entry.course) })}>
              {t('course.request')}
            </Button>
          )}
          {isRequest && (
            <Button
              onClick={() => {
                onClose();
                onFind({ instead: entry.course });
              }}
            >
              {t('course.replace')}
            </Button>
          )}
          <Button onClick={() => done({ act: 'remove', course: entry.course })}>{t('course.remove')}</Button>
        </div>
      )}
      {can && !isRequest && !entry.gone && (
        <label className="mt-3 flex items-center gap-2">
          {t('course.standsFor')}
          <select
            className="min-h-9 rounded border border-edge bg-paper px-2"
            value={entry.standsFor ?? ''}
            onChange={(event) => change({ act: 'alternate', course: entry.course, standsFor: event.target.value })}
          >
            <option value="">{t('course.any')}</option>
            {sheet.requests.map((r) => (
              <option key={r.course} value={r.course}>
                {book.title(r.course)}
              </option>
            ))}
          </select>
        </label>
      )}
      {can && list.length > 1 && !entry.gone && !isSummer && (
        <p className="mt-3 flex flex-wrap items-center gap-2 text-soft">
          {t(isRequest ? 'course.rank' : 'alternates.rank', { rank: entry.rank, count: list.length })}
          <Button disabled={entry.rank === 1 || desk.busy} onClick={() => change(reordered(list, listName, entry.course, -1))}>
            {t('course.sooner')}
          </Button>
          <Button disabled={entry.rank === list.length || desk.busy} onClick={() => change(reordered(list, listName, entry.course, 1))}>
            {t('course.later')}
          </Button>
        </p>
      )}
    </Dialog>
  );
}
