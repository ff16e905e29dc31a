import { useTranslation } from 'react-i18next';
import type { Effect } from '../api/client';
import { Button } from '../kit/controls';
import { SubjectTab } from '../kit/marks';
import { effectWords } from './effectwords';
import type { Desk } from './desk';

/** The courses that someone recommends and that are not on the sheet yet: each, or all, can be taken over in one act. */
export function Recommended({ desk, onPoint }: { desk: Desk; onPoint: (effect?: Effect) => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const list = (desk.effects?.effects ?? []).filter((e) => e.suggested);
  if (list.length === 0 || !sheet.acts.edit.allowed) return null;
  return (
    <section aria-labelledby="recommended" className="mt-3 desk:ps-7">
      <div className="flex items-baseline gap-3">
        <h2 id="recommended" className="mb-1 text-sm font-semibold">
          {t('recommended.head')}
        </h2>
        {list.length > 1 && (
          <button
            type="button"
            disabled={desk.busy}
            className="min-h-6 text-sm inked-link"
            onClick={() => desk.change({ act: 'takeOver', courses: list.map((e) => e.course) })}
          >
            {t('recommended.all')}
          </button>
        )}
      </div>
      <ul>
        {list.map((e) => {
          const { strong, plain } = effectWords(t, book, sheet, e);
          return (
            <li
              key={e.course}
              onPointerEnter={() => onPoint(e)}
              onPointerLeave={() => onPoint()}
              onFocus={() => onPoint(e)}
              onBlur={() => onPoint()}
              className="flex items-center gap-2 border-t border-line py-1"
            >
              <SubjectTab subject={book.course(e.course)?.subject ?? ''} />
              <span className="min-w-0 flex-1">
                <span className="font-semibold">{book.title(e.course)}</span>{' '}
                <span className="text-sm text-soft">
                  {e.recommends && `${t('recommended.by', { who: e.recommends })} · `}
                  {[...strong, ...plain].join(' ')}
                </span>
              </span>
              <Button
                aria-label={`${t('recommended.take')}: ${book.title(e.course)}`}
                disabled={desk.busy}
                onClick={() => desk.change({ act: 'request', course: e.course })}
              >
                {t('recommended.take')}
              </Button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
