import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { when, whole } from '../kit/format';
import { Mark } from '../kit/marks';
import { type Book, join } from '../shared/words';
import { type Run, letter } from './run';

/** What has changed since the run was made, to be placed again; and what was done to it after it had ended. */
export function RunChanges({ at, run, book }: { at: Year; run: Run; book: Book }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = { school: at.school, year: at.year, run: run.id };
  const key = ['placements', at.school, at.year, run.id, run.found?.touched];
  const since = useQuery({
    queryKey: [...key, 'since'],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/since', { params: { path } })),
    refetchInterval: 30_000,
  });
  const acts = useQuery({
    queryKey: [...key, 'acts'],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/acts', { params: { path } })),
  });
  const anew = useMutation({
    mutationFn: () => ask(api.POST('/api/schools/{school}/years/{year}/placements/{run}/anew', { params: { path } })),
    onSettled: () => client.invalidateQueries({ queryKey: ['placements', at.school, at.year] }),
  });
  const s = since.data;
  const names = (list: { name: string }[]) =>
    join(
      t,
      list.slice(0, 6).map((p) => p.name),
    ) + (list.length > 6 ? ` ${t('place.moreNames', { count: list.length - 6 })}` : '');
  const parts = s
    ? [
        ...s.gone.map((x) => t('place.since.gone', { section: x.section, course: book.title(x.course), count: x.students })),
        ...s.moved.map((x) => t('place.since.moved', { section: x.section, course: book.title(x.course), count: x.students })),
        ...s.over.map((x) => t('place.since.over', { section: x.section, course: book.title(x.course), count: x.students })),
        ...(s.new.length ? [t('place.since.new', { count: s.new.length, names: names(s.new) })] : []),
        ...(s.changed.length ? [t('place.since.changed', { count: s.changed.length, names: names(s.changed) })] : []),
        ...(s.withdrawn.length ? [t('place.since.withdrawn', { count: s.withdrawn.length, names: names(s.withdrawn) })] : []),
      ]
    : [];
  return (
    <>
      {since.error && <Refusal text={errorWords(t, since.error)} />}
      {parts.length > 0 && (
        <section aria-labelledby="since" className="mt-4">
          <h2 id="since" className="font-semibold">
            {t('place.sinceHead', { run: letter(run.id) })}
          </h2>
          <ul>
            {parts.map((text) => (
              <li key={text} className="flex items-baseline gap-2 border-t border-line py-0.5">
                <Mark kind="stopped" /> {text}
              </li>
            ))}
          </ul>
          <div className="mt-1 flex flex-wrap items-center gap-3">
            <Button tone="dark" disabled={anew.isPending} onClick={() => anew.mutate()}>
              {t('place.anew')}
            </Button>
            <span className="text-sm text-soft">{t('place.anewNote')}</span>
          </div>
        </section>
      )}
      {anew.error && <Refusal text={errorWords(t, anew.error)} />}
      {anew.data && (
        <div role="status" data-testid="touched" className="mt-2">
          <p>{anew.data.length ? t('place.touched', { count: anew.data.length }) : t('place.touchedNone')}</p>
          <ul className="max-h-56 overflow-y-auto text-sm" tabIndex={0} aria-label={t('place.touched', { count: anew.data.length })}>
            {anew.data.map((p) => (
              <li key={p.id} className="border-t border-line py-0.5">
                {p.name} <span className="text-soft">· {t(`place.touchedWhy.${p.why}`)}</span>
                {p.lost.length > 0 && <span className="text-ochre"> · {t('place.lost', { courses: join(t, p.lost.map(book.title)) })}</span>}
                {p.got.length > 0 && <span> · {t('place.got', { courses: join(t, p.got.map(book.title)) })}</span>}
                {p.lost.length + p.got.length === 0 && <span className="text-soft"> · {t('place.elsewhere')}</span>}
              </li>
            ))}
          </ul>
        </div>
      )}
      {(acts.data?.length ?? 0) > 0 && (
        <details className="mt-3">
          <summary className="min-h-7 cursor-pointer font-semibold">{t('place.acts', { count: acts.data?.length, n: whole(acts.data?.length ?? 0) })}</summary>
          <ul className="text-sm" data-testid="acts">
            {acts.data?.map((a, i) => (
              <li key={i} className="border-t border-line py-0.5">
                {a.kind === 'anew'
                  ? t('place.actAnew', { name: a.name, why: t(`place.touchedWhy.${a.reason}`) })
                  : t(`place.act.${a.kind}`, { name: a.name, course: book.title(a.course ?? ''), section: a.section, reason: a.reason })}{' '}
                <span className="text-soft">
                  {a.by}, {when(a.at, book.catalog.zone)}
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}
