import { useTranslation } from 'react-i18next';
import type { Sheet } from '../api/client';
import { type Book, join } from './words';

/** What is different from what was submitted, exactly. */
export function SubmittedDifference({ book, sheet }: { book: Book; sheet: Sheet }) {
  const { t } = useTranslation();
  const { since } = sheet.status;
  if (!since) return null;
  return (
    <p data-testid="since" className="mb-3 border-s-2 border-ochre ps-3">
      <span className="text-ochre">{t('since.head')}</span> <DifferenceWords book={book} since={since} />
    </p>
  );
}

/** What is different, as sentences. */
export function DifferenceWords({ book, since, none }: { book: Book; since: NonNullable<Sheet['status']['since']>; none?: string }) {
  const { t } = useTranslation();
  const said = (['asked', 'dropped', 'backup', 'spared'] as const)
    .filter((what) => since[what]?.length)
    .map((what) => t(`since.${what}`, { courses: join(t, (since[what] ?? []).map(book.title)) }));
  if (since.order) said.push(t('since.order'));
  if (since.ties) said.push(t('since.ties'));
  return said.length > 0 ? said.join(' ') : none;
}
