import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { SeatLine, TableSection } from '../api/seats';
import { Button } from '../kit/controls';
import { fold } from '../kit/fold';
import { amount } from '../kit/format';
import { Mark } from '../kit/marks';
import { SearchField } from '../kit/searchfield';
import { join } from '../shared/words';
import { Fit, type SeatDesk, TakeLink, WaitLink, linkClass } from './seatpanel';
import type { Sections } from './seatwords';

const most = 60;

/** All sections, found by course, teacher, subject, period and day; each says whether it fits, with what it collides, or why it cannot be taken. */
export function Search({ desk }: { desk: SeatDesk }) {
  const { t } = useTranslation();
  const { book, table, seats, sections } = desk;
  const [text, setText] = useState('');
  const [period, setPeriod] = useState(0);
  const [day, setDay] = useState(0);
  const wanted = fold(text).split(/\s+/).filter(Boolean);
  const asked = wanted.length > 0 || period > 0 || day > 0;
  const lines = new Map(seats.lines.map((l) => [l.section, l]));
  const found = asked
    ? table.sections.filter((x) => {
        const c = book.course(x.course);
        const words = fold([c?.title, x.course, x.teacher, x.room, ...(c?.subjects ?? []), ...(c?.words ?? [])].join(' '));
        return wanted.every((w) => words.includes(w)) && (!period || x.periods.includes(period)) && (!day || x.days.includes(day));
      })
    : [];
  const weight = (x: TableSection) => {
    const l = lines.get(x.id);
    return !l ? 4 : l.may ? 3 : l.fits ? 0 : l.left > 0 ? 1 : 2;
  };
  found.sort((a, b) => weight(a) - weight(b) || (lines.get(a.id)?.rank || 999) - (lines.get(b.id)?.rank || 999));
  const field = 'min-h-9 rounded border border-edge bg-card px-2 max-desk:min-h-11';
  return (
    <section aria-label={t('seats.search')} className="mt-4 border-t border-line pt-2">
      <h2 className="text-sm font-semibold">{t('seats.search')}</h2>
      <div className="mt-1 flex flex-wrap gap-1">
        <SearchField label={t('seats.search')} hint={t('seats.searchHint')} value={text} onChange={setText} className="min-h-9 min-w-40 flex-1" />
        <select aria-label={t('seats.anyPeriod')} value={period} onChange={(event) => setPeriod(Number(event.target.value))} className={field}>
          <option value={0}>{t('seats.anyPeriod')}</option>
          {Array.from({ length: table.periods }, (_, i) => (
            <option key={i} value={i + 1}>
              {t('seats.period', { period: i + 1 })}
            </option>
          ))}
        </select>
        {table.days > 1 && (
          <select aria-label={t('seats.anyDay')} value={day} onChange={(event) => setDay(Number(event.target.value))} className={field}>
            <option value={0}>{t('seats.anyDay')}</option>
            {Array.from({ length: table.days }, (_, i) => (
              <option key={i} value={i + 1}>
                {t('seats.day', { days: i + 1 })}
              </option>
            ))}
          </select>
        )}
      </div>
      <p role="status" className="text-sm text-soft">
        {asked && (found.length ? t('seats.found', { n: amount(found.length) }) : t('seats.foundNone'))}
      </p>
      <ul data-testid="found">
        {found.slice(0, most).map((x) => {
          const l = lines.get(x.id);
          if (!l) return <Fit key={x.id} desk={desk} list={[x]} action={<GiveLink desk={desk} x={x} />} />;
          return (
            <Fit
              key={x.id}
              desk={desk}
              list={[x]}
              out={l.clash}
              action={l.may ? null : l.fits ? <TakeLink desk={desk} list={[x]} /> : l.left > 0 ? null : <WaitLink desk={desk} x={x} />}
              note={<Why desk={desk} line={l} sections={sections} />}
            />
          );
        })}
      </ul>
    </section>
  );
}

function GiveLink({ desk, x }: { desk: SeatDesk; x: TableSection }) {
  const { t } = useTranslation();
  if (!desk.may) return null;
  return (
    <button
      type="button"
      disabled={desk.busy}
      aria-label={t('seats.named', { act: t('seats.give'), course: desk.book.title(x.course) })}
      onClick={() => desk.onGive(x.id)}
      className={linkClass}
    >
      {t('seats.give')}
    </button>
  );
}

/** Why a section cannot simply be taken. */
function Why({ desk, line, sections }: { desk: SeatDesk; line: SeatLine; sections: Sections }) {
  const { t } = useTranslation();
  if (line.may)
    return (
      <p className="text-sm text-ochre">
        <Mark kind={line.may === 'entry-open' ? 'stopped' : 'missing'} /> {t(`seats.may.${line.may}`, { who: desk.who })}
      </p>
    );
  if (!line.clash?.length) return null;
  const moved = join(
    t,
    line.clash.map((id) => desk.book.title(sections.get(id)?.course ?? id)),
  );
  return desk.may && line.left > 0 ? (
    <button type="button" disabled={desk.busy} onClick={() => desk.onTake([line.section], line.clash)} className={linkClass}>
      {t('seats.swap', { moved })}
    </button>
  ) : null;
}

/** What someone waits for, and what is offered to them. */
export function Waits({ desk, zone }: { desk: SeatDesk; zone: (iso: string) => string }) {
  const { t } = useTranslation();
  const { book, seats, sections, table } = desk;
  if (seats.waits.length === 0) return null;
  const title = (id: string) => book.title(sections.get(id)?.course ?? id);
  const clash = (id: string) => seats.lines.find((l) => l.section === id)?.clash ?? [];
  const offered = seats.waits.filter((w) => w.until);
  const waits = seats.waits.filter((w) => !w.until);
  return (
    <>
      {offered.map((w) => (
        <div key={w.section} role="status" className="mb-2 rounded border p-2 hatch" data-testid="offer">
          <p className="rounded bg-card px-1">
            <b className="font-semibold">{t('seats.offer', { course: title(w.section), time: zone(w.until ?? '') })}</b>
          </p>
          {desk.may && (
            <p className="mt-1 flex gap-3">
              <Button tone="dark" disabled={desk.busy} onClick={() => desk.onTake([w.section], clash(w.section))}>
                {clash(w.section).length > 0 ? t('seats.swap', { moved: join(t, clash(w.section).map(title)) }) : t('seats.take')}
              </Button>
              <Button disabled={desk.busy} onClick={() => desk.onWait(w.section, false)}>
                {t('seats.leave')}
              </Button>
            </p>
          )}
        </div>
      ))}
      {waits.length > 0 && (
        <section aria-label={t('seats.waits')} className="mb-2">
          <h2 className="text-sm font-semibold">{t('seats.waits')}</h2>
          <ul>
            {waits.map((w) => (
              <li key={w.section} className="flex flex-wrap items-baseline gap-x-3 border-t border-line py-1 text-sm">
                <b className="font-semibold">{title(w.section)}</b>
                <span className="flex-1 text-soft">{table.waiting === 'lottery' ? t('seats.lot') : t('seats.place', { n: w.before })}</span>
                {desk.may && (
                  <button
                    type="button"
                    disabled={desk.busy}
                    aria-label={t('seats.named', { act: t('seats.stop'), course: title(w.section) })}
                    onClick={() => desk.onWait(w.section, false)}
                    className={linkClass}
                  >
                    {t('seats.stop')}
                  </button>
                )}
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
