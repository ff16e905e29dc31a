import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Year, useCatalog } from '../api/client';
import { type WindowRow, dropWindow, putWindow, useWindows } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';

const rounds = ['summer', 'seats'] as const;

const keyOf = (w: WindowRow) => `${w.round} ${w.grade} ${w.student}`;

/** When sheets are open, for all, by grade and by student; times are the school's. */
export function Windows({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const windows = useWindows(at);
  const catalog = useCatalog(at);
  const [open, setOpen] = useState<string>(); // which is edited; "new": one more
  const done = () => (setOpen(undefined), ['windows', 'caseload', 'sheet', 'office-acts'].forEach((key) => void client.invalidateQueries({ queryKey: [key] })));
  const put = useMutation({ mutationFn: (w: WindowRow) => putWindow(at, w), onSuccess: done });
  const drop = useMutation({ mutationFn: (w: WindowRow) => dropWindow(at, w), onSuccess: done });
  const whom = (w: WindowRow) =>
    [w.student ? w.name || w.student : w.grade >= 0 ? t('windows.grade', { grade: w.grade }) : t('windows.all'), w.round && t(`windows.${w.round}`)]
      .filter(Boolean)
      .join(' · ');
  const error = put.error ?? drop.error ?? windows.error;
  return (
    <section className="mt-8" aria-label={t('windows.head')}>
      <h2 className="font-semibold">{t('windows.head')}</h2>
      <p className="text-sm text-soft">{t('windows.note', { zone: catalog.data?.zone })}</p>
      <Refusal text={error ? errorWords(t, error) : undefined} />
      <ul className="mt-1">
        {windows.data?.map((w) => (
          <li key={keyOf(w)} className="border-t border-line py-1.5">
            <div className="flex flex-wrap items-baseline gap-x-4">
              <b className="w-48 font-semibold">{whom(w)}</b>
              <span className="flex-1">
                {t('windows.times', { opens: w.opens.replace('T', ' '), families: w.families.replace('T', ' '), counselors: w.counselors.replace('T', ' ') })}
              </span>
              <button
                type="button"
                className="min-h-6 text-sm inked-link"
                aria-label={t('windows.editOf', { whom: whom(w) })}
                onClick={() => setOpen(open === keyOf(w) ? undefined : keyOf(w))}
              >
                {t('windows.edit')}
              </button>
              {(w.round || w.grade >= 0 || w.student) && (
                <button type="button" className="min-h-6 text-sm inked-link" aria-label={t('windows.dropOf', { whom: whom(w) })} onClick={() => drop.mutate(w)}>
                  {t('windows.drop')}
                </button>
              )}
            </div>
            {open === keyOf(w) && <Times of={w} busy={put.isPending} onPut={(next) => put.mutate({ ...w, ...next })} />}
          </li>
        ))}
      </ul>
      {open === 'new' ? (
        <Times of={windows.data?.[0]} whom busy={put.isPending} onPut={(next) => put.mutate(next)} />
      ) : (
        <Button className="mt-2" onClick={() => setOpen('new')}>
          {t('windows.add')}
        </Button>
      )}
    </section>
  );
}

/** The times of a window, and for whom a further one is. */
function Times(props: { of: WindowRow | undefined; whom?: boolean; busy: boolean; onPut: (w: WindowRow) => void }) {
  const { t } = useTranslation();
  const field = 'mt-0.5 block min-h-9 rounded border border-edge bg-card px-2';
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const text = (name: string) => String(form.get(name) ?? '').trim();
    const student = text('student');
    props.onPut({
      round: rounds.find((r) => r === (props.whom ? text('round') : props.of?.round)),
      grade: student || text('grade') === '' ? -1 : Number(text('grade')),
      student: student || undefined,
      opens: text('opens'),
      families: text('families'),
      counselors: text('counselors'),
      ...(props.whom ? {} : { grade: props.of?.grade ?? -1, student: props.of?.student }),
    });
  }
  return (
    <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-3">
      {props.whom && (
        <>
          <label className="text-sm">
            {t('windows.ofGrade')}
            <input name="grade" type="number" min={0} max={20} className={`${field} w-24`} />
          </label>
          <label className="text-sm">
            {t('windows.ofStudent')}
            <input name="student" maxLength={100} className={`${field} w-36`} />
          </label>
          <label className="text-sm">
            {t('windows.of')}
            <select name="round" className={field}>
              <option value="">{t('windows.year')}</option>
              {rounds.map((round) => (
                <option key={round} value={round}>
                  {t(`windows.${round}`)}
                </option>
              ))}
            </select>
          </label>
        </>
      )}
      {(['opens', 'families', 'counselors'] as const).map((name) => (
        <label key={name} className="text-sm">
          {t(`windows.${name}`)}
          <input name={name} type="datetime-local" required defaultValue={props.of?.[name]} className={field} />
        </label>
      ))}
      <Button type="submit" tone="dark" disabled={props.busy}>
        {props.busy ? t('working') : t('windows.set')}
      </Button>
    </form>
  );
}
