import { useTranslation } from 'react-i18next';
import type { Sheet } from '../api/client';
import { when } from './format';

/** What the family asked for, with what the school answered. */
export function Answered({ answered, zone }: { answered: NonNullable<Sheet['status']['answered']>; zone?: string }) {
  const { t } = useTranslation();
  return (
    <dl data-testid="answered" className="mb-3 border-s-2 border-line ps-3">
      <dt className="text-soft">{t('answered.wish', { wish: answered.wish })}</dt>
      <dd>
        {t('answered.answer', { who: answered.by, time: when(answered.at, zone) })} {answered.answer ? `“${answered.answer}”` : t('answered.cleared')}
      </dd>
    </dl>
  );
}
