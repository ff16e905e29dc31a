import { type KeyboardEvent, useMemo, useState } from 'react';
import type { TFunction } from 'i18next';
import { useTranslation } from 'react-i18next';
import type { Effect, Entry } from '../api/client';
import { Mark, SubjectTab, subjectTab } from '../kit/marks';
import { amount } from '../kit/format';
import { Late } from '../kit/late';
import { Explain } from './explain';
import { entryLine, termName } from '../shared/words';
import { ghosts, layOut, openCells } from './layout';
import { reordered } from './ranks';
import type { Desk, Filter } from './desk';
import { CourseDialog, OrderDialog } from './floating';

/** The year as a board: terms side by side, a row for each period. A course that is pointed at in the finder is drawn where it would lie. */
export function Board(props: {
  desk: Desk;
  open: string | undefined;
  preview: Effect | undefined;
  onOpen: (course?: string) => void;
  onFind: (f: Filter) => void;
}) {
  const { t } = useTranslation();
  const { book, sheet, change } = props.desk;
  const [ordering, setOrdering] = useState(false);
  const layout = useMemo(() => layOut(book, sheet), [book, sheet]);
  const { used, pieces, outside } = layout;
  const { preview } = props;
  const shadows = preview ? ghosts(book, layout, preview) : [];
  const terms = book.catalog.terms;
  const edge = book.catalog.periods * 2;
  const rows = Math.max(edge, ...used.map((u) => u.length), ...shadows.map((g) => g.row + g.rows + ((g.row + g.rows) % 2)));
  const halves = pieces.some((p) => p.rows === 1); // they must be high enough to be hit
  const columns = { gridTemplateColumns: `1.4rem repeat(${terms.length}, minmax(0, 1fr))` };
  const fits = terms.map((_, term) => props.desk.effects?.room[term]);
  const opened = [...sheet.requests, ...sheet.summer, ...sheet.alternates].find((e) => e.course === props.open);

  function move(event: KeyboardEvent, entry: Entry) {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
    event.preventDefault();
    change(reordered(sheet.requests, 'requests', entry.course, event.key === 'ArrowUp' ? -1 : 1));
  }
  return (
    <section aria-label={t('board.label')} id="board" tabIndex={-1}>
      <div className="grid items-end gap-x-1.5 pb-1 text-sm text-soft" style={columns}>
        <span />
        {terms.map((name, term) => (
          <span key={name}>
            <b className="inline-block font-semibold text-ink first-letter:uppercase">{termName(t, book, term)}</b> ·{' '}
            {t('board.term', { load: amount(sheet.packing.loads[term] ?? 0), periods: amount(book.catalog.periods) })}
          </span>
        ))}
      </div>
      <ul className="grid gap-x-1.5 gap-y-0.5" style={{ ...columns, gridTemplateRows: `repeat(${rows}, ${halves ? '1.75rem' : '1.28rem'})` }}>
        {Array.from({ length: rows / 2 }, (_, n) => (
          <li
            key={`n${n}`}
            aria-hidden="true"
            className="flex items-center justify-end pe-1 text-xs text-soft"
            style={{ gridRow: `${n * 2 + 1} / span 2`, gridColumn: 1 }}
          >
            {n * 2 < edge ? n + 1 : ''}
          </li>
        ))}
        {pieces.map((p) => (
          <li
            key={`${p.entries[0]?.course} ${p.from}`}
            style={{ gridRow: `${p.row + 1} / span ${p.rows}`, gridColumn: `${p.from + 2} / ${p.to + 3}` }}
            className="flex min-w-0"
          >
            {p.entries.map((entry, half) => (
              <Bar
                key={entry.course}
                desk={props.desk}
                entry={entry}
                below={p.row + p.rows > edge}
                leaves={preview?.swaps?.includes(entry.course) ?? false}
                second={half > 0}
                narrow={p.rows === 1 || p.to === p.from || p.entries.length > 1}
                onOpen={() => props.onOpen(entry.course)}
                onKeyDown={(event) => move(event, entry)}
              />
            ))}
          </li>
        ))}
        {shadows.map((g) => (
          <li
            key={`g${g.from}`}
            aria-hidden="true"
            data-ghost={preview?.course}
            style={{ gridRow: `${g.row + 1} / span ${g.rows}`, gridColumn: `${g.from + 2} / ${g.to + 3}` }}
            className={`pointer-events-none z-10 flex min-w-0 items-center rounded-sm border-2 border-dashed bg-wash px-3 ${preview?.fits ? 'border-ink' : 'border-ochre'}`}
          >
            <span className="truncate font-semibold">{book.title(preview?.course ?? '')}</span>
          </li>
        ))}
        {terms.map((_, term) =>
          openCells(used[term] ?? [], edge).map(({ row, rows: high }, i) => {
            const room = fits[term];
            const words =
              high === 1 ? t('board.halfOpen') : room === undefined ? t('board.open') : i === 0 ? t('board.openFits', { count: room }) : t('board.openOne');
            return (
              <li key={`o${term} ${row}`} style={{ gridRow: `${row + 1} / span ${high}`, gridColumn: term + 2 }} className="min-w-0">
                <button
                  type="button"
                  onClick={() => props.onFind({ term })}
                  aria-label={`${termName(t, book, term)}: ${words}`}
                  className="h-full w-full truncate rounded-sm border border-dashed border-edge px-3 text-start text-sm text-soft hover:bg-wash"
                >
                  {words}
                </button>
              </li>
            );
          }),
        )}
      </ul>
      {sheet.packing.fill && (
        <p className="mt-1 ps-7 text-sm">
          {sheet.packing.fill.map((course, i, all) => (
            <span key={course}>
              {i > 0 && (i === all.length - 1 ? t('list', { head: '', last: '' }) : t('listComma'))}
              <button type="button" className="min-h-6 inked-link" onClick={() => props.onOpen(course)}>
                {book.title(course)}
              </button>
            </span>
          ))}{' '}
          <span className="text-ochre">{t('board.tooMuch')}</span>
        </p>
      )}
      {sheet.requests.length === 0 && <p className="mt-2 ps-7 text-soft">{t('board.empty')}</p>}
      <div className="mt-1.5 flex flex-wrap items-center gap-2 ps-7 text-sm text-soft">
        <Explain what="year" />
        {outside.length > 0 && <span>{t('board.outside')}:</span>}
        {outside.map((e) => (
          <button
            key={e.course}
            type="button"
            data-course={e.course}
            onClick={() => props.onOpen(e.course)}
            className={`min-h-7 rounded-sm border px-2 text-ink ${e.mark === 'stopped' ? 'hatch' : 'border-line bg-card'}`}
          >
            {book.title(e.course)} <span className="text-soft">· {credits(t, book.course(e.course)?.credits ?? 0)}</span>
          </button>
        ))}
        {sheet.requests.length > 1 && sheet.acts.edit.allowed && (
          <button type="button" onClick={() => setOrdering(true)} className="ms-auto min-h-7 inked-link">
            {t('order.open')}
          </button>
        )}
      </div>
      <Late>
        {opened && <CourseDialog desk={props.desk} entry={opened} onClose={() => props.onOpen(undefined)} onFind={props.onFind} />}
        {ordering && <OrderDialog desk={props.desk} open onClose={() => setOrdering(false)} />}
      </Late>
    </section>
  );
}

/** Credits on a bar; a course without any says so. */
const credits = (t: TFunction, n: number) => (n === 0 ? t('board.noCredit') : amount(n));

/** A course on the board, or one half of a bar. */
function Bar(props: {
  desk: Desk;
  entry: Entry;
  below: boolean;
  leaves: boolean; // for the course that is pointed at
  second: boolean; // the second half of a bar
  narrow: boolean;
  onOpen: () => void;
  onKeyDown: (event: KeyboardEvent) => void;
}) {
  const { t } = useTranslation();
  const { entry } = props;
  const { book, sheet } = props.desk;
  const c = book.course(entry.course);
  const stopped = entry.mark === 'stopped';
  const frame = stopped ? 'hatch' : props.below ? 'border-2 border-dashed border-ochre bg-card' : 'border-line bg-card hover:bg-wash';
  return (
    <button
      type="button"
      data-course={entry.course}
      onClick={props.onOpen}
      onKeyDown={props.onKeyDown}
      style={props.second ? undefined : { borderInlineStartColor: subjectTab(c?.subject ?? '').hue }}
      className={`flex h-full min-w-0 flex-1 items-center gap-2 overflow-hidden border px-2 text-start ${props.second ? 'rounded-e-sm border-s-0' : 'rounded-sm border-s-[5px]'} ${frame} ${props.leaves ? 'line-through opacity-60' : ''}`}
    >
      <SubjectTab subject={c?.subject ?? ''} />
      <span className={`flex min-w-0 items-center gap-x-2 leading-tight max-sm:flex-col max-sm:items-stretch ${stopped ? 'rounded-sm bg-card px-1' : ''}`}>
        <span className="flex min-w-0 shrink-0 items-center gap-2 max-desk:shrink">
          {entry.mark !== 'settled' && <Mark kind={entry.mark} />}
          <span className="truncate font-semibold">{book.title(entry.course)}</span>
        </span>
        <span className={`truncate text-sm ${stopped ? 'text-ochre' : 'text-soft'} ${props.narrow ? 'max-sm:sr-only' : ''}`}>
          {entryLine(t, book, sheet, entry)}
        </span>
      </span>
      <span className="ms-auto shrink-0 text-sm text-soft">{credits(t, c?.credits ?? 0)}</span>
    </button>
  );
}
