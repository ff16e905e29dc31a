import { useId, useState } from 'react';
import { useTranslation } from 'react-i18next';

/** A short help next to a head, for anyone who wants it; or the school's own words, to be read again. Its words come when it is opened. */
export function Explain({ what, label, words }: { what?: 'year' | 'alternates' | 'ledger' | 'path'; label?: string; words?: string[] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const id = useId();
  return (
    <>
      <button
        type="button"
        aria-expanded={open}
        aria-controls={id}
        className="no-print min-h-6 text-sm font-normal text-soft inked-link"
        onClick={() => void import('./laterwords').finally(() => setOpen(!open))}
      >
        {label ?? t('hint.what')}
      </button>
      <span id={id} hidden={!open} className="my-1 block w-full max-w-3xl text-sm font-normal whitespace-pre-line">
        {open && (words?.join('\n\n') ?? t(`explain.${what}`))}
      </span>
    </>
  );
}
