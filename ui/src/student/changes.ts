import type { TFunction } from 'i18next';
import type { Sheet } from '../api/client';
import { when } from '../kit/format';
import { type Book, join, termsWords } from '../shared/words';
import type { Change } from './desk';

/** What a change did, also on its own: what came along, what left with it, what moved to another term. */
export function madeWords(t: TFunction, book: Book, edit: Parameters<Change>[0], before: Sheet, after: Sheet) {
  const all = (s: Sheet) => [...s.requests, ...s.summer];
  const course = edit.course ? book.title(edit.course) : '';
  const instead = edit.instead ? book.title(edit.instead) : '';
  const came = all(after).filter((e) => e.course !== edit.course && !all(before).some((b) => b.course === e.course));
  const left = all(before).filter((e) => e.course !== edit.course && e.course !== edit.instead && !all(after).some((a) => a.course === e.course));
  const titles = (codes: string[]) => join(t, codes.map(book.title));
  if (edit.act === 'useDraft' || edit.act === 'restore') return t(`done.${edit.act}`);
  if (edit.act === 'takeOver' || edit.act === 'fill') {
    const refused = (edit.courses ?? []).filter((c) => !all(after).some((a) => a.course === c));
    return [
      t(`done.${edit.act}`, { courses: titles(came.map((e) => e.course)) }),
      refused.length && t('done.notTaken', { courses: titles(refused) }),
      left.length && t('done.without', { courses: titles(left.map((e) => e.course)) }),
    ]
      .filter(Boolean)
      .join(' ');
  }
  const parts = [t(`done.${edit.act}`, { course, instead })];
  if (edit.act !== 'undo' && edit.act !== 'redo') {
    if (came.length)
      parts.push(
        t('done.with', {
          courses: join(
            t,
            came.map((e) => book.title(e.course)),
          ),
        }),
      );
    if (left.length)
      parts.push(
        t('done.without', {
          courses: join(
            t,
            left.map((e) => book.title(e.course)),
          ),
        }),
      );
  }
  for (const e of after.requests) {
    const was = before.requests.find((b) => b.course === e.course);
    if (was && String(was.terms) !== String(e.terms)) parts.push(t('done.moved', { course: book.title(e.course), terms: termsWords(t, book, e.terms) }));
  }
  return parts.join(' ');
}

/** An earlier change, in words: what and when. */
export function undoesWords(t: TFunction, book: Book, earlier: NonNullable<Sheet['undoes']>) {
  return `${actWords(t, book, earlier)} (${when(earlier.at)})`;
}

/** A change, in words. */
export function actWords(t: TFunction, book: Book, edit: { act: Parameters<Change>[0]['act']; course?: string; instead?: string }) {
  if (edit.act === 'takeOver' || edit.act === 'fill' || edit.act === 'useDraft' || edit.act === 'restore') return t(`done.${edit.act}Past`);
  const title = (code: string | undefined) => (code ? book.title(code) : '');
  return t(`done.${edit.act}`, { course: title(edit.course), instead: title(edit.instead) }).replace(/\.$/, '');
}
