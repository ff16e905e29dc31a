import { useTranslation } from 'react-i18next';
import { Dialog } from '../kit/dialog';
import { Ranked } from './order';
import { reordered } from './ranks';
import type { Desk } from './desk';

/** The requests in the order in which they are wanted. */
export function OrderDialog({ desk, open, onClose }: { desk: Desk; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const { sheet, book, change } = desk;
  return (
    <Dialog open={open} onClose={onClose} title={t('order.title')}>
      <p className="mb-2 text-sm text-soft">{t('order.note')}</p>
      <Ranked
        desk={desk}
        entries={sheet.requests}
        list="requests"
        className="grid gap-1"
        item={(e, handle) => (
          <div className="flex items-center gap-2 rounded-sm border border-line bg-card px-2 py-1">
            {handle}
            <span className="w-5 text-end text-soft">{e.rank}</span>
            <span className="flex-1 font-semibold">{book.title(e.course)}</span>
            {([-1, 1] as const).map((by) => (
              <button
                key={by}
                type="button"
                disabled={desk.busy || e.rank + by < 1 || e.rank + by > sheet.requests.length}
                aria-label={t(by < 0 ? 'order.sooner' : 'order.later', { course: book.title(e.course) })}
                onClick={() => change(reordered(sheet.requests, 'requests', e.course, by))}
                className="min-h-7 w-7 rounded border border-line disabled:opacity-40"
              >
                {by < 0 ? '↑' : '↓'}
              </button>
            ))}
          </div>
        )}
      />
    </Dialog>
  );
}
