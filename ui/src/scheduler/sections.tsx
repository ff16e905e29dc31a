import { useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask, useCatalog } from '../api/client';
import { errorWords } from '../shared/errors';
import '../shared/staff';
import { Button, Refusal } from '../kit/controls';
import { whole } from '../kit/format';
import { Mark, subjectTab } from '../kit/marks';
import { Wide } from '../kit/wide';
import { SearchField } from '../kit/searchfield';
import { Unread } from '../shared/unread';
import { type Book, bookOf, join } from '../shared/words';
import { SectionForm } from './sectionform';
import { type Schedule, type Section, type Want, plain, shifted } from './section';
import './words';

type Rows = 'teacher' | 'room' | 'course';
type Undo = { id?: string; want?: Want }; // puts a section back (want with id), makes it anew (want), or takes it away (id)

/** The master schedule: a board of periods by teachers, rooms or courses, and one section to change. What is taken twice is said at once. */
export default function SectionsPage({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(at);
  const place = { school: at.school, year: at.year };
  const key = ['sections', at.school, at.year];
  const schedule = useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/sections', { params: { path: place } })),
    refetchInterval: 15_000, // others change it too
  });
  const [rows, setRows] = useState<Rows>('teacher');
  const [text, setText] = useState('');
  const [chosen, setChosen] = useState<string>(); // an id; '': a new one
  const [opened, setOpened] = useState<Section>(); // as it was when it was chosen: what is written stays, whatever others do meanwhile
  const [shown, setShown] = useState(0); // rises with what is to be shown anew
  const [undo, setUndo] = useState<Undo[]>([]);
  const choose = (id?: string) => {
    setChosen(id);
    setOpened(client.getQueryData<Schedule>(key)?.sections.find((x) => x.id === id));
    setShown((n) => n + 1);
  };
  // What a run gives is looked at again next to the sections.
  const again = () => Promise.all([client.invalidateQueries({ queryKey: key }), client.invalidateQueries({ queryKey: ['placements', at.school, at.year] })]);
  const put = useMutation({
    mutationFn: (x: { id?: string; rev?: number; want: Want; undoes?: boolean }) =>
      x.id && x.rev
        ? ask(
            api.PUT('/api/schools/{school}/years/{year}/sections/{section}', {
              params: { path: { ...place, section: x.id }, query: { rev: x.rev } },
              body: x.want,
            }),
          )
        : ask(api.POST('/api/schools/{school}/years/{year}/sections', { params: { path: place }, body: x.want })),
    onSuccess: async (made, x) => {
      const before = schedule.data?.sections.find((s) => s.id === x.id);
      if (!x.undoes) setUndo((list) => [...list, before ? { id: before.id, want: plain(before) } : { id: made.id }]);
      await again();
      choose(made.id);
    },
    onError: again,
  });
  const remove = useMutation({
    mutationFn: (x: { section: Section; undoes?: boolean }) =>
      ask(
        api.DELETE('/api/schools/{school}/years/{year}/sections/{section}', {
          params: { path: { ...place, section: x.section.id }, query: { rev: x.section.rev } },
        }),
      ),
    onSuccess: (_, x) => {
      if (!x.undoes) setUndo((list) => [...list, { want: plain(x.section) }]);
      choose();
    },
    onSettled: again,
  });
  if (!schedule.data || !catalog.data) return <Unread of={[catalog, schedule]} />;
  const book = bookOf(catalog.data);
  const s = schedule.data;
  const busy = put.isPending || remove.isPending || schedule.isFetching;
  const one = s.sections.find((x) => x.id === chosen);
  const back = () => {
    const last = undo.at(-1);
    if (!last) return;
    setUndo(undo.slice(0, -1));
    const now = s.sections.find((x) => x.id === last.id);
    if (last.want && now) put.mutate({ id: now.id, rev: now.rev, want: last.want, undoes: true });
    else if (last.want) put.mutate({ want: last.want, undoes: true });
    else if (now) remove.mutate({ section: now, undoes: true });
  };
  return (
    <main id="page" className="grid gap-x-6 px-4 pt-3 pb-12 desk:grid-cols-[minmax(0,70fr)_minmax(0,30fr)] desk:px-6">
      <div className="min-w-0">
        <h1 className="mb-1">
          {s.sections.length === 0
            ? t('sections.headNone')
            : `${t('sections.head', { count: s.sections.length, n: whole(s.sections.length), of: t('sections.courses', { count: new Set(s.sections.map((x) => x.course)).size }) })} ${
                s.twice ? t('sections.twice', { count: s.twice }) : t('sections.once')
              }`}
        </h1>
        <div className="no-print flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
          <SearchField label={t('sections.find')} value={text} onChange={setText} className="min-h-8 w-56" />
          <label>
            {t('sections.rows')}{' '}
            <select value={rows} onChange={(event) => setRows(event.target.value as Rows)} className="min-h-8 rounded border border-edge bg-card px-2">
              {(['teacher', 'room', 'course'] as const).map((r) => (
                <option key={r} value={r}>
                  {t(`sections.by.${r}`)}
                </option>
              ))}
            </select>
          </label>
          <Button onClick={() => choose('')}>{t('sections.make')}</Button>
          {undo.length > 0 && (
            <Button disabled={busy} onClick={back}>
              {t('undo')}
            </Button>
          )}
        </div>
        <Refusal text={(put.error ?? remove.error) ? errorWords(t, put.error ?? remove.error) : undefined} />
        <Twice s={s} book={book} onChoose={choose} />
        {(s.bad?.length ?? 0) > 0 && (
          <ul className="mt-2 text-sm">
            {s.bad?.map((p) => (
              <li key={`${p.line} ${p.what}`}>
                {p.file}, {t('place.line', { n: p.line })}: {p.what}
              </li>
            ))}
          </ul>
        )}
        {s.sections.length > 0 && (
          <Board
            s={s}
            book={book}
            rows={rows}
            text={text}
            chosen={chosen}
            onChoose={choose}
            onMove={(x, by) => {
              const want = shifted(x, by, s.periods);
              if (want && !busy) put.mutate({ id: x.id, rev: x.rev, want });
            }}
          />
        )}
        {s.sections.length > 0 && <p className="mt-2 text-sm text-soft">{t('sections.keys')}</p>}
      </div>
      <div className="min-w-0 desk:sticky desk:top-0 desk:self-start desk:border-s desk:border-line desk:ps-5">
        {chosen === '' || opened ? (
          <SectionForm
            key={shown}
            at={at}
            s={s}
            book={book}
            section={opened}
            now={one}
            busy={busy}
            onKeep={(want) => put.mutate({ ...(one && { id: opened?.id, rev: opened?.rev }), want })}
            onShow={() => choose(chosen)}
            onLike={one && (() => put.mutate({ want: plain(one) }))}
            onRemove={one && (() => remove.mutate({ section: one }))}
          />
        ) : (
          <p className="pt-3 text-soft">{t(s.sections.length ? 'sections.choose' : 'sections.empty')}</p>
        )}
      </div>
    </main>
  );
}

/** Who or what is in two places at once. */
function Twice({ s, book, onChoose }: { s: Schedule; book: Book; onChoose: (id: string) => void }) {
  const { t } = useTranslation();
  if (s.doubles.length === 0) return null;
  return (
    <ul className="mt-2 max-h-40 overflow-y-auto" data-testid="twice" tabIndex={0} aria-label={t('sections.twice', { count: s.twice })}>
      {s.doubles.map((d) => (
        <li key={d.sections.join(' ') + d.what} className="flex flex-wrap items-baseline gap-x-2 border-t border-line py-0.5">
          <Mark kind="stopped" />
          <span>{t(`sections.double.${d.what}`, { name: d.name, count: d.periods.length, periods: join(t, d.periods.map(String)) })}</span>
          {d.sections.map((id) => {
            const x = s.sections.find((y) => y.id === id);
            return (
              <button key={id} type="button" className="min-h-7 inked-link" onClick={() => onChoose(id)}>
                {x ? book.title(x.course) : id}
              </button>
            );
          })}
        </li>
      ))}
    </ul>
  );
}

function Board(props: {
  s: Schedule;
  book: Book;
  rows: Rows;
  text: string;
  chosen?: string;
  onChoose: (id: string) => void;
  onMove: (x: Section, by: 1 | -1) => void;
}) {
  const { t } = useTranslation();
  const { s, book, rows } = props;
  const find = props.text.trim().toLowerCase();
  const label = (x: Section) => (rows === 'course' ? book.title(x.course) : x[rows]);
  const shown = s.sections.filter((x) => !find || [book.title(x.course), x.course, x.teacher, x.room, x.title].some((w) => w.toLowerCase().includes(find)));
  const names = [...new Set(shown.map(label))].sort((a, b) => Number(a !== '') - Number(b !== '') || a.localeCompare(b));
  const periods = Array.from({ length: s.periods }, (_, i) => i + 1);
  const loose = shown.some((x) => x.periods.length === 0);
  const doubled = new Set(s.doubles.flatMap((d) => d.sections));
  const chip = (x: Section) => (
    <Chip key={x.id} x={x} rows={rows} book={book} doubled={doubled.has(x.id)} chosen={props.chosen === x.id} onChoose={props.onChoose} onMove={props.onMove} />
  );
  return (
    <Wide id="sections" head={t('sections.board')} note={t('sections.boardNote', { count: shown.length, n: whole(shown.length) })}>
      <table className="w-full min-w-[46rem] table-fixed border-collapse text-sm">
        <thead>
          <tr className="text-soft">
            <th scope="col" className="w-40 text-start font-normal">
              {t(`sections.by.${rows}`)}
            </th>
            {periods.map((p) => (
              <th key={p} scope="col" className="text-start font-normal">
                {p}
              </th>
            ))}
            {loose && (
              <th scope="col" className="text-start font-normal">
                {t('sections.noPeriod')}
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {names.map((name) => {
            const here = shown.filter((x) => label(x) === name);
            return (
              <tr key={name} className="border-t border-line align-top">
                <th scope="row" className="truncate py-1 pe-2 text-start font-normal">
                  {name || <span className="text-ochre">{t(`sections.none.${rows}`)}</span>}
                </th>
                {periods.map((p) => (
                  <td key={p} className="border-s border-line px-0.5 py-0.5">
                    {here.filter((x) => x.periods.includes(p)).map(chip)}
                  </td>
                ))}
                {loose && <td className="border-s border-line px-0.5 py-0.5">{here.filter((x) => x.periods.length === 0).map(chip)}</td>}
              </tr>
            );
          })}
        </tbody>
      </table>
    </Wide>
  );
}

/** A section in a cell: its course (or teacher), when in the year, and its seats; Shift and an arrow moves it by a period. */
function Chip(props: {
  x: Section;
  rows: Rows;
  book: Book;
  doubled: boolean;
  chosen: boolean;
  onChoose: (id: string) => void;
  onMove: (x: Section, by: 1 | -1) => void;
}) {
  const { t } = useTranslation();
  const { x, book, doubled, chosen } = props;
  const all = book.catalog.terms;
  const short = x.terms.length < all.length;
  const head = props.rows === 'course' ? x.teacher || x.room || x.title : book.title(x.course);
  const when = [short && x.terms.map((i) => all[i] ?? '').join(' '), x.days.length > 0 && t('sections.onDays', { days: x.days.join(', ') })].filter(Boolean);
  return (
    <button
      type="button"
      aria-pressed={chosen}
      data-section={x.id}
      title={`${head} · ${x.title}`}
      aria-keyshortcuts="Shift+ArrowLeft Shift+ArrowRight"
      onClick={() => props.onChoose(x.id)}
      onKeyDown={(event) => {
        if (!event.shiftKey || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
        event.preventDefault();
        props.onMove(x, event.key === 'ArrowRight' ? 1 : -1);
      }}
      className={`mb-0.5 block min-h-6 w-full rounded-sm border px-1 text-start leading-tight ${chosen ? 'border-ink bg-wash' : 'border-line bg-card'} ${doubled ? 'hatch' : ''}`}
      style={{ borderInlineStart: `3px solid ${subjectTab(book.course(x.course)?.subjects[0] ?? '').hue}` }}
    >
      <span className={`block truncate ${doubled ? 'bg-card' : ''}`}>{head}</span>
      <span className={`flex justify-between gap-1 text-xs text-soft ${doubled ? 'bg-card' : ''}`}>
        <span className="truncate">
          {x.taken === undefined
            ? when.length
              ? whole(x.seats)
              : t('sections.seats', { count: x.seats })
            : when.length
              ? `${whole(x.taken)}/${whole(x.seats)}`
              : t('sections.taken', { taken: x.taken, seats: x.seats })}
        </span>
        {when.length > 0 && <span className="shrink-0">{when.join(' ')}</span>}
      </span>
      {short && (
        <span aria-hidden="true" className="block h-0.5 bg-line">
          <span
            className="block h-full bg-soft"
            style={{ marginInlineStart: `${(100 * (x.terms[0] ?? 0)) / all.length}%`, width: `${(100 * x.terms.length) / all.length}%` }}
          />
        </span>
      )}
    </button>
  );
}
