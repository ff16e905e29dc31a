import { useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Dialog, TextDialog } from '../kit/dialog';
import { when, whole } from '../kit/format';
import type { Book } from '../shared/words';
import { ReadinessNote, useReadiness } from './readiness';
import { type Run, letter } from './run';

/** Showing families what a run gives them, by grade or all, and taking that back. */
export function Publishing({ at, run, book }: { at: Year; run: Run; book: Book }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = { school: at.school, year: at.year };
  const key = ['publications', at.school, at.year];
  const [grade, setGrade] = useState(-1);
  const [sure, setSure] = useState(false);
  const [back, setBack] = useState<number>();
  const list = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/publications', { params: { path } })) });
  const readiness = useReadiness(at, run.id, grade);
  const again = () => void client.invalidateQueries({ queryKey: key });
  const publish = useMutation({
    mutationFn: () => ask(api.POST('/api/schools/{school}/years/{year}/publications', { params: { path }, body: { run: run.id, grade } })),
    onSuccess: () => setSure(false),
    onSettled: again,
  });
  const take = useMutation({
    mutationFn: (body: { id: number; reason: string }) =>
      ask(
        api.POST('/api/schools/{school}/years/{year}/publications/{publication}/return', {
          params: { path: { ...path, publication: body.id } },
          body: { reason: body.reason },
        }),
      ),
    onSuccess: () => setBack(undefined),
    onSettled: again,
  });
  const grades = [...new Set(run.found?.ranks.map((r) => r.grade).filter((g) => g >= 0))].sort((a, b) => a - b);
  const whom = (g: number) => (g < 0 ? t('place.everybody') : t('demand.grade', { grade: g }));
  return (
    <section aria-label={t('place.publish')} className="no-print">
      <div className="flex flex-wrap items-end gap-3">
        <label className="text-sm">
          {t('place.publishTo')}
          <select value={grade} onChange={(event) => setGrade(Number(event.target.value))} className="block min-h-9 rounded border border-edge bg-card px-2">
            {[-1, ...grades].map((g) => (
              <option key={g} value={g}>
                {whom(g)}
              </option>
            ))}
          </select>
        </label>
        <Button tone="chief" onClick={() => setSure(true)}>
          {t('place.publishOpen')}
        </Button>
      </div>
      {publish.data && <p role="status">{t('place.published', { count: publish.data.sheets })}</p>}
      {list.error && <Refusal text={errorWords(t, list.error)} />}
      <ul className="mt-2 text-sm">
        {list.data?.map((p) => (
          <li key={p.id} className="flex flex-wrap items-center gap-x-3 border-t border-line py-1">
            <span className="flex-1">
              {t('place.publication', {
                run: letter(p.run),
                whom: whom(p.grade),
                count: p.sheets,
                n: whole(p.sheets),
                time: when(p.at, book.catalog.zone),
                by: p.by,
              })}
              {p.backAt && (
                <span className="block text-soft">
                  {t('place.back', { by: p.backBy, time: when(p.backAt, book.catalog.zone) })} “{p.reason}”
                </span>
              )}
            </span>
            {!p.backAt && <Button onClick={() => setBack(p.id)}>{t('place.takeBack')}</Button>}
          </li>
        ))}
      </ul>
      {sure && (
        <Dialog open onClose={() => setSure(false)} title={t('place.sure', { run: letter(run.id), whom: whom(grade) })}>
          {readiness.error && <Refusal text={errorWords(t, readiness.error)} />}
          {!readiness.data && !readiness.error && <Loading />}
          {readiness.data && (
            <>
              <p className="my-2">{t('place.sureNote', { done: whole(readiness.data.complete), count: readiness.data.students })}</p>
              <ReadinessNote at={at} of={readiness.data} publishing />
            </>
          )}
          <Refusal text={publish.error ? errorWords(t, publish.error) : undefined} />
          <div className="mt-3 flex gap-2">
            <Button tone="dark" disabled={publish.isPending || !readiness.data} onClick={() => publish.mutate()}>
              {t('place.publish')}
            </Button>
            <Button onClick={() => setSure(false)}>{t('cancel')}</Button>
          </div>
        </Dialog>
      )}
      {back !== undefined && (
        <TextDialog
          open
          title={t('place.backTitle')}
          label={t('place.backWhy')}
          action={t('place.takeBack')}
          busy={take.isPending}
          error={take.error ? errorWords(t, take.error) : undefined}
          onClose={() => setBack(undefined)}
          onDone={(reason) => take.mutate({ id: back, reason })}
        />
      )}
    </section>
  );
}
