import { type ReactNode, type RefObject, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Opening, Seats, SeatTable, TableSection, Ways } from '../api/seats';
import { Mark, subjectTab } from '../kit/marks';
import { type Book, join, termName } from '../shared/words';
import { type Sections, daysWords, entryWords, openingWords, whenWords } from './seatwords';

/** What a panel needs of the week, and what it does with it. */
export interface SeatDesk {
  book: Book;
  table: SeatTable;
  sections: Sections;
  seats: Seats;
  who: string; // the counselor
  may: boolean;
  busy: boolean;
  onTake: (take: string[], give?: string[]) => void;
  onGive: (section: string) => void;
  onWait: (section: string, on: boolean) => void;
  onPoint: (add: string[], out: string[]) => void;
}

/** How a section would lie: the days of the cycle, once for each term. */
function Lie({ desk, of }: { desk: SeatDesk; of: TableSection[] }) {
  const { terms } = desk.book.catalog;
  return (
    <span aria-hidden="true" className="inline-flex gap-px">
      {terms.map((_, term) =>
        Array.from({ length: desk.table.days }, (_, i) => {
          const at = of.findIndex((x) => x.terms.includes(term) && x.days.includes(i + 1));
          const x = of[Math.max(at, 0)];
          const { hue } = subjectTab(desk.book.course(x?.course ?? '')?.subject ?? '');
          return (
            <i
              key={`${term} ${i}`}
              className={`h-2.5 w-1.5 border ${term > 0 && i === 0 ? 'ms-1' : ''}`}
              style={{ borderColor: hue, background: at === 0 ? hue : at > 0 ? `color-mix(in srgb, ${hue} 35%, transparent)` : 'transparent' }}
            />
          );
        }),
      )}
    </span>
  );
}

/** One entry of the panel: what it is, how it lies, what is left, and what to do. */
export function Fit(props: { desk: SeatDesk; list: TableSection[]; out?: string[]; period?: number; note?: ReactNode; action?: ReactNode; mark?: 'stopped' }) {
  const { t } = useTranslation();
  const { desk, list } = props;
  const { book, table, seats } = desk;
  const line = (x: TableSection) => seats.lines.find((l) => l.section === x.id);
  const point = () =>
    desk.onPoint(
      list.map((x) => x.id),
      props.out ?? [],
    );
  const evidence = list
    .map((x) =>
      entryWords(
        t,
        book,
        seats.entries.find((e) => e.course === x.course),
      ),
    )
    .filter(Boolean);
  const half = list.some((x) => seats.entries.find((e) => e.course === x.course)?.entry === 'expected');
  return (
    <li
      data-fit={list.map((x) => x.id).join(' ')}
      className="border-t border-line py-1.5"
      onMouseEnter={point}
      onMouseLeave={() => desk.onPoint([], [])}
      onFocus={point}
      onBlur={() => desk.onPoint([], [])}
    >
      <p className="flex items-baseline gap-3">
        <span className="min-w-0">
          {props.mark && <Mark kind={props.mark} />} {half && !props.mark && <Mark kind="half" />}{' '}
          {list.map((x, i) => (
            <span key={x.id}>
              {i > 0 && ' + '}
              <b className="font-semibold">{book.title(x.course)}</b>
            </span>
          ))}
        </span>
        <span className="ms-auto shrink-0 text-sm">
          {list.map((x) => t('seats.left', { n: line(x)?.left ?? seats.own.find((o) => o.section === x.id)?.left ?? 0 })).join(' · ')}
        </span>
      </p>
      <p className="flex flex-wrap items-center gap-x-2 text-sm text-soft">
        <Lie desk={desk} of={list} />
        <span className="min-w-0 flex-1">
          {list.map((x) => [x.teacher, x.room, whenWords(t, book, table, x, props.period)].filter(Boolean).join(' · ')).join('; ')}
        </span>
        {props.action}
      </p>
      {evidence.length > 0 && <p className="text-sm text-soft">{evidence.join(' · ')}</p>}
      {half && <p className="text-sm text-soft">{t('seats.half')}</p>}
      {props.note}
    </li>
  );
}

/** How many entries of a group are shown at first. */
const few = 6;

export const linkClass = 'min-h-6 text-sm text-ink inked-link max-desk:min-h-11';

export function TakeLink({ desk, list }: { desk: SeatDesk; list: TableSection[] }) {
  const { t } = useTranslation();
  if (!desk.may) return null;
  return (
    <button
      type="button"
      data-act="take"
      disabled={desk.busy}
      aria-label={t('seats.named', {
        act: t(list.length > 1 ? 'seats.takeAll' : 'seats.take'),
        course: join(
          t,
          list.map((x) => desk.book.title(x.course)),
        ),
      })}
      onClick={() => desk.onTake(list.map((x) => x.id))}
      className={linkClass}
    >
      {t(list.length > 1 ? 'seats.takeAll' : 'seats.take')}
    </button>
  );
}

/** What fits in an opening: alone, together, in part, by moving something, or not any more. */
export function Fits({
  desk,
  ways,
  opening,
  onNarrow,
  first,
}: {
  desk: SeatDesk;
  ways: Ways;
  opening: Opening;
  onNarrow: (o: Opening) => void;
  first: RefObject<HTMLDivElement | null>;
}) {
  const { t } = useTranslation();
  const { book, sections } = desk;
  const find = (ids: string[]) => ids.map((id) => sections.get(id)).filter((x) => x !== undefined);
  const alone = ways.fill.filter((f) => f.length === 1);
  const together = ways.fill.filter((f) => f.length > 1);
  const days = [...new Set(ways.cells.flatMap((c) => c.days))];
  const odd = days.filter((d) => d % 2 === 1);
  const even = days.filter((d) => d % 2 === 0);
  const narrower: { label: string; to: Opening }[] = [];
  if (ways.cells.length > 1) for (const c of ways.cells) narrower.push({ label: termName(t, book, c.term), to: { ...opening, terms: [c.term] } });
  if (odd.length > 0 && even.length > 0 && days.length > 2)
    for (const list of [odd, even]) narrower.push({ label: daysWords(t, list), to: { ...opening, days: list } });
  const [whole, setWhole] = useState<string[]>([]); // groups that are shown to the end
  const group = (name: string, list: ReactNode[]) =>
    list.length > 0 && (
      <section key={name} data-group={name}>
        <h3 className="mt-2 text-sm font-semibold">
          {t(`seats.${name}`)} <span className="font-normal text-soft">· {list.length}</span>
        </h3>
        <ul>{whole.includes(name) ? list : list.slice(0, few)}</ul>
        {list.length > few && !whole.includes(name) && (
          <button type="button" className={linkClass} onClick={() => setWhole([...whole, name])}>
            {t('seats.all', { n: list.length })}
          </button>
        )}
      </section>
    );
  return (
    <>
      <h2 className="font-semibold">{openingWords(t, book, ways.cells, opening.period)}</h2>
      <p className="flex flex-wrap items-center gap-x-3 text-sm text-soft">
        {narrower.length > 0 && t('seats.narrow')}
        {narrower.map((n) => (
          <button key={n.label} type="button" className={linkClass} onClick={() => onNarrow(n.to)}>
            {n.label}
          </button>
        ))}
        {(opening.terms.length > 0 || opening.days.length > 0) && (
          <button type="button" className={linkClass} onClick={() => onNarrow({ period: opening.period, terms: [], days: [] })}>
            {t('seats.whole')}
          </button>
        )}
      </p>
      {ways.fill.length === 0 && ways.parts.length === 0 && <p className="mt-2 text-soft">{t('seats.nothing', { who: desk.who })}</p>}
      <div ref={first}>
        {group(
          'alone',
          alone.map((f) => <Fit key={f.join()} desk={desk} period={opening.period} list={find(f)} action={<TakeLink desk={desk} list={find(f)} />} />),
        )}
        {group(
          'together',
          together.map((f) => <Fit key={f.join()} desk={desk} period={opening.period} list={find(f)} action={<TakeLink desk={desk} list={find(f)} />} />),
        )}
        {ways.more ? <p className="text-sm text-soft">{t('seats.more', { n: ways.more })}</p> : null}
        {group(
          'parts',
          find(ways.parts).map((x) => <Fit key={x.id} desk={desk} period={opening.period} list={[x]} action={<TakeLink desk={desk} list={[x]} />} />),
        )}
        {group(
          'collides',
          ways.collide.map((c) => {
            const x = sections.get(c.section);
            return x ? <Collides key={x.id} desk={desk} period={opening.period} x={x} pushes={c.pushes} /> : null;
          }),
        )}
        {group(
          'gone',
          find(ways.full).map((x) => <Fit key={x.id} desk={desk} period={opening.period} list={[x]} action={<WaitLink desk={desk} x={x} />} />),
        )}
      </div>
    </>
  );
}

/** A section that pushes something out: moving that and taking this is one act. */
function Collides({ desk, period, x, pushes }: { desk: SeatDesk; period: number; x: TableSection; pushes: Ways['collide'][number]['pushes'] }) {
  const { t } = useTranslation();
  const { book, sections, table } = desk;
  const title = (id: string) => book.title(sections.get(id)?.course ?? id);
  const moves = pushes.every((p) => p.instead.length > 0);
  const moved = join(
    t,
    pushes.map((p) => title(p.own)),
  );
  const give = pushes.map((p) => p.own);
  const take = [x.id, ...(moves ? pushes.map((p) => p.instead[0] ?? '').filter(Boolean) : [])];
  return (
    <Fit
      desk={desk}
      period={period}
      list={[x]}
      out={give}
      mark={moves ? undefined : 'stopped'}
      note={
        <>
          {pushes.map((p) => {
            const other = sections.get(p.instead[0] ?? '');
            return (
              <p key={p.own} className={`text-sm ${other ? 'text-soft' : 'text-ochre'}`}>
                {other
                  ? t('seats.pushes', { course: title(p.own), where: [whenWords(t, book, table, other), other.teacher].filter(Boolean).join(' · ') })
                  : t('seats.pushesNo', { course: title(p.own) })}
              </p>
            );
          })}
          {desk.may && (
            <button
              type="button"
              disabled={desk.busy}
              aria-label={
                moves ? t('seats.named', { act: t('seats.move'), course: join(t, [...pushes.map((p) => title(p.own)), book.title(x.course)]) }) : undefined
              }
              onClick={() => desk.onTake(take, give)}
              className={linkClass}
            >
              {moves ? t('seats.move') : t('seats.swap', { moved })}
            </button>
          )}
        </>
      }
    />
  );
}

export function WaitLink({ desk, x }: { desk: SeatDesk; x: TableSection }) {
  const { t } = useTranslation();
  if (!desk.may || desk.seats.waits.some((w) => w.section === x.id)) return null;
  return (
    <button
      type="button"
      disabled={desk.busy}
      aria-label={t('seats.named', { act: t('seats.wait'), course: desk.book.title(x.course) })}
      onClick={() => desk.onWait(x.id, true)}
      className={linkClass}
    >
      {t('seats.wait')}
    </button>
  );
}
