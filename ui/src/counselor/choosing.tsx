import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { type Person, useCatalog } from '../api/client';
import { type Choosing, seatActs, setSeatRules, useChoosing, useSeatTable, waitsForLook } from '../api/seats';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { fold } from '../kit/fold';
import { whole } from '../kit/format';
import { Header } from '../kit/header';
import { Mark } from '../kit/marks';
import { staffPages } from '../kit/pages';
import { Unread } from '../shared/unread';
import '../shared/staff';

const stages = ['look', 'looked', 'open', 'not', 'done'] as const;
type Stage = (typeof stages)[number];

/** Where a student is, as the school looks at it. */
function stageOf(x: Choosing): Stage {
  if (x.next === 'take') return x.begun ? 'open' : 'not';
  return ({ look: 'look', submit: 'looked', nothing: 'done' } as const)[x.next];
}

/** Who chooses seats, and who of them waits for the counselor's look; those first. */
export default function ChoosingPage({ person }: { person: Person }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const at = { school: person.school, year: person.year };
  const catalog = useCatalog(at);
  const list = useChoosing(at);
  const [stage, setStage] = useState<Stage>();
  const [text, setText] = useState('');
  const look = useMutation({
    mutationFn: (student: string) => seatActs.look({ ...at, student }),
    onSettled: () => client.invalidateQueries({ queryKey: ['choosing'] }),
  });
  if (!catalog.data || !list.data) return <Unread of={[catalog, list]} />;
  const all = list.data;
  const count = (of: Stage) => all.filter((x) => stageOf(x) === of).length;
  const waiting = all.filter(waitsForLook).length;
  const rows = all.filter((x) => (!stage || stageOf(x) === stage) && fold(x.name).includes(fold(text.trim())));
  rows.sort((a, b) => stages.indexOf(stageOf(a)) - stages.indexOf(stageOf(b)) || a.open - b.open);
  const label = (x: Stage) => t(`choosing.${({ look: 'look', looked: 'looked', open: 'openStage', not: 'not', done: 'doneStage' } as const)[x]}`);
  return (
    <>
      <Header pages={staffPages(t, person)} where={t('header.schoolYear', { school: catalog.data.name, year: catalog.data.label })} />
      <main id="page" className="mx-auto max-w-5xl px-4 pt-3 pb-16 desk:px-6">
        <h1 className="mb-1">{waiting ? t('choosing.head', { n: whole(waiting) }) : t('choosing.none')}</h1>
        <p className="text-soft">
          {all.length
            ? t('choosing.note', { n: whole(all.length), not: whole(count('not')), open: whole(count('open')), done: whole(count('done')) })
            : t('choosing.nobody')}
        </p>
        <Refusal text={look.error ? errorWords(t, look.error) : undefined} />
        <div className="mt-3 flex flex-wrap items-end gap-2">
          <label className="text-sm">
            {t('choosing.find')}
            <input
              type="search"
              value={text}
              maxLength={100}
              onChange={(event) => setText(event.target.value)}
              className="block min-h-9 w-56 rounded border border-edge bg-card px-2"
            />
          </label>
          <label className="text-sm">
            {t('choosing.stage')}
            <select
              value={stage ?? ''}
              onChange={(event) => setStage(stages.find((x) => x === event.target.value))}
              className="block min-h-9 rounded border border-edge bg-card px-2"
            >
              <option value="">{t('choosing.all')}</option>
              {stages.map((x) => (
                <option key={x} value={x}>
                  {label(x)} · {whole(count(x))}
                </option>
              ))}
            </select>
          </label>
        </div>
        <ul className="mt-2" data-testid="choosing">
          {rows.map((x) => {
            const s = stageOf(x);
            return (
              <li key={x.id} className="flex flex-wrap items-baseline gap-x-4 border-t border-line py-1.5">
                <Link href={`/student/${encodeURIComponent(x.id)}/sheet/seats`} className="w-56 font-semibold inked-link">
                  {x.name}
                </Link>
                <span className="w-20 text-soft">{t('choosing.grade', { grade: x.grade })}</span>
                <span className={`flex-1 ${s === 'look' ? '' : 'text-soft'}`}>
                  <Mark kind={s === 'done' || s === 'looked' ? 'settled' : s === 'look' ? 'half' : 'missing'} />{' '}
                  {s === 'open'
                    ? x.open > 0
                      ? t('choosing.open', { n: whole(x.open) })
                      : t('choosing.rule')
                    : s === 'done'
                      ? t('choosing.done', { receipt: x.receipt })
                      : label(s)}
                </span>
                {s === 'look' && x.look.allowed && (
                  <Button disabled={look.isPending} aria-label={t('choosing.agreeOf', { name: x.name })} onClick={() => look.mutate(x.id)}>
                    {t('choosing.agree')}
                  </Button>
                )}
              </li>
            );
          })}
        </ul>
        {person.job === 'office' && <Rules person={person} />}
      </main>
    </>
  );
}

/** How seats go to those who wait. */
function Rules({ person }: { person: Person }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const at = { school: person.school, year: person.year };
  const table = useSeatTable(at, 'rules');
  const put = useMutation({
    mutationFn: (x: { waiting: 'order' | 'lottery'; minutes: number }) => setSeatRules(at, x),
    onSuccess: () => client.invalidateQueries({ queryKey: ['seat-table', at.school] }),
  });
  if (!table.data) return null;
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    put.mutate({ waiting: form.get('waiting') === 'lottery' ? 'lottery' : 'order', minutes: Number(form.get('minutes')) });
  }
  return (
    <form key={`${table.data.waiting} ${table.data.minutes}`} onSubmit={submit} className="mt-8 flex flex-wrap items-end gap-3 border-t border-line pt-3">
      <label className="text-sm">
        {t('choosing.waiting')}
        <select name="waiting" defaultValue={table.data.waiting} className="block min-h-9 rounded border border-edge bg-card px-2">
          <option value="order">{t('choosing.order')}</option>
          <option value="lottery">{t('choosing.lottery')}</option>
        </select>
      </label>
      <label className="text-sm">
        {t('choosing.minutes')}
        <input
          name="minutes"
          type="number"
          required
          min={1}
          max={10080}
          defaultValue={table.data.minutes}
          className="block min-h-9 w-28 rounded border border-edge bg-card px-2"
        />
      </label>
      <Button type="submit" disabled={put.isPending}>
        {put.isPending ? t('working') : t('choosing.set')}
      </Button>
      <Refusal text={put.error ? errorWords(t, put.error) : undefined} />
    </form>
  );
}
