import { useState } from 'react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import type { components } from '../api/schema.gen';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { whole } from '../kit/format';
import { type Book, join } from '../shared/words';
import { Count } from './count';
import { type Run, letter } from './run';

type Change = components['schemas']['SectionChange'];

/** A change of the sections in words. */
function useChangeWords(book: Book) {
  const { t } = useTranslation();
  const periods = (list: number[]) => join(t, list.map(String));
  return (c: Change) => {
    const words = { course: book.title(c.course), section: c.section, from: periods(c.from), to: periods(c.to), count: c.to.length };
    return t(`place.change.${c.kind}`, words);
  };
}

/** What the run tries in the sections, and using it. */
export function Tried({ at, run, book }: { at: Year; run: Run; book: Book }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const words = useChangeWords(book);
  const use = useMutation({
    mutationFn: () =>
      ask(api.POST('/api/schools/{school}/years/{year}/placements/{run}/sections', { params: { path: { school: at.school, year: at.year, run: run.id } } })),
    onSettled: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: ['placements', at.school, at.year] }),
        client.invalidateQueries({ queryKey: ['sections', at.school, at.year] }),
      ]),
  });
  if (run.changes.length === 0) return null;
  return (
    <section aria-labelledby="tried" className="mt-3">
      <h2 id="tried" className="font-semibold">
        {t('place.tries', { run: letter(run.id), count: run.changes.length })}
      </h2>
      <ul className="text-sm">
        {run.changes.map((c, i) => (
          <li key={i} className="border-t border-line py-0.5">
            {words(c)}
          </li>
        ))}
      </ul>
      {run.found && (
        <Button className="mt-1" disabled={use.isPending} onClick={() => use.mutate()}>
          {t('place.use')}
        </Button>
      )}
      {use.data && <p role="status">{t('place.used', { count: use.data.changes })}</p>}
      <Refusal text={use.error ? errorWords(t, use.error) : undefined} />
    </section>
  );
}

/** What would help most: single changes of the sections, each placed again, and several moves together; any can be tried as a run. */
export function Helps({ at, run, book, busy, onTry }: { at: Year; run: Run; book: Book; busy: boolean; onTry: (changes: Change[]) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const words = useChangeWords(book);
  const [all, setAll] = useState(false);
  const path = { school: at.school, year: at.year, run: run.id };
  const again = () => void client.invalidateQueries({ queryKey: ['placements', at.school, at.year] });
  const look = useMutation({
    mutationFn: (body: { moves: number; seconds: number }) =>
      ask(api.POST('/api/schools/{school}/years/{year}/placements/{run}/helps', { params: { path }, body })),
    onSettled: again,
  });
  const stop = useMutation({
    mutationFn: () => ask(api.DELETE('/api/schools/{school}/years/{year}/placements/{run}/helps', { params: { path } })),
    onSettled: again,
  });
  const h = run.helps;
  const looking = run.helping === 'waiting' || run.helping === 'running';
  const shown = h && (all ? h.list : h.list.slice(0, 6));
  const error = look.error ?? stop.error;
  return (
    <section aria-labelledby="helps" className="mt-4">
      <h2 id="helps" className="font-semibold">
        {t('place.helps')}{' '}
        {h && <span className="font-normal text-soft">· {t('place.helpsNote', { complete: whole(h.complete), of: whole(h.students) })}</span>}
      </h2>
      {shown && (
        <ol data-testid="helps">
          {shown.map((c, i) => (
            <li key={i} className="flex flex-wrap items-center gap-x-3 border-t border-line py-1">
              <b className="w-20 shrink-0 text-end font-semibold" title={t('place.valueTo', { from: whole(h.value), to: whole(c.value) })}>
                {t('place.more', { count: c.complete - h.complete, n: signed(c.complete - h.complete) })}
              </b>
              <span className="min-w-48 flex-1">
                {words(c)}
                <span className="block text-sm text-soft">{t('place.valueTo', { from: whole(h.value), to: whole(c.value) })}</span>
              </span>
              <Button disabled={busy} onClick={() => onTry([only(c)])}>
                {t('place.try')}
              </Button>
            </li>
          ))}
          {h.list.length > 6 && (
            <li>
              <button type="button" className="min-h-7 text-sm inked-link" aria-expanded={all} onClick={() => setAll(!all)}>
                {all ? t('place.helpsFewer') : t('place.helpsAll', { count: h.list.length })}
              </button>
            </li>
          )}
          {h.list.length === 0 && !h.cut && <li className="text-soft">{t('place.helpsNone')}</li>}
        </ol>
      )}
      {h?.proposal && (
        <div className="mt-2 flex flex-wrap items-center gap-x-3 border-t border-line py-1" data-testid="proposal">
          <b className="w-20 shrink-0 text-end font-semibold">
            {t('place.more', { count: h.proposal.complete - h.complete, n: signed(h.proposal.complete - h.complete) })}
          </b>
          <details className="min-w-48 flex-1">
            <summary className="min-h-7 cursor-pointer">{t('place.proposal', { count: h.proposal.moves.length })}</summary>
            <ul className="text-sm">
              {h.proposal.moves.map((c, i) => (
                <li key={i}>{words(c)}</li>
              ))}
            </ul>
          </details>
          <Button disabled={busy} onClick={() => onTry(h.proposal?.moves ?? [])}>
            {t('place.try')}
          </Button>
        </div>
      )}
      {h?.cut && <p className="text-sm text-soft">{t('place.helpsCut')}</p>}
      {run.helping === 'refused' && <p className="text-ochre">{t('place.helpsBehind')}</p>}
      {run.helping === 'failed' && <p className="text-ochre">{t('place.why.broken')}</p>}
      {looking ? (
        <p className="no-print mt-1 flex items-center gap-3" role="status">
          {t(`place.helping.${run.helping}`)}
          <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
            {t('place.helpStop')}
          </Button>
        </p>
      ) : (
        <form
          className="no-print mt-2 flex flex-wrap items-end gap-3 text-sm"
          onSubmit={(event) => {
            event.preventDefault();
            const data = new FormData(event.currentTarget);
            look.mutate({ moves: Number(data.get('moves')), seconds: Number(data.get('seconds')) });
          }}
        >
          <Count name="moves" label={t('place.helpMoves')} min={0} max={60} value={10} />
          <Count name="seconds" label={t('place.seconds')} min={1} max={600} value={60} />
          <Button type="submit" disabled={look.isPending}>
            {t(h ? 'place.helpAgain' : 'place.helpLook')}
          </Button>
        </form>
      )}
      <Refusal text={error ? errorWords(t, error) : undefined} />
    </section>
  );
}

const signed = (n: number) => (n > 0 ? `+${whole(n)}` : whole(n));

/** A change without its effect. */
const only = ({ kind, section, course, from, to, teacher }: Change): Change => ({ kind, section, course, from, to, teacher });
