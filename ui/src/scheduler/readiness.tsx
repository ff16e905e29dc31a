import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask } from '../api/client';
import { doBatch } from '../api/desks';
import { type components } from '../api/schema.gen';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';

type Readiness = components['schemas']['ReadinessView'];
type Ready = components['schemas']['ReadyPupilView'];

const pathOf = (at: Year) => ({ school: at.school, year: at.year });

/** Whose requests a run takes now; with a run, whom publishing it to a grade shows something. */
export const useReadiness = (at: Year, run?: number, grade = -1) =>
  useQuery({
    queryKey: ['readiness', at.school, at.year, run, grade],
    queryFn: () =>
      run === undefined
        ? ask(api.GET('/api/schools/{school}/years/{year}/placements/readiness', { params: { path: pathOf(at) } }))
        : ask(api.GET('/api/schools/{school}/years/{year}/placements/{run}/readiness', { params: { path: { ...pathOf(at), run }, query: { grade } } })),
  });

/** Who is left out or not approved, by name, with the way out: approve or remind them all. */
export function ReadinessNote({ at, of, publishing }: { at: Year; of: Readiness; publishing?: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const act = useMutation({
    mutationFn: ({ kind, list, reason }: { kind: 'clear' | 'remind'; list: Ready[]; reason: string }) =>
      doBatch(at, {
        kind,
        ...(kind === 'remind' ? { name: 'unsigned' } : { reason }),
        sheets: list.slice(0, 2000).map((p) => ({ student: p.student, version: p.version })),
      }),
    onSettled: () => ['readiness', 'caseload'].forEach((key) => void client.invalidateQueries({ queryKey: [key] })),
  });
  const waiting = [...of.left, ...of.unapproved].filter((p) => p.stood !== 'cleared');
  const signed = waiting.filter((p) => p.stood === 'signed');
  const unsigned = waiting.filter((p) => p.stood === 'submitted');
  return (
    <div className="text-sm">
      {part(of.left, publishing ? 'place.notShown' : 'place.leftOut')}
      {part(of.unapproved, publishing ? 'place.shownUnapproved' : 'place.takenUnapproved')}
      <div className="mt-1 flex flex-wrap gap-2">
        {signed.length > 0 && (
          <Button disabled={act.isPending} onClick={() => act.mutate({ kind: 'clear', list: signed, reason: t('place.approveReason') })}>
            {t('place.approveAll', { count: signed.length })}
          </Button>
        )}
        {unsigned.length > 0 && (
          <Button disabled={act.isPending} onClick={() => act.mutate({ kind: 'remind', list: unsigned, reason: '' })}>
            {t('place.remindAll', { count: unsigned.length })}
          </Button>
        )}
      </div>
      {act.data && (
        <p role="status">
          {t(act.variables.kind === 'clear' ? 'place.approvedAll' : 'place.remindedAll', {
            count: act.data.sheets.filter((s) => !s.code).length,
            of: act.data.sheets.length,
          })}
        </p>
      )}
      <Refusal text={act.error ? errorWords(t, act.error) : undefined} />
    </div>
  );

  function part(list: Ready[], key: string) {
    if (list.length === 0) return null;
    return (
      <details className="border-s-2 border-ochre ps-2">
        <summary className="min-h-6 cursor-pointer text-ochre">{t(key, { count: list.length })}</summary>
        <ul className="max-h-48 overflow-y-auto" tabIndex={0} aria-label={t(key, { count: list.length })}>
          {list.map((p) => (
            <li key={p.student}>
              {p.family}, {p.given} <span className="text-soft">· {t(`place.stood.${p.stood}`, { grade: p.grade })}</span>
            </li>
          ))}
        </ul>
      </details>
    );
  }
}

/** Whose requests the next run takes. */
export function RunReadiness({ at }: { at: Year }) {
  const { t } = useTranslation();
  const of = useReadiness(at);
  if (of.error) return <Refusal text={errorWords(t, of.error)} />;
  if (!of.data) return <Loading />;
  return (
    <>
      <p className="mt-1 text-sm">{t(`place.takes.${of.data.take}`, { count: of.data.students, of: of.data.students + of.data.left.length })}</p>
      <ReadinessNote at={at} of={of.data} />
    </>
  );
}
