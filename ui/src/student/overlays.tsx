import { useTranslation } from 'react-i18next';
import type { Edit } from '../api/client';
import { Button } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { join } from '../shared/words';
import { undoesWords } from './changes';
import type { Desk } from './desk';

export { CourseDialog } from './course';
export { OrderDialog } from './orderdialog';
export { WhatIfDialog } from './whatif';
import './laterwords';

/** Asks before a change that would void what the school has, or take back what was done before this visit. */
export function SureDialog({ desk, edit, onSure, onClose }: { desk: Desk; edit: Pick<Edit, 'act'>; onSure: () => void; onClose: () => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const back = edit.act === 'undo';
  return (
    <Dialog open onClose={onClose} title={t(back ? 'warn.undoTitle' : 'warn.title')}>
      <p>
        {back && sheet.undoes
          ? t('warn.undo', { what: undoesWords(t, book, sheet.undoes) })
          : sheet.status.signatures.length
            ? t('warn.signed', {
                who: join(
                  t,
                  sheet.status.signatures.map((x) => x.name),
                ),
              })
            : t('warn.submitted', { receipt: sheet.status.receipt })}
      </p>
      <div className="mt-3 flex gap-2">
        <Button tone="dark" onClick={onSure}>
          {t(back ? 'warn.undoGo' : 'warn.go')}
        </Button>
        <Button onClick={onClose}>{t('warn.stay')}</Button>
      </div>
    </Dialog>
  );
}

const keyboard = [
  ['/', 'find'],
  ['↑ ↓', 'move'],
  ['Enter', 'enter'],
  ['A', 'alt'],
  ['C', 'compare'],
  ['Alt ↑ ↓', 'order'],
  ['Ctrl Z', 'undo'],
  ['Ctrl Y', 'redo'],
  ['?', 'help'],
] as const;

/** The keys by which everything is done. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation();
  return (
    <Dialog open onClose={onClose} title={t('keys.title')}>
      <dl className="grid grid-cols-[9rem_1fr] gap-y-2">
        {keyboard.map(([pressed, what]) => (
          <div key={what} className="contents">
            <dt>
              <kbd className="rounded border border-line bg-paper px-2 font-mono">{pressed}</kbd>
            </dt>
            <dd>{t(`keys.${what}`)}</dd>
          </div>
        ))}
      </dl>
    </Dialog>
  );
}
