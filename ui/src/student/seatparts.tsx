import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Place } from '../api/client';
import { type Opening, type Seats, type SeatTable, useSeatActs } from '../api/seats';
import { Button } from '../kit/controls';
import { when } from '../kit/format';
import { Mark } from '../kit/marks';
import { join } from '../shared/words';
import type { Desk } from './desk';
import type { SeatDesk } from './seatpanel';
import { openClauses, whenWords } from './seatwords';
import { ShowEarlier } from '../shared/earlier';

/** What is open, each a link to what fits there; and what is still missing though nothing is open. */
export function Head(props: { desk: Desk; seats: Seats; table: SeatTable; who: string; onChoose: (o: Opening) => void }) {
  const { t } = useTranslation();
  const { seats, table } = props;
  const { book } = props.desk;
  const { window: time, phase } = seats;
  const clauses = openClauses(t, book, table, seats);
  const missing = seats.rules.filter((r) => !r.holds).map((r) => table.rules.find((x) => x.id === r.id)?.label ?? r.id);
  const say = (iso: string) => when(iso, book.catalog.zone);
  if (!time) return <h1 className="my-3">{t('seats.none')}</h1>;
  return (
    <div className="my-3">
      <h1 data-testid="open">
        {seats.complete ? (
          <>
            {props.desk.reason !== undefined ? t('seats.fullOf', { name: seats.student.given }) : t('seats.full')}{' '}
            {seats.next === 'nothing' ? t('seats.done') : seats.next === 'look' ? t('seats.next.look', { who: props.who }) : t('seats.next.submit')}
          </>
        ) : (
          <>
            {clauses.length > 0 && t('seats.head')}
            {clauses.map((c, i) => (
              <span key={c.key}>
                {i > 0 && (i === clauses.length - 1 ? t('list', { head: '', last: '' }) : t('listComma'))}
                <button type="button" className="inked-link" onClick={() => props.onChoose(c.opening)}>
                  {c.text}
                </button>
              </span>
            ))}
            {clauses.length > 0 && t('todo.full')} {missing.length > 0 && t('seats.missing') + join(t, missing) + t('todo.full')}
          </>
        )}
      </h1>
      <p className="text-soft">
        {phase === 'before' && t('seats.opens', { time: say(time.opens) })}
        {phase === 'open' && seats.state === 'choosing' && t('seats.cells', { filled: seats.filled, cells: seats.cells })}
        {(phase === 'late' || phase === 'over') && t('seats.closed', { time: say(time.families) })}
      </p>
    </div>
  );
}

/** The three steps to the end, the one that is now first to the eye. */
export function Road(props: {
  seats: Seats;
  who: string;
  busy: boolean;
  zone: (iso: string) => string;
  onSubmit: () => void;
  onLook: () => void;
  onReturn: () => void;
}) {
  const { t } = useTranslation();
  const { seats, who, zone } = props;
  const { acts, next } = seats;
  const steps = [
    {
      key: 'take',
      head: t('seats.road.fill'),
      note: seats.complete
        ? t('seats.road.filled')
        : seats.filled < seats.cells
          ? t('seats.road.cells', { n: seats.cells - seats.filled })
          : t('seats.road.rules'),
      mark: seats.complete ? ('settled' as const) : ('missing' as const),
    },
    {
      key: 'look',
      head: t('seats.road.look', { who }),
      note:
        seats.looked && seats.lookedAt
          ? t('seats.road.looked', { who: seats.lookedBy, time: zone(seats.lookedAt) })
          : t(seats.look === 'after' ? 'seats.road.lookAfter' : 'seats.road.lookNote'),
      mark: seats.looked ? ('settled' as const) : ('missing' as const),
    },
    {
      key: 'submit',
      head: t('seats.road.submit'),
      note:
        seats.receipt && seats.handedAt && seats.state !== 'choosing'
          ? t('seats.road.receipt', { receipt: seats.receipt, time: zone(seats.handedAt) })
          : seats.window
            ? t('seats.road.submitNote', { time: zone(seats.window.families) })
            : '',
      mark: seats.state === 'choosing' ? ('missing' as const) : ('settled' as const),
    },
  ];
  const order = seats.look === 'after' ? ['take', 'submit', 'look'] : seats.look === 'before' ? ['take', 'look', 'submit'] : ['take', 'submit'];
  return (
    <ol className="mt-3 grid gap-4 desk:grid-cols-3 desk:ps-11">
      {order.map((key) => {
        const s = steps.find((x) => x.key === key);
        if (!s) return null;
        const now = next === key;
        return (
          <li key={key} aria-current={now ? 'step' : undefined} className={`pt-1.5 text-soft ${now ? 'border-t-2 border-ink' : 'border-t border-line'}`}>
            <b className="block font-semibold text-ink">
              <Mark kind={s.mark} /> {s.head}
            </b>
            {s.note}
            {key === 'submit' && seats.state === 'choosing' && seats.waits.length > 0 && (
              <span className="block">{t('seats.road.endsWaits', { count: seats.waits.length })}</span>
            )}
            <span className="mt-1 flex gap-2">
              {key === 'submit' && acts.submit.allowed && (
                <Button tone="chief" disabled={props.busy} onClick={props.onSubmit}>
                  {t('seats.submit')}
                </Button>
              )}
              {key === 'look' && acts.look.allowed && (
                <Button tone="dark" disabled={props.busy} onClick={props.onLook}>
                  {t('seats.agree')}
                </Button>
              )}
              {key === order.at(-1) && acts.return.allowed && (
                <Button disabled={props.busy} onClick={props.onReturn}>
                  {t('seats.return')}
                </Button>
              )}
            </span>
          </li>
        );
      })}
    </ol>
  );
}

/** One's own seats as a list: for who gives one back without the board, and for paper. */
export function Own({ desk }: { desk: SeatDesk }) {
  const { t } = useTranslation();
  const { seats, sections, book, table } = desk;
  if (seats.own.length === 0) return null;
  const list = seats.own.map((o) => sections.get(o.section)).filter((x) => x !== undefined);
  list.sort((a, b) => (a.periods[0] ?? 0) - (b.periods[0] ?? 0) || (a.terms[0] ?? 0) - (b.terms[0] ?? 0) || (a.days[0] ?? 0) - (b.days[0] ?? 0));
  return (
    <ul className="mt-4 text-sm desk:ms-11" data-testid="own">
      {list.map((x) => (
        <li key={x.id} className="flex flex-wrap items-baseline gap-x-3 border-t border-line py-1">
          <b className="font-semibold">{book.title(x.course)}</b>
          <span className="flex-1 text-soft">{[whenWords(t, book, table, x), x.teacher, x.room].filter(Boolean).join(' · ')}</span>
          {desk.may && (
            <button
              type="button"
              disabled={desk.busy}
              aria-label={t('seats.named', { act: t('seats.give'), course: book.title(x.course) })}
              onClick={() => desk.onGive(x.id)}
              className="no-print min-h-6 inked-link max-desk:min-h-11"
            >
              {t('seats.give')}
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}

/** What was done with these seats, and by whom. */
export function Done({ place, seats, title, zone }: { place: Place; seats: Seats; title: (ids: string[]) => string; zone: (iso: string) => string }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const acts = useSeatActs(place, open ? seats.version : undefined);
  return (
    <details className="no-print mt-4 text-sm desk:ms-11" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="min-h-6 text-soft">{t('seats.acts')}</summary>
      <ul data-testid="seat-acts">
        {acts.data?.map((a) => {
          const kind = a.kind === 'take' || a.kind === 'undo' ? (a.came.length === 0 ? 'give' : a.gone.length ? 'move' : 'take') : a.kind;
          return (
            <li key={a.at + a.kind} className="border-t border-line py-1">
              <span className="text-soft">{zone(a.at)} · </span>
              {[a.by, t(`seats.act.${kind}`, { came: title(a.came), gone: title(a.gone), on: a.on })].filter(Boolean).join(' ')}
              {a.reason && ` · ${a.reason}`}
            </li>
          );
        })}
      </ul>
      <ShowEarlier of={acts} />
    </details>
  );
}
