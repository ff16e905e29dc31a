import type { TFunction } from 'i18next';
import { ApiError } from '../api/client';

/** A plain sentence for an error, from its stable code. */
export function errorWords(t: TFunction, error: unknown): string {
  if (!(error instanceof ApiError)) return t('error.offline');
  return t(`error.${error.code}`, { defaultValue: error.problem?.detail ?? t('error.offline') });
}
