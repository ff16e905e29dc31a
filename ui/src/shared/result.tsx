import { useTranslation } from 'react-i18next';
import words from '../../../locales/en.json?part=result';
import { type Sheet, placeOf, studentPath } from '../api/client';
import { speakMore } from '../i18n';
import { when } from '../kit/format';
import type { Book } from './words';
import { NotGiven, Week } from './week';

speakMore(words);

/** What was given and what was not, once the school has published it. */
export default function Result({ book, sheet }: { book: Book; sheet: Sheet }) {
  const { t } = useTranslation();
  const { placed } = sheet;
  if (!placed) return null;
  const lacking = placed.lacking.length;
  const closes = sheet.status.window?.counselors;
  return (
    <section aria-labelledby={`result-${sheet.student.id}`} className="mb-4" data-testid="result">
      <h2 id={`result-${sheet.student.id}`} className="font-head text-lg font-medium">
        {lacking === 0 ? t('result.all', { count: placed.given.length }) : t('result.some', { count: lacking, given: placed.given.length })}
      </h2>
      <p className="mb-2 text-sm text-soft">
        {t('result.published', { time: when(placed.at, book.catalog.zone) })}{' '}
        {closes && t('result.until', { who: sheet.student.counselor ?? t('theCounselor'), time: when(closes, book.catalog.zone) })}
      </p>
      <Week book={book} given={placed.given} />
      {lacking > 0 && (
        <>
          <h3 className="mt-3 font-semibold">{t('result.notGiven')}</h3>
          <NotGiven book={book} lacking={placed.lacking} />
        </>
      )}
      <p className="no-print mt-2 flex flex-wrap gap-x-4">
        <button type="button" className="min-h-8 text-sm inked-link" onClick={() => window.print()}>
          {t('result.print')}
        </button>
        {(['pdf', 'ics'] as const).map((form) => (
          <a
            key={form}
            href={`${studentPath(placeOf(sheet))}/week.${form}`}
            download={`week.${form}`}
            className="inline-flex min-h-8 items-center text-sm inked-link"
          >
            {t(`result.${form}`)}
          </a>
        ))}
      </p>
    </section>
  );
}
