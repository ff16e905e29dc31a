import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Person, type Place, useCatalog } from '../api/client';
import { type DatedPut, type Enrolled, type StayView, useChange, useEnrolled, useTrial } from '../api/changes';
import { type SeatTable, useSeatTable } from '../api/seats';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { clock, day, today } from '../kit/format';
import { Header } from '../kit/header';
import { Mark, SubjectTab, subjectTab } from '../kit/marks';
import { staffPages } from '../kit/pages';
import { Unread } from '../shared/unread';
import { type Book, bookOf, join, needWords } from '../shared/words';
import '../shared/staff';

/** A change of a section or course during the year: the year as a band, and a date line with one date for both sections. */
export default function ChangePage({ person, place }: { person: Person; place: Place }) {
  const { t } = useTranslation();
  const catalog = useCatalog(place);
  const enrolled = useEnrolled(place);
  const table = useSeatTable(place, enrolled.data?.table);
  return (
    <>
      <Header pages={[{ to: `/student/${encodeURIComponent(place.student)}`, label: t('file.back') }, ...staffPages(t, person)]} where={person.name} />
      <main id="page" className="px-4 pt-3 pb-16 desk:px-6">
        {!catalog.data || !enrolled.data || !table.data ? (
          <Unread of={[catalog, enrolled, table]} inside />
        ) : (
          <Change book={bookOf(catalog.data)} place={place} enrolled={enrolled.data} table={table.data} />
        )}
      </main>
    </>
  );
}

const marks = ['present', 'absent', 'late', 'excused'] as const;

function Change({ book, place, enrolled, table }: { book: Book; place: Place; enrolled: Enrolled; table: SeatTable }) {
  const { t } = useTranslation();
  const { days } = enrolled;
  const now = today(book.catalog.zone);
  const [at, setAt] = useState(() =>
    Math.max(
      0,
      days.findIndex((d) => d >= now),
    ),
  );
  const [drop, setDrop] = useState<string>(); // undefined: not chosen yet; '': nothing
  const [add, setAdd] = useState<string>();
  const [settle, setSettle] = useState<'move' | 'delete'>();
  const [as, setAs] = useState<(typeof marks)[number]>();
  const [reason, setReason] = useState('');
  const [made, setMade] = useState<string>();
  const change = useChange(place);
  const on = days[at] ?? '';
  const name = enrolled.student.given;
  const section = (id: string) => table.sections.find((x) => x.id === id);
  const title = (id: string) => book.title(section(id)?.course ?? id);
  const may = enrolled.may.allowed;
  const current = enrolled.stays.filter((s) => s.end > on);
  const put: DatedPut | undefined = drop === undefined || !on ? undefined : { on, drop: drop ? [drop] : [], add: add ? [add] : [] };
  const trial = useTrial(place, enrolled, put);
  const effect = put ? trial.data : undefined;
  const concerned = effect?.marks ?? [];
  const later = concerned.length ? days.find((d) => d > concerned.reduce((last, m) => (m.date > last ? m.date : last), '')) : undefined;
  const choose = (id: string | undefined) => (setDrop(id), setAdd(undefined), setSettle(undefined), setMade(undefined));
  const move = (to: number) => (setAt(Math.min(Math.max(to, 0), days.length - 1)), setMade(undefined));
  const ready = put && effect && !effect.why && (drop || add) && (concerned.length === 0 || settle) && !trial.isPlaceholderData;
  const head =
    !put || (!drop && !add)
      ? t('change.head', { name })
      : add && drop
        ? t('change.headOn', { name, gone: title(drop), came: title(add), date: day(on) })
        : add
          ? t('change.headAdd', { name, came: title(add), date: day(on) })
          : t('change.headDrop', { name, gone: title(drop ?? ''), date: day(on) });
  const act = () => {
    if (!put) return;
    change.mutate(
      { ...put, settle: concerned.length ? settle : undefined, as: settle === 'move' ? as : undefined, reason },
      {
        onSuccess: (now) => {
          choose(undefined);
          setReason('');
          if (!now.going) setMade(t('change.done', { date: day(on), time: clock(new Date().toISOString()) }));
        },
      },
    );
  };
  const shown = drop ? enrolled.stays.filter((s) => s.section === drop) : [];
  const came = section(add ?? '');
  return (
    <>
      <h1 className="mb-1">{head}</h1>
      <p className="mb-3 text-soft">{t('change.note')}</p>
      {enrolled.going && (
        <p role="status" className="mb-3 border-s-2 border-ochre ps-2 text-ochre">
          {t(enrolled.going.back ? 'change.goingBack' : 'change.going', {
            date: day(enrolled.going.on),
            time: clock(enrolled.going.since),
            courses: join(t, [...enrolled.going.drop, ...enrolled.going.add].map(title)),
          })}
        </p>
      )}
      {may && enrolled.away && <p className="mb-3 border-s-2 border-ochre ps-2 text-ochre">{t('change.away')}</p>}
      {may && (
        <figure className="mb-4">
          <figcaption className="text-sm text-soft">{t('change.bars', { from: day(days[0] ?? ''), to: day(days.at(-1) ?? '') })}</figcaption>
          <div className="relative mt-1 h-16 rounded border border-line bg-card">
            {shown.map((s) => (
              <Bar
                key={s.section}
                days={days}
                from={s.begin}
                to={on < s.end ? on : s.end}
                hue={subjectTab(book.course(s.course)?.subject ?? '').hue}
                label={book.title(s.course)}
                row={0}
                marks={s.marks}
                line={on}
              />
            ))}
            {came && (
              <Bar
                days={days}
                from={on}
                to="9999"
                hue={subjectTab(book.course(came.course)?.subject ?? '').hue}
                label={book.title(came.course)}
                row={1}
                marks={[]}
                line={on}
              />
            )}
            <span
              aria-hidden="true"
              className="absolute inset-y-0 w-0.5 bg-ink"
              style={{ insetInlineStart: `${(100 * at) / Math.max(days.length - 1, 1)}%` }}
            />
          </div>
          <label className="mt-1 block text-sm">
            <span className="block">
              {t('change.day')}: <b className="font-semibold">{on && day(on)}</b>
            </span>
            <input
              type="range"
              min={0}
              max={days.length - 1}
              value={at}
              aria-valuetext={on && day(on)}
              onChange={(event) => move(Number(event.target.value))}
              onKeyDown={(event) => {
                if (event.shiftKey && /^Arrow/.test(event.key)) {
                  event.preventDefault();
                  move(at + (/Right|Up/.test(event.key) ? 5 : -5));
                }
              }}
              className="w-full accent-(--ink)"
            />
          </label>
          <label className="text-sm text-soft">
            {t('change.typed')}{' '}
            <input
              type="date"
              value={on}
              min={days[0]}
              max={days.at(-1)}
              onChange={(event) => {
                const to = days.findIndex((d) => d >= event.target.value);
                if (event.target.value && to >= 0) move(to);
              }}
              className="min-h-8 rounded border border-edge bg-card px-2 text-ink"
            />
          </label>
        </figure>
      )}
      {may && (
        <div className="grid gap-6 desk:grid-cols-[1fr_1fr]">
          <section aria-label={t('change.fits')} className="min-w-0">
            <label className="block text-sm">
              {t('change.leave')}
              <select
                value={drop ?? '?'}
                onChange={(event) => choose(event.target.value === '?' ? undefined : event.target.value)}
                className="block min-h-9 w-full rounded border border-edge bg-card px-2"
              >
                <option value="?">–</option>
                <option value="">{t('change.nothing')}</option>
                {current.map((s) => (
                  <option key={s.section} value={s.section}>
                    {s.when.periods.join(', ')} · {book.title(s.course)}
                  </option>
                ))}
              </select>
            </label>
            {effect && (
              <>
                <h2 className="mt-3 font-semibold">
                  {t('change.fits')} <span className="font-normal text-soft">· {t('change.fitsNote', { n: effect.fits.length })}</span>
                </h2>
                {effect.fits.length === 0 && <p className="text-soft">{t('change.fitsNone')}</p>}
                <div className="max-h-96 overflow-y-auto" tabIndex={0} role="region" aria-label={t('change.fits')} data-testid="fits">
                  <ul>
                    {effect.fits.map((f) => {
                      const x = section(f.section);
                      const open = f.may !== undefined;
                      return (
                        <li key={f.section} className="border-t border-line">
                          <button
                            type="button"
                            aria-pressed={add === f.section}
                            onClick={() => (setAdd(add === f.section ? undefined : f.section), setMade(undefined))}
                            className="w-full px-2 py-1 text-start hover:bg-wash aria-pressed:bg-wash"
                          >
                            <span className="flex items-baseline gap-2">
                              <SubjectTab subject={book.course(x?.course ?? '')?.subject ?? ''} />
                              <b className="font-semibold">{title(f.section)}</b>
                              <span className="text-sm text-soft">
                                {[x?.periods.join(', '), x && x.days.length < table.days && x.days.join(' '), x?.teacher, x?.room].filter(Boolean).join(' · ')}
                              </span>
                              <span className="ms-auto text-sm">{t('change.left', { n: f.left, seats: x?.seats })}</span>
                            </span>
                            <span className={`block text-sm ${open ? 'text-ochre' : 'text-soft'}`}>
                              <Mark kind={open ? 'missing' : f.entry.entry === 'expected' ? 'half' : 'settled'} />{' '}
                              {open ? t('change.not') : f.left > 0 ? t('change.may') : t('change.full')}{' '}
                              {f.entry.needs?.length
                                ? f.entry.needs
                                    .map(
                                      (p) =>
                                        `${p.from ?? needWords(t, book, p)}${p.year ? `: ${[p.mark, p.year].filter((v) => v !== undefined).join(', ')}` : ''}`,
                                    )
                                    .join(' · ')
                                : t('change.none')}
                            </span>
                          </button>
                        </li>
                      );
                    })}
                  </ul>
                </div>
              </>
            )}
          </section>
          <section className="min-w-0">
            {effect?.why && (
              <p role="status" className="rounded border p-2 hatch">
                <span className="rounded bg-card px-1 text-ochre">
                  {t(`change.why.${effect.why}`, {
                    name,
                    section: title(effect.section ?? ''),
                    other: title(effect.other ?? ''),
                    date: effect.date && day(effect.date),
                  })}
                </span>
              </p>
            )}
            {concerned.length > 0 && (
              <fieldset className="mb-3 rounded border p-3 hatch" data-testid="settle">
                <legend className="rounded bg-card px-1 font-semibold">{t('change.settle')}</legend>
                <div className="rounded bg-card p-2">
                  <p>
                    {t('change.marks', {
                      name,
                      marks: join(
                        t,
                        concerned.map((m) => `${day(m.date)} ${t(`change.mark.${m.mark}`)}`),
                      ),
                    })}
                  </p>
                  {add && (
                    <label className="flex min-h-8 flex-wrap items-center gap-2">
                      <input type="radio" name="settle" checked={settle === 'move'} onChange={() => setSettle('move')} />{' '}
                      {t('change.move', { course: title(add) })}
                      <select
                        aria-label={t('change.as')}
                        value={as ?? ''}
                        onChange={(event) => (setAs(marks.find((m) => m === event.target.value)), setSettle('move'))}
                        className="min-h-8 rounded border border-edge bg-card"
                      >
                        <option value="">
                          {t('change.as')} {t('change.asIs')}
                        </option>
                        {marks.map((m) => (
                          <option key={m} value={m}>
                            {t('change.as')} {t(`change.mark.${m}`)}
                          </option>
                        ))}
                      </select>
                    </label>
                  )}
                  <label className="flex min-h-8 items-center gap-2">
                    <input type="radio" name="settle" checked={settle === 'delete'} onChange={() => setSettle('delete')} /> {t('change.take')}
                  </label>
                  {later && (
                    <button type="button" className="min-h-8 inked-link" onClick={() => move(days.indexOf(later))}>
                      {t('change.later', { date: day(later) })}
                    </button>
                  )}
                </div>
              </fieldset>
            )}
            {put && effect && !effect.why && (drop || add) && (
              <>
                <h2 className="font-semibold">{t('change.writes')}</h2>
                <ul className="mb-2">
                  {drop && <li>{t(effect.never.includes(drop) ? 'change.never' : 'change.ends', { course: title(drop), date: day(on) })}</li>}
                  {add && <li>{t('change.begins', { course: title(add), date: day(on) })}</li>}
                </ul>
                <label className="block text-sm">
                  {t('change.reason')}
                  <input
                    value={reason}
                    maxLength={1000}
                    onChange={(event) => setReason(event.target.value)}
                    className="block min-h-9 w-full rounded border border-edge bg-card px-2"
                  />
                </label>
                <Button tone="chief" className="mt-2" disabled={!ready || reason.trim() === '' || change.isPending || enrolled.away} onClick={act}>
                  {change.isPending ? t('working') : t('change.do', { date: day(on) })}
                </Button>
              </>
            )}
            <Refusal text={change.error ? errorWords(t, change.error) : undefined} />
            <p role="status">{made}</p>
          </section>
        </div>
      )}
      <section className="mt-6" aria-label={t('change.all', { name })}>
        <h2 className="font-semibold">{t('change.all', { name })}</h2>
        {enrolled.stays.length === 0 && <p className="text-soft">{t('change.empty', { name })}</p>}
        <ul data-testid="stays">
          {[...enrolled.stays].reverse().map((s) => (
            <Stay
              key={`${s.section} ${s.begin}`}
              book={book}
              s={s}
              away={enrolled.away ?? false}
              onTrace={() => (choose(s.section), move(days.findIndex((d) => d >= s.begin)))}
            />
          ))}
        </ul>
      </section>
    </>
  );
}

/** A section's part of the year, with the attendance taken in it; what lies on or after the line has to be settled. */
function Bar(props: { days: string[]; from: string; to: string; hue: string; label: string; row: number; marks: StayView['marks']; line: string }) {
  const { days } = props;
  const place = (date: string) => {
    const i = days.findIndex((d) => d >= date);
    return (100 * (i < 0 ? days.length - 1 : i)) / Math.max(days.length - 1, 1);
  };
  const from = place(props.from);
  return (
    <>
      <span
        className="absolute h-6 overflow-hidden rounded-sm border border-s-4 border-line bg-wash px-1 text-sm"
        style={{ insetInlineStart: `${from}%`, width: `${Math.max(place(props.to) - from, 1)}%`, top: props.row * 30 + 4, borderInlineStartColor: props.hue }}
      >
        {props.label}
      </span>
      {props.marks.map((m) => (
        <span
          key={m.date}
          aria-hidden="true"
          title={m.date}
          className={`absolute size-1.5 rounded-full border ${m.date >= props.line ? 'border-ochre bg-ochre' : m.mark === 'present' || m.mark === 'late' ? 'border-ink bg-ink' : 'border-ink bg-card'}`}
          style={{ insetInlineStart: `${place(m.date)}%`, top: props.row * 30 + 32 }}
        />
      ))}
    </>
  );
}

function Stay({ book, s, away, onTrace }: { book: Book; s: StayView; away: boolean; onTrace: () => void }) {
  const { t } = useTranslation();
  const count = (...kinds: string[]) => s.marks.filter((m) => kinds.includes(m.mark)).length;
  const attended = count('present', 'late') > 0;
  return (
    <li className="flex flex-wrap items-baseline gap-x-4 border-t border-line py-1">
      <span className="w-10 text-soft">{s.when.periods.join(', ')}</span>
      <b className="w-48 font-semibold">{book.title(s.course)}</b>
      <span className="flex-1 text-soft">
        {s.ended ? t('change.span', { begin: day(s.begin), end: day(s.end) }) : t('change.from', { begin: day(s.begin) })}
      </span>
      {!away && (
        <span className="text-sm text-soft">
          {s.marks.length ? t('change.counts', { there: count('present'), late: count('late'), absent: count('absent', 'excused') }) : t('change.noMark')}
        </span>
      )}
      {!s.ended && !attended && !away && (
        <button type="button" className="min-h-6 text-sm inked-link" aria-label={`${t('change.trace')}: ${book.title(s.course)}`} onClick={onTrace}>
          {t('change.trace')}
        </button>
      )}
    </li>
  );
}
