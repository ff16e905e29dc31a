import { lazy, useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type Sheet, useSheet } from '../api/client';
import { useDrafting, useDrafts } from '../api/workspace';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { amount, when } from '../kit/format';
import { Late } from '../kit/late';
import { Unread } from '../shared/unread';
import { clauses, join } from '../shared/words';
import { ruleNumbers } from './effectwords';
import type { Desk } from './desk';
import './laterwords';

const Talk = lazy(() => import('../shared/talk'));

/** The drafts next to the sheet, two sheets side by side with only the differences dark, and putting one in place of the sheet. */
export default function DraftsPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const id = useId();
  const drafts = useDrafts(desk.place);
  const drafting = useDrafting(desk.place);
  const [name, setName] = useState('');
  const [from, setFrom] = useState(0);
  const [pair, setPair] = useState<[number, number]>([0, 0]);
  if (!drafts.data) return <Unread of={[drafts]} />;
  const { drafts: list, act, most } = drafts.data;
  const latest = list.at(-1)?.id ?? 0;
  const [left, right] = [pair[0], pair[1] || latest];
  const options = [{ id: 0, name: t('drafts.sheet') }, ...list];
  const choice = (label: string, value: number, onChange: (n: number) => void) => (
    <label className="flex items-center gap-2 text-sm">
      {label}
      <select className="min-h-9 rounded border border-edge bg-card px-2" value={value} onChange={(event) => onChange(Number(event.target.value))}>
        {options.map((d) => (
          <option key={d.id} value={d.id}>
            {d.name}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <main id="page" className="px-4 pt-4 pb-12 desk:px-6">
      <h1>{t('drafts.head')}</h1>
      <p className="mb-3 max-w-3xl text-soft">{t('drafts.note')}</p>
      <ul className="max-w-3xl">
        {list.map((d) => (
          <li key={d.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-line py-1.5">
            <Link href={`/draft/${d.id}`} className="font-semibold inked-link">
              {d.name}
            </Link>
            <span className="text-sm text-soft">
              {t('drafts.changed', { time: when(d.at) })}
              {d.shown && ` · ${t('drafts.shown', { time: when(d.shown) })}`}
            </span>
            {act.allowed && (
              <span className="ms-auto flex gap-2">
                {desk.sheet.acts.edit.allowed && (
                  <Button disabled={desk.busy} onClick={() => desk.change({ act: 'useDraft', draft: d.id })}>
                    {t('drafts.use')}
                  </Button>
                )}
                {(desk.sheet.student.guardians > 0 || d.shown) && (
                  <Button disabled={drafting.isPending} onClick={() => drafting.mutate({ show: d.id, shown: !d.shown })}>
                    {t(d.shown ? 'drafts.hide' : 'drafts.show')}
                    <span className="sr-only"> {d.name}</span>
                  </Button>
                )}
                <Button disabled={drafting.isPending} onClick={() => drafting.mutate({ drop: d.id })}>
                  {t('drafts.drop')}
                  <span className="sr-only"> {d.name}</span>
                </Button>
              </span>
            )}
            {d.shown && (
              <div className="basis-full">
                <Late>
                  <Talk book={desk.book} sheet={desk.sheet} draft={d.id} label={t('drafts.say')} />
                </Late>
              </div>
            )}
          </li>
        ))}
      </ul>
      {act.allowed && list.length < most && (
        <form
          className="mt-3 flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            drafting.mutate({ name, from }, { onSuccess: () => setName('') });
          }}
        >
          <label htmlFor={id} className="text-sm">
            {t('drafts.name')}
            <input
              id={id}
              required
              maxLength={60}
              value={name}
              onChange={(event) => setName(event.target.value)}
              className="block min-h-9 rounded border border-edge bg-card px-2"
            />
          </label>
          {choice(t('drafts.from'), from, setFrom)}
          <Button tone="dark" type="submit" disabled={drafting.isPending}>
            {t('drafts.make')}
          </Button>
        </form>
      )}
      {list.length >= most && <p className="mt-2 text-sm text-soft">{t('drafts.full', { count: most })}</p>}
      <Refusal text={drafting.error ? errorWords(t, drafting.error) : undefined} />
      {list.length > 0 && (
        <section className="mt-6 max-w-5xl">
          <h2 className="font-semibold">
            {t('drafts.beside')} <span className="font-normal text-soft">· {t('drafts.besideNote')}</span>
          </h2>
          <div className="my-2 flex flex-wrap gap-4">
            {choice(t('drafts.left'), left, (n) => setPair([n, right]))}
            {choice(t('drafts.right'), right, (n) => setPair([left, n]))}
          </div>
          <Compared desk={desk} left={left} right={right} />
        </section>
      )}
    </main>
  );
}

/** Two sheets line by line; what is the same is set in grey. */
function Compared({ desk, left, right }: { desk: Desk; left: number; right: number }) {
  const { t } = useTranslation();
  const { book, place } = desk;
  const a = useSheet({ ...place, draft: left || undefined }).data;
  const b = useSheet({ ...place, draft: right || undefined }).data;
  if (!a || !b) return <Loading />;
  const title = (course: string) => book.title(course);
  const lines: { label: string; values: string[] }[] = [];
  const add = (label: string, of: (s: Sheet) => string) => lines.push({ label, values: [of(a), of(b)] });
  const rows = Math.max(a.requests.length, b.requests.length);
  const shared = a.requests.map((e) => e.course).filter((c) => b.requests.some((e) => e.course === c));
  const only = (s: Sheet) => s.requests.filter((e) => !shared.includes(e.course)).map((e) => e.course);
  for (const course of shared) lines.push({ label: t('drafts.request'), values: [title(course), title(course)] });
  const order = (s: Sheet) => s.requests.map((e) => e.course).filter((c) => shared.includes(c));
  if (String(order(a)) !== String(order(b))) add(t('drafts.order'), (s) => order(s).map(title).join(', '));
  for (let i = 0; i < rows - shared.length; i++) add(t('drafts.request'), (s) => title(only(s)[i] ?? '') || '–');
  for (let i = 0; i < Math.max(a.alternates.length, b.alternates.length); i++) {
    add(t('drafts.alternate', { n: i + 1 }), (s) => {
      const e = s.alternates[i];
      return e ? title(e.course) : '–';
    });
  }
  for (const rule of a.rules) {
    add(book.rule(rule.id)?.label ?? rule.id, (s) => {
      const r = s.rules.find((x) => x.id === rule.id);
      return r ? ruleNumbers(t, r) : '–';
    });
  }
  for (const audit of book.catalog.audits)
    add(audit.label, (s) => {
      const state = s.audits.find((x) => x.id === audit.id);
      return t('path.short', { n: amount((state?.entries ?? []).reduce((n, e) => n + e.short, 0)) });
    });
  add(
    t('drafts.uncovered'),
    (s) =>
      s.requests
        .filter((e) => !e.covered)
        .map((e) => title(e.course))
        .join(', ') || '–',
  );
  add(
    t('drafts.todo'),
    (s) =>
      join(
        t,
        clauses(t, book, s).map((c) => c.text),
      ) || '–',
  );
  return (
    <table className="w-full table-fixed text-start">
      <thead>
        <tr className="border-b border-edge">
          <td className="w-24 desk:w-36" />
          {[a, b].map((s, i) => (
            <th key={i} scope="col" className="p-1.5 font-semibold">
              {s.draft?.name ?? t('drafts.sheet')}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map(({ label, values }, i) => {
          const same = values[0] === values[1];
          return (
            <tr key={i} className="border-t border-line align-top">
              <th scope="row" className="p-1.5 ps-0 text-sm font-normal text-soft">
                {label}
              </th>
              {values.map((value, n) => (
                <td key={n} className={`p-1.5 ${same ? 'text-soft' : 'font-semibold'}`}>
                  {value}
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
