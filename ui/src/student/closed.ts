import type { TFunction } from 'i18next';
import type { Sheet } from '../api/client';
import { when } from '../kit/format';

/** After the request period: that what is on the sheet does not count, and what does; undefined where that is not so. */
export function closedWords(t: TFunction, sheet: Sheet) {
  const s = sheet.status;
  if (sheet.draft || s.handedIn || sheet.acts.submit.why !== 'window-closed') return undefined;
  return s.changed && s.submittedAt
    ? t('closed.changed', { time: when(s.submittedAt, s.window?.zone) })
    : t('closed.nothing', { who: sheet.student.counselor ?? t('theCounselor') });
}
