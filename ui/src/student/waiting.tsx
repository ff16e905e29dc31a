import { useTranslation } from 'react-i18next';
import { Mark } from '../kit/marks';
import { join } from '../shared/words';
import type { Desk } from './desk';

/** The changes that are not made yet: those that wait for the connection, and those about which the person decides. */
export function WaitingBand(props: { desk: Desk; signedOut: boolean; onTell: (key: string, what: 'make' | 'leave') => void; onSignIn: () => void }) {
  const { t } = useTranslation();
  const { book, waiting } = props.desk;
  const title = (code: string | undefined) => (code ? book.title(code) : '');
  const late = waiting.filter((w) => !w.stopped);
  return (
    <section aria-label={t('waiting.label')} data-testid="waiting" className="no-print border-b border-line px-4 py-2 desk:px-6">
      {late.length > 0 && (
        <p role="status" className="font-semibold text-ochre">
          {t(props.signedOut ? 'waiting.signedOut' : 'waiting.late', { count: late.length })}{' '}
          {props.signedOut && (
            <button type="button" className="min-h-8 inked-link" onClick={props.onSignIn}>
              {t('error.signInAgain')}
            </button>
          )}
        </p>
      )}
      <ul className="grid gap-x-8 desk:grid-cols-2">
        {waiting.map((w) => (
          <li key={w.key} role={w.stopped ? 'alert' : undefined} className="flex flex-wrap items-baseline gap-x-2">
            <Mark kind={w.stopped ? 'missing' : 'stopped'} />
            <span>
              {t(`waiting.act.${w.edit.act}`, {
                course: title(w.edit.course),
                instead: title(w.edit.instead),
                courses: join(t, (w.edit.courses ?? []).map(title)),
              })}
              {w.stopped && <span className="text-ochre">: {w.stopped}</span>}
            </span>
            {w.stopped && (
              <button type="button" className="min-h-8 inked-link" onClick={() => props.onTell(w.key, 'make')}>
                {t('waiting.make')}
              </button>
            )}
            <button type="button" className="min-h-8 text-soft inked-link" onClick={() => props.onTell(w.key, 'leave')}>
              {t('waiting.leave')}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
