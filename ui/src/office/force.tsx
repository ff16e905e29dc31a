import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, type ReactNode, useDeferredValue, useEffect, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { ApiError, type Year } from '../api/client';
import { type Revising, type RevisionView, revise, useTrial, useVersions } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { when, whole } from '../kit/format';

/** What a draft would do, a moment after it was last changed. */
export function useEffectOf(at: Year, body: Revising | undefined) {
  const [settled, setSettled] = useState(body);
  const deferred = useDeferredValue(body);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(deferred), 350);
    return () => clearTimeout(timer);
  }, [deferred]);
  const trial = useTrial(at, settled);
  return { trial, behind: settled !== body || trial.isFetching };
}

/** What a draft would do to the real sheets, and putting it in force with a reason. */
export function Force(props: {
  at: Year;
  body: Revising | undefined;
  changed: boolean;
  trial: ReturnType<typeof useTrial>;
  behind: boolean;
  onDone: () => void;
  onLeave: () => void;
  onTheirs?: () => void; // lays what somebody else has put in force meanwhile under the draft
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { at, body, trial } = props;
  const force = useMutation({
    mutationFn: (reason: string) => revise(at, { ...(body as Revising), reason }),
    onSuccess: async () => {
      await Promise.all(['rules', 'catalog', 'caseload', 'sheet'].map((key) => client.invalidateQueries({ queryKey: [key] })));
      props.onDone();
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    force.mutate(String(new FormData(event.currentTarget).get('reason') ?? ''));
  }
  const effect = trial.data;
  const stale = (e: unknown) => e instanceof ApiError && e.code === 'stale-version';
  const moved = props.onTheirs && (stale(force.error) || stale(trial.error)); // somebody else has put something in force meanwhile
  const bad = (effect?.problems.length ?? 0) > 0;
  return (
    <section aria-label={t('rules.effect')}>
      <h2 className="font-semibold">{t('rules.effect')}</h2>
      <Refusal text={trial.error && !moved ? errorWords(t, trial.error) : undefined} />
      {effect && <Said effect={effect} changed={props.changed} />}
      {force.isSuccess && !props.changed && (
        <p role="status" className="mt-1">
          {t('rules.inForce')}
        </p>
      )}
      {props.changed && (
        <form onSubmit={submit} className="mt-2">
          <label className="block">
            {t('rules.reason')}
            <input name="reason" required maxLength={1000} className="mt-0.5 block min-h-9 w-full rounded border border-edge bg-card px-2" />
          </label>
          {moved ? (
            <div role="alert" className="mt-2">
              <p className="text-ochre">{t('courses.theirs')}</p>
              <Button
                className="mt-1"
                onClick={() => {
                  force.reset();
                  props.onTheirs?.();
                }}
              >
                {t('courses.loadTheirs')}
              </Button>
            </div>
          ) : (
            <Refusal text={force.error ? errorWords(t, force.error) : undefined} />
          )}
          <div className="mt-2 flex gap-2">
            <Button type="submit" tone="chief" disabled={bad || props.behind || force.isPending || !effect}>
              {force.isPending || props.behind ? t('working') : t('rules.force')}
            </Button>
            <Button onClick={props.onLeave}>{t('rules.leave')}</Button>
          </div>
        </form>
      )}
    </section>
  );
}

/** What would change for whom, in words. */
function Said({ effect, changed }: { effect: RevisionView; changed: boolean }) {
  const { t } = useTranslation();
  if (effect.problems.length > 0)
    return (
      <div role="alert">
        <ul className="mt-1 rounded border p-2 hatch">
          {effect.problems.map((p, i) => (
            <li key={i} className="rounded-sm bg-card px-1 text-ochre">
              {p.file === 'policy.json' ? t('rules.line', { line: p.line }) : p.file} {p.column}: <span lang="en">{p.what}</span>
            </li>
          ))}
        </ul>
      </div>
    );
  if (!changed) return <p className="mt-1 text-soft">{t('rules.asIs', { n: whole(effect.sheets) })}</p>;
  const names = (list: RevisionView['lapsed']) =>
    list
      .slice(0, 40)
      .map((m) => `${m.family}, ${m.given}`)
      .join(' · ') + (list.length > 40 ? ' …' : '');
  const part = (list: RevisionView['lapsed'], key: 'lapsed' | 'mended'): ReactNode =>
    list.length > 0 && (
      <details>
        <summary className="min-h-7 cursor-pointer">{t(`rules.${key}`, { count: list.length })}</summary>
        <p className="text-sm text-soft">{names(list)}</p>
      </details>
    );
  return (
    <div className="mt-1" role="status">
      {effect.removed.length > 0 && (
        <div className="mb-1 border-s-2 border-ochre ps-2 text-ochre">
          <p>{t('rules.removes', { count: effect.removed.length })}</p>
          <ul>
            {effect.removed.map((p) => (
              <li key={p.kind + p.label}>{t(`rules.removed.${p.kind}`, { label: p.label })}</li>
            ))}
          </ul>
        </div>
      )}
      {effect.lapsed.length + effect.mended.length + effect.gone.length === 0 && <p>{t('rules.nobody', { n: whole(effect.sheets) })}</p>}
      {part(effect.lapsed, 'lapsed')}
      {part(effect.mended, 'mended')}
      {effect.gone.map((g) => (
        <p key={g.code}>{t('rules.gone', { course: g.title, count: g.requested, entered: whole(g.entered) })}</p>
      ))}
    </div>
  );
}

/** The versions of the rules and courses, with who, when and why. */
export function Versions({ at, kind, onRestore }: { at: Year; kind: 'rules' | 'courses'; onRestore?: (version: number) => void }) {
  const { t } = useTranslation();
  const versions = useVersions(at);
  const list = versions.data?.filter((v) => v.kind === kind) ?? [];
  return (
    <section className="mt-6" aria-label={t('rules.versions')}>
      <h2 className="font-semibold">{t('rules.versions')}</h2>
      <ul>
        {list.map((v, i) => (
          <li key={v.version} className="border-t border-line py-1 text-sm">
            {t('rules.version', { n: v.version })} <span className="text-soft">{when(v.at)}</span> {v.by || t('rules.withData')}{' '}
            {v.reason && <span className="text-soft">“{v.reason}”</span>}{' '}
            {onRestore && i > 0 && (
              <button type="button" className="min-h-6 inked-link" onClick={() => onRestore(v.version)}>
                {t('rules.restore')}
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
