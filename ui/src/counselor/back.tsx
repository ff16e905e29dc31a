import type { TFunction } from 'i18next';
import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Button, Refusal } from '../kit/controls';

const field = 'min-h-9 rounded border border-edge bg-paper px-2 max-desk:min-h-11';

/** Why a sheet stays as it is. */
export const outcomeWords = (t: TFunction, code: string) => t(`together.why.${code}`, { defaultValue: t(`error.${code}`, { defaultValue: code }) });

/** Asks for the reason and takes an act back. */
export function BackForm(props: { busy: boolean; error?: string; onBack: (reason: string) => void }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  if (!open) return <Button onClick={() => setOpen(true)}>{t('together.takeBack')}</Button>;
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        props.onBack(String(new FormData(event.currentTarget).get('back') ?? ''));
      }}
    >
      <input
        name="back"
        required
        autoFocus
        maxLength={1000}
        aria-label={t('together.backReason')}
        placeholder={t('together.backReason')}
        className={`${field} w-72`}
      />
      <Button type="submit" tone="dark" disabled={props.busy}>
        {props.busy ? t('working') : t('together.takeBack')}
      </Button>
      <Refusal text={props.error} />
    </form>
  );
}
