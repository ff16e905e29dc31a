import { type ReactNode, useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import type { components } from '../api/schema.gen';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { when } from '../kit/format';
import { type Book, join } from '../shared/words';
import { useSingleKeys } from '../kit/keys';
import { type Run, letter } from './run';

type Hold = components['schemas']['HoldView'];
type Sections = components['schemas']['ChoiceView']['sections'];

const holdsKey = (at: Year) => ['placement-holds', at.school, at.year];

const useHolds = (at: Year) =>
  useQuery({
    queryKey: holdsKey(at),
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placement-holds', { params: { path: { school: at.school, year: at.year } } })),
  });

/** Holds a student's week, or those in a section, as a run has them, or no longer. */
export function useHolding(at: Year) {
  const client = useQueryClient();
  const path = { school: at.school, year: at.year };
  const again = () => void client.invalidateQueries({ queryKey: holdsKey(at) });
  const hold = useMutation({
    mutationFn: (x: { run: number; kind: 'student' | 'section'; key: string }) =>
      ask(
        api.POST('/api/schools/{school}/years/{year}/placements/{run}/holds', {
          params: { path: { ...path, run: x.run } },
          body: { kind: x.kind, key: x.key },
        }),
      ),
    onSettled: again,
  });
  const release = useMutation({
    mutationFn: (x: { kind: Hold['kind']; key: string }) =>
      ask(api.DELETE('/api/schools/{school}/years/{year}/placement-holds', { params: { path, query: x } })),
    onSettled: again,
  });
  return { holds: useHolds(at), hold, release };
}

/** What every later run keeps as it is, each to be let go. */
export function Holds({ at, book }: { at: Year; book: Book }) {
  const { t } = useTranslation();
  const { holds, release } = useHolding(at);
  const list = holds.data ?? [];
  if (list.length === 0) return null;
  const text = (h: Hold) => {
    const course = book.title(h.course ?? '');
    return t(`place.hold.${h.kind}`, { name: h.name ?? h.key, course, section: h.key, count: h.seats });
  };
  return (
    <details className="no-print mt-3">
      <summary className="min-h-7 cursor-pointer font-semibold">{t('place.holds', { count: list.length })}</summary>
      <ul className="text-sm" data-testid="holds">
        {list.map((h) => (
          <li key={`${h.kind} ${h.key}`} className="flex flex-wrap items-center gap-x-3 border-t border-line py-0.5">
            <span className="flex-1">
              {text(h)} {h.reason && `“${h.reason}” `}
              <span className="text-soft">
                {h.by}, {when(h.at, book.catalog.zone)}
              </span>
            </span>
            <Button disabled={release.isPending} onClick={() => release.mutate({ kind: h.kind, key: h.key })}>
              {t('place.release')}
            </Button>
          </li>
        ))}
      </ul>
      {release.error && <Refusal text={errorWords(t, release.error)} />}
    </details>
  );
}

/** Holding one student's week, and giving or taking a place by hand. */
export function ByHand({ at, run, book, student, name }: { at: Year; run: Run; book: Book; student: string; name: string }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const { holds, hold, release } = useHolding(at);
  const held = holds.data?.some((h) => h.kind === 'student' && h.key === student);
  const turn = () => (held ? release.mutate({ kind: 'student', key: student }) : hold.mutate({ run: run.id, kind: 'student', key: student }));
  useSingleKeys({ h: turn, g: () => setOpen(true) });
  const error = hold.error ?? release.error;
  return (
    <div className="no-print mt-3 flex flex-wrap items-center gap-2">
      <Button aria-pressed={held ?? false} disabled={hold.isPending || release.isPending} onClick={turn}>
        {t(held ? 'place.held' : 'place.holdIt')}
      </Button>
      <Button onClick={() => setOpen(true)}>{t('place.byHand')}</Button>
      <Refusal text={error ? errorWords(t, error) : undefined} />
      {open && <Giving at={at} run={run} book={book} student={student} name={name} onClose={() => setOpen(false)} />}
    </div>
  );
}

function Giving({ at, run, book, student, name, onClose }: { at: Year; run: Run; book: Book; student: string; name: string; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = { school: at.school, year: at.year, run: run.id, student };
  const [course, setCourse] = useState<string>();
  const [section, setSection] = useState<string>(); // '': taken away
  const [reason, setReason] = useState('');
  const choices = useQuery({
    queryKey: ['placements', at.school, at.year, run.id, 'choices', student, run.found?.touched],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/students/{student}/choices', { params: { path } })),
    retry: false,
  });
  // What is not given comes first.
  const wishes = [...(choices.data ?? [])].sort((a, b) => Number(!!a.section) - Number(!!b.section));
  const wish = wishes.find((c) => c.course === course) ?? wishes[0];
  const hand = useMutation({
    mutationFn: () =>
      ask(
        api.PUT('/api/schools/{school}/years/{year}/placements/{run}/students/{student}', {
          params: { path },
          body: { course: wish?.course ?? '', section: section ?? '', reason },
        }),
      ),
    onSuccess: onClose,
    onSettled: () =>
      Promise.all([client.invalidateQueries({ queryKey: ['placements', at.school, at.year] }), client.invalidateQueries({ queryKey: holdsKey(at) })]),
  });
  const hard = (x: Sections[number]) => (x.clash ? 2 : 0) + (x.taken >= x.seats ? 1 : 0);
  const choice = (id: string, text: ReactNode, off = false) => (
    <label key={id} className="flex min-h-7 items-baseline gap-2 text-sm">
      <input type="radio" name="what" className="accent-ink" disabled={off} checked={section === id} onChange={() => setSection(id)} />
      <span>{text}</span>
    </label>
  );
  return (
    <Dialog open onClose={onClose} keep={reason.trim() !== ''} title={t('place.byHandHead', { name })}>
      {choices.error && <Refusal text={errorWords(t, choices.error)} />}
      {choices.isPending && <Loading />}
      {choices.data && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            hand.mutate();
          }}
        >
          <label className="block text-sm">
            {t('place.which')}
            <select
              value={wish?.course ?? ''}
              onChange={(event) => {
                setCourse(event.target.value);
                setSection(undefined);
              }}
              className="block min-h-9 w-full rounded border border-edge bg-card px-2"
            >
              {wishes.map((c) => (
                <option key={c.course} value={c.course}>
                  {book.title(c.course)} · {t(c.alternate ? 'place.alternateNo' : 'result.wish', { n: c.rank })} ·{' '}
                  {t(c.section ? 'place.isGiven' : 'place.isNot')}
                </option>
              ))}
            </select>
          </label>
          {wish && (
            <fieldset className="mt-2 max-h-[38vh] overflow-y-auto">
              <legend className="text-sm">{t('place.whichSection')}</legend>
              {wish.sections.length === 0 && <p className="text-sm text-soft">{t('result.why.none')}</p>}
              {wish.section && choice('', t('place.takeAway'))}
              {[...wish.sections]
                .sort((a, b) => hard(a) - hard(b))
                .map((x) =>
                  choice(
                    x.section,
                    <>
                      {x.title}{' '}
                      <span className="text-soft">
                        {[
                          x.terms.join(' '),
                          x.periods.length ? t('place.inPeriod', { count: x.periods.length, periods: join(t, x.periods.map(String)) }) : '',
                          x.teacher,
                        ]
                          .filter(Boolean)
                          .join(' · ')}
                      </span>
                      {' · '}
                      <span className={x.taken >= x.seats && x.section !== wish.section ? 'text-ochre' : 'text-soft'}>
                        {x.section === wish.section ? t('place.isHere') : t('place.seatsOf', { taken: x.taken, seats: x.seats })}
                      </span>
                      {x.clash && <span className="text-ochre"> · {t('place.clashes', { course: book.title(x.clash) })}</span>}
                    </>,
                    x.section === wish.section,
                  ),
                )}
            </fieldset>
          )}
          <label className="mt-2 block text-sm">
            {t('place.reasonField')}
            <input
              required
              maxLength={1000}
              value={reason}
              onChange={(event) => setReason(event.target.value)}
              className="block min-h-9 w-full rounded border border-edge bg-paper px-2"
            />
          </label>
          <p className="mt-1 text-sm text-soft">{t('place.byHandNote', { run: letter(run.id) })}</p>
          <Refusal text={hand.error ? errorWords(t, hand.error) : undefined} />
          <div className="mt-2 flex gap-2">
            <Button type="submit" tone="dark" disabled={hand.isPending || section === undefined}>
              {t(section === '' ? 'place.take' : 'place.give')}
            </Button>
            <Button onClick={onClose}>{t('cancel')}</Button>
          </div>
        </form>
      )}
    </Dialog>
  );
}
