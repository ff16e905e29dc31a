import { type KeyboardEvent, useEffect, useId, useMemo, useRef, useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask, useCatalog, useLive, yearPath } from '../api/client';
import { errorWords } from '../shared/errors';
import { Refusal } from '../kit/controls';
import { TextDialog } from '../kit/dialog';
import { amount, whole } from '../kit/format';
import { useSingleKeys } from '../kit/keys';
import { SubjectTab } from '../kit/marks';
import { SearchField } from '../kit/searchfield';
import { Unread } from '../shared/unread';
import { type Book, bookOf, join } from '../shared/words';
import { type Asked, type Demand, noteOf } from './asked';
import { Chosen } from './chosen';
import { Ruler, gradeShade, usableWidth } from './ruler';
import '../shared/staff';
import './words';

const path = '/api/schools/{school}/years/{year}/demand' as const;

const kinds = ['stopped', 'few', 'more', 'fewer', 'plain'] as const;
/** What the sheets ask for, course by course on a ruler of sections, and how many sections are planned. */
export default function DemandPage({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(at);
  const [size, setSize] = useState(0); // 0: as it is planned with
  const [drafts, setDrafts] = useState(false);
  const [text, setText] = useState('');
  const [chosen, setChosen] = useState<string>();
  const [stopping, setStopping] = useState<string>();
  const [before, setBefore] = useState<{ course: string; sections?: number }[]>([]); // what was planned, for undoing
  const search = useRef<HTMLInputElement>(null);
  const place = { school: at.school, year: at.year };
  const key = ['demand', at.school, at.year];
  const demand = useQuery({
    queryKey: [...key, size, drafts],
    queryFn: () => ask(api.GET(path, { params: { path: place, query: { size, drafts } } })),
    placeholderData: (old) => old,
  });
  const again = () => void client.invalidateQueries({ queryKey: key });
  useLive(`${yearPath(at)}/caseload/live`, again);
  const plan = useMutation({
    mutationFn: (body: { course: string; sections?: number }) =>
      ask(
        api.PUT('/api/schools/{school}/years/{year}/demand/courses/{course}', {
          params: { path: { ...place, course: body.course } },
          body: { sections: body.sections },
        }),
      ),
    onSettled: again,
  });
  const runs = useMutation({
    mutationFn: (body: { course: string; runs: boolean; reason?: string }) =>
      ask(
        api.PUT('/api/schools/{school}/years/{year}/demand/courses/{course}/runs', {
          params: { path: { ...place, course: body.course } },
          body: { runs: body.runs, reason: body.reason },
        }),
      ),
    onSuccess: () => setStopping(undefined),
    onSettled: again,
  });
  const year = useMutation({
    mutationFn: (body: { size: number; periods?: number; clashes: boolean }) => ask(api.PUT(path, { params: { path: place }, body })),
    onSuccess: () => setSize(0),
    onSettled: again,
  });
  const book = catalog.data && bookOf(catalog.data);
  const groups = useMemo(() => (demand.data && book ? grouped(demand.data, book, text) : []), [demand.data, book, text]);
  const rows = useMemo(() => groups.flatMap((g) => g.rows), [groups]);
  const now = rows.find((r) => r.course === chosen) ?? rows[0];

  function set(c: Asked, sections: number | undefined) {
    setBefore((list) => [...list.slice(-30), { course: c.course, sections: c.plan }]);
    plan.mutate({ course: c.course, sections });
  }
  function undo() {
    const last = before.at(-1);
    if (!last) return;
    setBefore(before.slice(0, -1));
    plan.mutate(last);
    setChosen(last.course);
  }
  useSingleKeys({ '/': () => search.current?.focus() });
  useEffect(() => {
    function keys(event: globalThis.KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
        event.preventDefault();
        undo();
      }
    }
    window.addEventListener('keydown', keys);
    return () => window.removeEventListener('keydown', keys);
  });
  function rowKeys(event: KeyboardEvent, c: Asked) {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step) {
      event.preventDefault();
      const next = rows[rows.indexOf(c) + step];
      if (!next) return;
      setChosen(next.course);
      document.querySelector<HTMLElement>(`[data-course="${CSS.escape(next.course)}"]`)?.focus();
    } else if (!c.stopped && (event.key === '+' || event.key === '-')) {
      event.preventDefault();
      set(c, Math.max(0, c.planned + (event.key === '+' ? 1 : -1)));
    }
  }
  if (!demand.data || !book) return <Unread of={[catalog, demand]} />;
  const d = demand.data;
  const most = Math.max(d.size, ...d.courses.map((c) => Math.max(c.requests + (c.alternates ?? 0), c.planned * d.size)));
  const scale = usableWidth / most;
  const refused = plan.error ?? runs.error ?? year.error;
  return (
    <main id="page" className="grid gap-x-5 px-4 pb-12 desk:grid-cols-[minmax(0,64fr)_minmax(0,36fr)] desk:px-6">
      <div className="min-w-0 pt-3">
        <h1 className="mb-2">{headline(t, d, book)}</h1>
        <div className="no-print flex flex-wrap items-center gap-x-4 gap-y-2 text-soft">
          <SearchField ref={search} label={t('demand.find')} value={text} onChange={setText} className="min-h-8 w-56" />
          <span>{t('demand.count', { count: rows.length })}</span>
          <NumberField
            label={t('demand.size')}
            min={1}
            max={1000}
            value={d.size}
            onSet={(n) => year.mutate({ size: n ?? d.size, periods: d.periods, clashes: d.clashes })}
          />
          <label className="flex min-h-8 items-center gap-2">
            <input type="checkbox" className="size-4 accent-ink" checked={drafts} onChange={(event) => setDrafts(event.target.checked)} />
            {t('demand.drafts')}
          </label>
        </div>
        <p className="mt-1 flex flex-wrap items-center gap-x-3 text-sm text-soft">
          <span data-testid="submitted">{t('demand.submitted', { done: whole(d.submitted), all: whole(d.students) })}</span>
          <span data-testid="periods">
            {d.periods === undefined
              ? t('demand.planned', { n: amount(d.planned) })
              : t('demand.plannedOf', { n: amount(d.planned), all: whole(d.periods), left: amount(d.periods - d.planned) })}
          </span>
          <NumberField
            label={t('demand.periods')}
            min={0}
            max={100_000}
            optional
            value={d.periods}
            onSet={(n) => year.mutate({ size: d.size, periods: n, clashes: d.clashes })}
          />
          <label className="flex min-h-7 items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-ink"
              checked={d.clashes}
              onChange={(event) => year.mutate({ size: d.size, periods: d.periods, clashes: event.target.checked })}
            />
            {t('demand.tellClashes')}
          </label>
          {(['csv', 'xlsx', 'json'] as const).map((form) => (
            <a key={form} className="inked-link" download href={`${yearPath(at)}/demand/file/${form}?drafts=${String(drafts)}`}>
              {form.toUpperCase()}
            </a>
          ))}
          {before.length > 0 && (
            <button type="button" className="min-h-7 inked-link" onClick={undo}>
              {t('undo')}
            </button>
          )}
        </p>
        <Refusal text={refused ? errorWords(t, refused) : undefined} />
        <Key d={d} />
        {rows.length === 0 && <p className="py-4 text-soft">{t(d.courses.length === 0 ? 'demand.empty' : 'demand.none')}</p>}
        {groups.map((g) => (
          <section key={g.kind} aria-label={t(`demand.group.${g.kind}`)}>
            <h2 className="mt-3 border-b border-line pb-1">
              <b className="font-semibold">{t(`demand.group.${g.kind}`)}</b> <span className="text-soft">{g.rows.length}</span>
            </h2>
            <ul>
              {g.rows.map((c) => (
                <Row
                  key={c.course}
                  c={c}
                  d={d}
                  book={book}
                  scale={scale}
                  on={c === now}
                  onChoose={() => setChosen(c.course)}
                  onKey={(event) => rowKeys(event, c)}
                  onPlan={(n) => set(c, n)}
                />
              ))}
            </ul>
          </section>
        ))}
      </div>
      {now && (
        <Chosen
          key={now.course}
          at={at}
          d={d}
          c={now}
          book={book}
          busy={runs.isPending}
          onStop={() => setStopping(now.course)}
          onRun={() => runs.mutate({ course: now.course, runs: true })}
          onPlain={now.plan === undefined ? undefined : () => set(now, undefined)}
          told={runs.data && runs.variables.course === now.course ? runs.data.told : undefined}
        />
      )}
      {stopping && (
        <TextDialog
          open
          title={t('demand.stopTitle', { course: book.title(stopping) })}
          label={t('demand.stopWhy')}
          action={t('demand.stop')}
          busy={runs.isPending}
          error={runs.error ? errorWords(t, runs.error) : undefined}
          onClose={() => setStopping(undefined)}
          onDone={(reason) => runs.mutate({ course: stopping, runs: false, reason })}
        />
      )}
    </main>
  );
}

/** What the shades mean. */
function Key({ d }: { d: Demand }) {
  const { t } = useTranslation();
  const grades = [...new Set(d.courses.flatMap((c) => c.grades.map((g) => g.grade)))].sort((a, b) => a - b);
  return (
    <p className="mt-2 flex flex-wrap gap-x-4 text-sm text-soft">
      {grades.map((g, i) => (
        <span key={g} className="flex items-center gap-1.5">
          <i aria-hidden="true" className="inline-block h-2.5 w-4" style={{ background: gradeShade(i, grades.length) }} />
          {t('demand.grade', { grade: g })}
        </span>
      ))}
      <span className="flex items-center gap-1.5">
        <i aria-hidden="true" className="hatch inline-block h-2.5 w-4 border" />
        {t('demand.keyUncovered')}
      </span>
      <span className="flex items-center gap-1.5">
        <i aria-hidden="true" className="inline-block h-2.5 w-4 border border-line bg-wash" />
        {t('demand.keyAlternates')}
      </span>
      <span className="flex items-center gap-1.5">
        <i aria-hidden="true" className="inline-block h-2.5 w-4 border-2 border-ink" />
        {t('demand.keyPlanned')}
      </span>
    </p>
  );
}

function Row(props: {
  c: Asked;
  d: Demand;
  book: Book;
  scale: number;
  on: boolean;
  onChoose: () => void;
  onKey: (event: KeyboardEvent) => void;
  onPlan: (n: number) => void;
}) {
  const { t } = useTranslation();
  const { c, d, book, on } = props;
  const n = c.planned;
  const title = book.title(c.course);
  return (
    <li className={`flex flex-wrap items-center gap-x-2 border-b border-line ${on ? 'bg-wash' : ''}`}>
      <button
        type="button"
        data-course={c.course}
        aria-current={on ? 'true' : undefined}
        onClick={props.onChoose}
        onKeyDown={props.onKey}
        className="flex min-h-8 min-w-0 flex-1 items-center gap-2 text-start"
      >
        <SubjectTab subject={book.course(c.course)?.subjects[0] ?? ''} />
        <span className={`w-44 shrink-0 truncate ${on ? 'font-semibold' : ''}`}>{title}</span>
        <span className="w-10 shrink-0 text-end">{whole(c.requests)}</span>
        <Ruler c={c} d={d} scale={props.scale} planned={n} />
        <span className="sr-only">{noteOf(t, c)}</span>
      </button>
      <span className="flex w-28 shrink-0 items-center gap-1.5">
        {c.stopped ? (
          <span className="text-sm text-ochre">{t('demand.stopped')}</span>
        ) : (
          <>
            <button
              type="button"
              aria-label={t('demand.less', { course: title })}
              disabled={n === 0}
              onClick={() => props.onPlan(n - 1)}
              className="size-6 rounded border border-edge bg-card disabled:opacity-50"
            >
              −
            </button>
            <b data-testid={`plan-${c.course}`} className={c.plan === undefined ? 'w-6 text-center font-normal text-soft' : 'w-6 text-center font-semibold'}>
              {n}
            </b>
            <button
              type="button"
              aria-label={t('demand.more', { course: title })}
              onClick={() => props.onPlan(n + 1)}
              className="size-6 rounded border border-edge bg-card"
            >
              +
            </button>
            {c.plan !== undefined && c.plan !== c.needed && <span className="text-sm text-soft">{t('demand.of', { n: c.needed })}</span>}
          </>
        )}
      </span>
    </li>
  );
}

function grouped(d: Demand, book: Book, text: string) {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const order = (c: Asked) => `${book.course(c.course)?.subjects[0] ?? ''} ${book.title(c.course)}`;
  const list = d.courses
    .filter((c) => {
      const all = `${c.course} ${book.title(c.course)} ${book.course(c.course)?.subjects.join(' ') ?? ''}`.toLowerCase();
      return words.every((w) => all.includes(w));
    })
    .sort((a, b) => order(a).localeCompare(order(b)));
  return kinds.map((kind) => ({ kind, rows: list.filter((c) => c.fit === kind) })).filter((g) => g.rows.length > 0);
}

/** The one sentence: what is to be decided. */
function headline(t: ReturnType<typeof useTranslation>['t'], d: Demand, book: Book) {
  const of = (kind: Asked['fit']) => d.courses.filter((c) => c.fit === kind);
  const said = [];
  const lack = of('more');
  const first = lack[0];
  if (of('few').length) said.push(t('demand.head.few', { count: of('few').length, n: d.few }));
  if (lack.length === 1 && first) said.push(t('demand.head.one', { course: book.title(first.course) }));
  else if (lack.length) said.push(t('demand.head.more', { count: lack.length }));
  if (of('fewer').length) said.push(t('demand.head.fewer', { count: of('fewer').length }));
  if (d.courses.length === 0) return t('demand.head.empty');
  return said.length ? t('demand.head.all', { what: join(t, said) }) : t('demand.head.plain');
}

/** A number that is set on leaving the field, or by Enter; the browser says what is wrong with one that will not do. */
function NumberField(props: { label: string; min: number; max: number; optional?: boolean; value?: number; onSet: (n: number | undefined) => void }) {
  const { label, min, max, optional, value, onSet } = props;
  const { t } = useTranslation();
  const [wrong, setWrong] = useState(false);
  const said = useId();
  return (
    <span className="flex flex-wrap items-center gap-2">
      <label className="flex items-center gap-2">
        {label}
        <input
          type="number"
          min={min}
          max={max}
          required={!optional}
          defaultValue={value}
          key={value}
          aria-invalid={wrong || undefined}
          aria-describedby={wrong ? said : undefined}
          onBlur={({ target }) => {
            setWrong(!target.validity.valid);
            const n = target.value === '' ? undefined : Number(target.value);
            if (target.validity.valid && n !== value) onSet(n);
          }}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          className="min-h-8 w-20 rounded border border-edge bg-card px-2 text-ink aria-invalid:border-madder"
        />
      </label>
      {wrong && (
        <span id={said} role="alert" className="text-madder">
          {t('demand.wholeNumber', { min, max })}
        </span>
      )}
    </span>
  );
}
