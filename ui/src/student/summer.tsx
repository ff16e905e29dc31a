import { useTranslation } from 'react-i18next';
import { acts, useAct } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { Mark } from '../kit/marks';
import { entryLine, join } from '../shared/words';
import type { Desk, Filter } from './desk';
import { inSummer } from './found';
import './laterwords';

/** The summer's part of the sheet, next to the year's: what is requested, until when, what it settles, and whether the school has it. */
export default function Summer({ desk, onOpen, onFind }: { desk: Desk; onOpen: (course: string) => void; onFind: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const { round } = sheet;
  const submit = useAct(desk.place, acts.submitSummer);
  const may = sheet.acts.submitSummer;
  return (
    <section aria-labelledby="summer" className="mt-4 border-t border-line pt-2 desk:ms-7">
      <h2 id="summer" className="mb-1 text-sm font-semibold">
        {t('board.summer')}
        {round && (
          <span className="font-normal text-soft">
            {' · '}
            {t(`summer.${round.phase}`, { opens: when(round.window.opens, round.window.zone), closes: when(round.window.families, round.window.zone) })}
          </span>
        )}
      </h2>
      {round && <p className="text-sm text-soft">{t(round.counts ? 'summer.counts' : 'summer.apart')}</p>}
      <ul className="mt-1.5 grid gap-1.5 desk:grid-cols-3">
        {sheet.summer.map((e) => (
          <li key={e.course}>
            <button
              type="button"
              data-course={e.course}
              onClick={() => onOpen(e.course)}
              className={`min-h-9 w-full rounded-sm border px-2 py-1 text-start ${e.mark === 'stopped' ? 'hatch' : 'border-line bg-card hover:bg-wash'}`}
            >
              <span className={e.mark === 'stopped' ? 'rounded-sm bg-card px-1' : ''}>
                {e.mark !== 'settled' && <Mark kind={e.mark} />} <b className="font-semibold">{book.title(e.course)}</b>{' '}
                <span className="text-sm text-soft">{entryLine(t, book, sheet, e)}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
      {round && (
        <p data-testid="summer" className="mt-1 text-sm">
          {sheet.summer.length === 0 && !round.receipt && <span>{t('summer.none')} </span>}
          {round.receipt && round.handed && (
            <span>
              <Mark kind="settled" /> {t('summer.handed', { time: when(round.at ?? '', round.window.zone), receipt: round.receipt })}{' '}
            </span>
          )}
          {round.receipt && !round.handed && (
            <span className="text-ochre">{round.had?.length ? t('summer.had', { courses: join(t, round.had.map(book.title)) }) : t('summer.hadNothing')} </span>
          )}
          {!round.receipt && sheet.summer.length > 0 && <span>{t('summer.notHanded')} </span>}
          {sheet.acts.editSummer.allowed && (
            <button type="button" className="min-h-7 inked-link" onClick={() => onFind({ term: inSummer })}>
              {t('summer.find')}
            </button>
          )}
        </p>
      )}
      {may.allowed && (!may.reason || desk.reason) && !sheet.draft && (
        <Button
          tone="dark"
          className="mt-1.5"
          disabled={submit.isPending || desk.waiting.length > 0}
          onClick={() => submit.mutate({ version: sheet.version, reason: desk.reason })}
        >
          {t(round?.receipt ? 'summer.again' : 'summer.submit')}
        </Button>
      )}
      {may.why === 'not-ready' && <p className="mt-1 text-sm text-soft">{t('summer.notReady')}</p>}
      <Refusal text={submit.error ? errorWords(t, submit.error) : undefined} />
    </section>
  );
}
