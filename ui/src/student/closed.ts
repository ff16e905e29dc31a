import type { TFunction } from 'i18next';
import type { Sheet } from '../api/client';
import { when } from '../kit/format';

/** After the request period: that what is on the sheet does not count, and what does; undefined where that is not so. */
export function closedWords(t: TFunction, sheet: Sheet) {
  const s = sheet.status;
  if (sheet.draft || s.handedIn || sheet.acts.submit.why !== 'window-closed') return undefined;
  if (s.changed && s.submittedAt) return t('closed.changed', { time: when(s.submittedAt, s.window?.zone) });
  const who = sheet.student.counselor ?? t('theCounselor');
  return s.submittedAt ? t('closed.again', { who }) : t('closed.nothing', { who }); // what was sent back or reopened was submitted once
}
