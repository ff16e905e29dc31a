import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import { useTranslation } from 'react-i18next';
import { type Place, type Problem, ApiError, studentPath } from '../api/client';
import { type Opening, type Seats, type SeatsPut, type SeatTable, proposal, seatActs, useSeatAct, useSeatTable, useSeats, useWays } from '../api/seats';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { TextDialog } from '../kit/dialog';
import { clock, when } from '../kit/format';
import { useSingleKeys } from '../kit/keys';
import { Unread } from '../shared/unread';
import { join } from '../shared/words';
import type { Desk } from './desk';
import { SeatBoard } from './seatboard';
import { Search, Waits } from './seatfind';
import { Fits, type SeatDesk } from './seatpanel';
import { AskForChange } from './seatask';
import { Done, Head, Own, Road } from './seatparts';
import { nextWords, sectionsOf } from './seatwords';

const roomy = typeof matchMedia === 'function' ? matchMedia('(min-width: 64rem)') : undefined;
const useRoom = () =>
  useSyncExternalStore(
    (changed) => {
      roomy?.addEventListener('change', changed);
      return () => roomy?.removeEventListener('change', changed);
    },
    () => roomy?.matches ?? true,
  );

/** Choosing seats in the finished master schedule: the week board, and what fits where it is open. */
export default function SeatsPage({ desk }: { desk: Desk }) {
  const seats = useSeats(desk.place);
  const table = useSeatTable(desk.place, seats.data?.table);
  if (!seats.data || !table.data) return <Unread of={[seats, table]} />;
  const offline = seats.error instanceof ApiError && seats.error.code === 'offline';
  return <Week desk={desk} seats={seats.data} table={table.data} offline={offline} />;
}

/** What was asked for and went to someone else. */
interface Lost {
  section: string;
  next?: string;
  at: string;
}

function Week({ desk, seats, table, offline }: { desk: Desk; seats: Seats; table: SeatTable; offline: boolean }) {
  const { t } = useTranslation();
  const { book, place } = desk;
  const wide = useRoom();
  const sections = sectionsOf(table);
  const [term, setTerm] = useState(0);
  const [opening, setOpening] = useState<Opening>();
  const [pointed, setPointed] = useState<{ add: string[]; out: string[] }>({ add: [], out: [] });
  const [asking, setAsking] = useState<string[]>([]);
  const [lost, setLost] = useState<Lost>();
  const [refused, setRefused] = useState<string>();
  const [made, setMade] = useState<string>();
  const [proposed, setProposed] = useState<{ sections: string[]; asked: number }>();
  const [proposing, setProposing] = useState(false);
  const [returning, setReturning] = useState(false);
  const first = useRef<HTMLDivElement>(null);
  const enter = useRef(false);
  const reason = desk.reason ?? '';
  const who = seats.counsel ?? t('theCounselor');
  const title = (id: string) => book.title(sections.get(id)?.course ?? id);
  const titles = (ids: string[]) => join(t, ids.map(title));
  const zone = (iso: string) => when(iso, book.catalog.zone);

  const take = useSeatAct(place, seatActs.take);
  const wait = useSeatAct(place, (at: Place, x: { section: string; on: boolean }) => (x.on ? seatActs.wait(at, x.section) : seatActs.unwait(at, x.section)));
  const look = useSeatAct(place, (at: Place) => seatActs.look(at));
  const submit = useSeatAct(place, seatActs.submit);
  const giveBack = useSeatAct(place, seatActs.giveBack);
  const busy = [take, wait, look, submit, giveBack].some((m) => m.isPending);
  const may = seats.acts.take.allowed && !offline;

  const ways = useWays(place, seats.version, opening);
  useEffect(() => {
    if (enter.current && ways.data && !ways.isPlaceholderData) {
      enter.current = false;
      first.current?.querySelector<HTMLElement>('button')?.focus();
    }
  }, [ways.data, ways.isPlaceholderData]);

  const change = (body: SeatsPut) => {
    setAsking(body.take ?? []);
    setRefused(undefined);
    take.mutate(
      { ...body, reason },
      {
        onSuccess: (after) => {
          setLost(undefined);
          setProposed(undefined);
          setPointed({ add: [], out: [] });
          const came = after.own.map((x) => x.section).filter((id) => !seats.own.some((x) => x.section === id));
          const gone = seats.own.map((x) => x.section).filter((id) => !after.own.some((x) => x.section === id));
          const time = clock(new Date().toISOString());
          if (came.length && gone.length) setMade(t('seats.moved', { time, courses: titles(came), gone: titles(gone) }));
          else if (came.length) setMade(t('seats.came', { time, courses: titles(came) }));
          else if (gone.length) setMade(t('seats.went', { time, courses: titles(gone) }));
          if (opening && !after.open.some((o) => o.period === opening.period)) setOpening(undefined);
        },
        onError: (e) => {
          const p: Problem | undefined = e.problem;
          if (p?.code === 'seat-gone') setLost({ section: p.param ?? '', next: p.next, at: clock(new Date().toISOString()) });
          else setRefused(errorWords(t, e));
        },
        onSettled: () => setAsking([]),
      },
    );
  };
  const fail = { onError: (e: ApiError) => setRefused(errorWords(t, e)) };
  const undo = () => seats.undoes && may && change({ undo: true });
  useSingleKeys({ s: () => setTerm((n) => (n + 1) % book.catalog.terms.length), z: undo });

  const panelDesk: SeatDesk = {
    book,
    table,
    sections,
    seats,
    who,
    may,
    busy,
    onTake: (list, give) => change({ take: list, give }),
    onGive: (section) => change({ give: [section] }),
    onWait: (section, on) => wait.mutate({ section, on }, fail),
    onPoint: (add, out) => setPointed({ add, out }),
  };
  const panel = opening && ways.data && <Fits desk={panelDesk} ways={ways.data} opening={opening} onNarrow={setOpening} first={first} />;
  const notices = (
    <>
      {offline && (
        <p role="status" className="mb-2 border-s-2 border-ochre ps-2 text-ochre">
          {t('seats.offline')}
        </p>
      )}
      {lost && (
        <div role="status" data-testid="lost" className="mb-3">
          <div aria-hidden="true" className="mb-1.5 h-1.5 rounded-sm hatch" />
          <p>
            <b className="font-semibold text-ochre">{t('seats.lost', { time: lost.at, course: title(lost.section) })}</b> {t('seats.same')}{' '}
            {lost.next && t('seats.best', { course: title(lost.next), where: nextWords(t, book, table, sections.get(lost.next)) })}
          </p>
          {lost.next && (
            <Button className="mt-1" disabled={busy} onClick={() => change({ take: [lost.next ?? ''] })}>
              {t('seats.takeOf', { course: title(lost.next) })}
            </Button>
          )}
        </div>
      )}
      <Refusal text={refused} />
      {seats.message && seats.state === 'choosing' && (
        <p className="mb-2 rounded border p-2 hatch">
          <span className="rounded bg-card px-1 text-ochre">{t('seats.returned', { message: seats.message })}</span>
        </p>
      )}
      <Waits desk={panelDesk} zone={zone} />
    </>
  );
  const offer = may && !seats.complete && (
    <div className="mt-3">
      {proposed ? (
        <div data-testid="proposal">
          {proposed.sections.length > 0 ? (
            <>
              <p>{t('seats.proposed', { n: proposed.sections.length, asked: proposed.asked })}</p>
              <ul className="mb-1 text-sm">
                {proposed.sections.map((id) => (
                  <li key={id} className="border-t border-line py-0.5">
                    <b className="font-semibold">{title(id)}</b> <span className="text-soft">{nextWords(t, book, table, sections.get(id))}</span>
                  </li>
                ))}
              </ul>
              <Button tone="dark" disabled={busy} onClick={() => change({ take: proposed.sections })}>
                {t('seats.takeAll')}
              </Button>{' '}
              <Button onClick={() => setProposed(undefined)}>{t('seats.forget')}</Button>
            </>
          ) : (
            <p className="text-soft">{t('seats.proposedNone')}</p>
          )}
        </div>
      ) : (
        <Button
          disabled={proposing}
          onClick={() => {
            setProposing(true);
            proposal(place)
              .then(setProposed, (e: unknown) => setRefused(errorWords(t, e)))
              .finally(() => setProposing(false));
          }}
        >
          {proposing ? t('working') : t('seats.propose')}
        </Button>
      )}
    </div>
  );
  const ghost = proposed && pointed.add.length === 0 ? proposed.sections : pointed.add;
  return (
    <main id="page" className="mx-auto max-w-[100rem] px-4 pb-24 desk:px-6">
      <Head desk={desk} seats={seats} table={table} who={who} onChoose={setOpening} />
      <div className="gap-x-5 desk:grid desk:grid-cols-[minmax(0,1fr)_25rem]">
        <div>
          <SeatBoard
            book={book}
            table={table}
            sections={sections}
            seats={seats}
            term={term}
            onTurn={setTerm}
            chosen={opening}
            onChoose={(o) => setOpening(seats.open.some((x) => x.period === o.period) ? o : undefined)}
            onGive={(section) => change({ give: [section] })}
            onEnter={() => (enter.current = true)}
            add={ghost}
            out={pointed.out}
            asking={asking}
            may={may}
            wide={wide}
            panel={panel}
          />
          <p role="status" className="mt-2 flex min-h-6 desk:ps-11 flex-wrap items-baseline gap-x-3 text-sm text-soft">
            {made && <span data-testid="made">{made}</span>}
            {may && seats.undoes && (
              <button type="button" disabled={busy} onClick={undo} className="min-h-6 text-ink inked-link max-desk:min-h-11">
                {t('undo')}
              </button>
            )}
          </p>
          <Road
            seats={seats}
            who={who}
            busy={busy}
            zone={zone}
            onSubmit={() => submit.mutate(reason, fail)}
            onLook={() => look.mutate(undefined, fail)}
            onReturn={() => setReturning(true)}
          />
          <Own desk={panelDesk} />
          {!seats.acts.take.allowed && desk.reason === undefined && seats.own.length > 0 && <AskForChange desk={desk} seats={seats} table={table} who={who} />}
          <Done place={place} seats={seats} title={titles} zone={zone} />
          <details className="no-print mt-4 text-sm text-soft max-desk:hidden desk:ms-11">
            <summary className="min-h-6">{t('seats.keysHead')}</summary>
            {t('seats.keys')}
          </details>
          <button type="button" className="no-print mt-3 min-h-8 text-sm inked-link desk:ms-11" onClick={() => window.print()}>
            {t('seats.print')}
          </button>{' '}
          <a href={`${studentPath(place)}/seats.pdf`} download="seats.pdf" className="no-print inline-flex min-h-8 items-center text-sm inked-link">
            {t('seats.pdf')}
          </a>
        </div>
        <aside
          aria-label={t('seats.panel')}
          className="no-print desk:border-s desk:border-line desk:ps-5"
          onKeyDown={(event) => {
            if (event.key === 'Escape' && opening) {
              event.preventDefault();
              document.querySelector<HTMLElement>('[data-open][aria-pressed=true]')?.focus();
            }
          }}
        >
          {notices}
          {wide && (panel ?? (may && seats.open.length > 0 && <p className="text-soft">{t('seats.choose')}</p>))}
          {offer}
          <Search desk={panelDesk} />
        </aside>
      </div>
      {returning && (
        <TextDialog
          open
          title={t('seats.returnHead')}
          label={t('seats.returnLabel')}
          action={t('seats.return')}
          busy={giveBack.isPending}
          error={giveBack.error ? errorWords(t, giveBack.error) : undefined}
          onClose={() => setReturning(false)}
          onDone={(text) => giveBack.mutate(text, { onSuccess: () => setReturning(false) })}
        />
      )}
    </main>
  );
}
