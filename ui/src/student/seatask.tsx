import { useMutation, useQueryClient } from '@tanstack/react-query';
import { lazy, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { api, ask as request } from '../api/client';
import type { Seats, SeatTable } from '../api/seats';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { Late } from '../kit/late';
import type { Desk } from './desk';
import { sectionsOf } from './seatwords';

const Remarks = lazy(() => import('../shared/remarks').then((m) => ({ default: m.Remarks })));

const askPath = '/api/schools/{school}/years/{year}/students/{student}/remarks' as const;

/** Where seats are not the family's to change any more, they ask for a change, with a reason and what they would take instead; it is kept with the sheet, and the counselor's list has it. */
export function AskForChange({ desk, seats, table, who }: { desk: Desk; seats: Seats; table: SeatTable; who: string }) {
  const { t } = useTranslation();
  const { book, place, sheet } = desk;
  const client = useQueryClient();
  const [form, setForm] = useState({ course: '', first: '', second: '', why: '' });
  const sections = sectionsOf(table);
  const own = [...new Set(seats.own.map((o) => sections.get(o.section)?.course ?? ''))].filter(Boolean);
  const other = [...new Set(table.sections.map((x) => x.course))].filter(
    (c) => !own.includes(c) && !seats.entries.some((e) => e.course === c && (e.barred || e.repeat)),
  );
  other.sort((a, b) => book.title(a).localeCompare(book.title(b)));
  const ask = useMutation({
    mutationFn: () => {
      const instead = [form.first, form.second].filter(Boolean).map(book.title).join(t('listComma'));
      const text = instead ? t('seats.ask.text', { reason: form.why, instead }) : form.why;
      return request(api.POST(askPath, { params: { path: place }, body: { kind: 'question', course: form.course, text } }));
    },
    onSuccess: () => {
      setForm({ course: '', first: '', second: '', why: '' });
      ['sheet', 'remarks'].forEach((key) => void client.invalidateQueries({ queryKey: [key] }));
    },
  });
  const field = 'block min-h-9 w-full rounded border border-edge bg-card px-2 max-desk:min-h-11';
  const choice = (name: 'course' | 'first' | 'second', label: string, list: string[], empty: string) => (
    <label className="min-w-40 flex-1 text-sm">
      {label}
      <select required={name === 'course'} value={form[name]} onChange={(event) => setForm({ ...form, [name]: event.target.value })} className={field}>
        <option value="">{empty}</option>
        {list.map((c) => (
          <option key={c} value={c}>
            {book.title(c)}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <section aria-label={t('seats.ask.head')} className="no-print mt-4 border-t border-line pt-2 desk:ms-11">
      <h2 className="font-semibold">{t('seats.ask.head')}</h2>
      <p className="text-sm text-soft">{t('seats.ask.note', { who })}</p>
      <Late fallback={null}>
        <Remarks book={book} sheet={sheet} kinds={[]} />
      </Late>
      <form
        className="mt-1 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          ask.mutate();
        }}
      >
        {choice('course', t('seats.ask.which'), own, '–')}
        {choice('first', t('seats.ask.instead'), other, t('seats.ask.none'))}
        {form.first && choice('second', t('seats.ask.second'), other, t('seats.ask.none'))}
        <label className="min-w-64 flex-2 text-sm">
          {t('seats.ask.why')}
          <input required maxLength={600} value={form.why} onChange={(event) => setForm({ ...form, why: event.target.value })} className={field} />
        </label>
        <Button type="submit" disabled={ask.isPending}>
          {ask.isPending ? t('working') : t('seats.ask.go')}
        </Button>
      </form>
      <Refusal text={ask.error ? errorWords(t, ask.error) : undefined} />
    </section>
  );
}
