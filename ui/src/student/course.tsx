import { useTranslation } from 'react-i18next';
import type { Entry, Proof } from '../api/client';
import { Button, Dialog } from '../kit/controls';
import { Mark, type MarkKind } from '../kit/marks';
import { amount, join, needWords, proofWords, spanWords } from '../words';
import { reordered } from './ranks';
import type { Desk } from './desk';

const marks: Record<Proof['verdict'], MarkKind> = {
  met: 'settled',
  expected: 'half',
  unverified: 'stopped',
  unmet: 'missing',
};

/** All about one course on the sheet, and what can be done with it. */
export function CourseDialog({ desk, entry, onClose }: { desk: Desk; entry: Entry; onClose: () => void }) {
  const { t } = useTranslation();
  const { book, sheet, change } = desk;
  const c = book.course(entry.course);
  const isRequest = sheet.requests.some((e) => e.course === entry.course);
  const list = isRequest ? sheet.requests : sheet.alternates;
  const listName = isRequest ? 'requests' : 'alternates';
  const can = sheet.acts.edit.allowed;
  const done = (act: Parameters<Desk['change']>[0]) => {
    change(act);
    onClose();
  };
  const facts = [
    entry.course,
    c && spanWords(t, book, c),
    c && t('measure.credits', { count: c.credits, word: amount(c.credits) }),
    c?.fee && t('course.fee', { fee: amount(c.fee) }),
  ];
  return (
    <Dialog open onClose={onClose} title={book.title(entry.course)}>
      <p className="text-sm text-soft">{facts.filter(Boolean).join(' · ')}</p>
      {c?.description && <p className="mt-2">{c.description}</p>}
      {(c?.leadsTo?.length ?? 0) > 0 && <p className="mt-1 text-soft">{t('course.leads', { courses: join(t, (c?.leadsTo ?? []).map(book.title)) })}</p>}
      {(entry.needs?.length ?? 0) > 0 && (
        <>
          <h3 className="mt-3 font-semibold">{t('course.evidence')}</h3>
          <ul>
            {entry.needs?.map((p, i) => (
              <li key={i} className="flex items-baseline gap-2">
                <Mark kind={marks[p.verdict]} />
                <span>
                  {needWords(t, p)} <span className="text-soft">· {proofWords(t, p)}</span>
                </span>
              </li>
            ))}
          </ul>
          {entry.claims?.map((claim) => (
            <p key={claim.id} className="mt-1 text-soft">
              “{claim.note}” {claim.by}
            </p>
          ))}
        </>
      )}
      {isRequest && (
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
      {!can ? null : entry.fixed ? (
        <p className="mt-3 text-soft">{t('course.fixed', { who: sheet.student.counselor ?? t('theCounselor') })}</p>
      ) : (
        <div className="mt-4 flex flex-wrap gap-2">
          {isRequest ? (
            !entry.gone && <Button onClick={() => done({ act: 'alternate', course: entry.course })}>{t('course.alternate')}</Button>
          ) : entry.gone ? null : (
            <Button tone="dark" onClick={() => done({ act: 'request', course: entry.course })}>
              {t('course.request')}
            </Button>
          )}
          {entry.exchange?.map((code) => (
            <Button key={code} onClick={() => done({ act: 'request', course: code })}>
              {t('course.exchange', { course: book.title(code) })}
            </Button>
          ))}
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
      {can && list.length > 1 && !entry.gone && (
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
