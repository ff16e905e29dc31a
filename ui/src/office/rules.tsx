import { useMutation } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { type Revising, type RuleStanding, rulesOf, useRules } from '../api/desks';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { whole } from '../kit/format';
import { Force, Versions, useEffectOf } from './force';
import { type Policy, type Rule, countWords, labelOf, parsePolicy, setLabel } from './policy';
import { Windows } from './windows';
import '../kit/staff';

const blank = 'min-h-7 rounded-none border-0 border-b border-dashed border-edge bg-transparent px-1 font-semibold max-desk:min-h-11';

/** The school's rules as sentences with blanks, and how the real sheets stand to each; and as JSON for those who like it. */
export default function Rules({ at }: { at: Year }) {
  const { t } = useTranslation();
  const rules = useRules(at);
  const [draft, setDraft] = useState<string>(); // policy.json, once it is changed
  const [json, setJson] = useState(false);
  const base = rules.data;
  const text = draft ?? base?.text;
  const changed = draft !== undefined && draft !== base?.text;
  const body = useMemo<Revising | undefined>(
    () => base && { catalog: base.catalog, policy: base.policy, text: changed ? draft : undefined },
    [base, changed, draft],
  );
  const { trial, behind } = useEffectOf(at, body);
  const policy = useMemo(() => (text === undefined ? undefined : parsePolicy(text)), [text]);
  const restore = useMutation({ mutationFn: (version: number) => rulesOf(at, version), onSuccess: (old) => setDraft(old.text) });
  if (rules.error && !base) return <Refusal text={errorWords(t, rules.error)} />;
  if (!base || text === undefined) return <Loading />;
  const edit = (change: (p: Policy) => void) => {
    const next = parsePolicy(text);
    if (!next) return;
    change(next);
    setDraft(JSON.stringify(next, null, 2) + '\n');
  };
  return (
    <main id="page" className="grid gap-x-6 px-4 pt-3 pb-16 desk:grid-cols-[minmax(0,1fr)_24rem] desk:px-6">
      <div className="min-w-0">
        <div className="mb-2 flex flex-wrap items-baseline gap-4">
          <h1>{changed ? t('rules.headDraft') : t('rules.head')}</h1>
          <button type="button" aria-pressed={json} className="ml-auto min-h-8 inked-link" onClick={() => setJson(!json)}>
            {t(json ? 'rules.asSentences' : 'rules.asJson')}
          </button>
        </div>
        {json || !policy ? (
          <>
            {!policy && <Refusal text={t('rules.unreadable')} />}
            <textarea
              aria-label={t('rules.file')}
              value={text}
              onChange={(event) => setDraft(event.target.value)}
              spellCheck={false}
              rows={36}
              className="mt-2 block w-full rounded border border-edge bg-card p-2 font-mono text-sm"
            />
          </>
        ) : (
          <Sentences policy={policy} standings={trial.data?.problems.length ? undefined : trial.data?.rules} onEdit={edit} />
        )}
        <Windows at={at} />
      </div>
      <aside className="min-w-0 desk:border-l desk:border-line desk:pl-6">
        <Force at={at} body={body} changed={changed} trial={trial} behind={behind} onDone={() => setDraft(undefined)} onLeave={() => setDraft(undefined)} />
        <Versions at={at} kind="rules" onRestore={(version) => restore.mutate(version)} />
        <Refusal text={restore.error ? errorWords(t, restore.error) : undefined} />
      </aside>
    </main>
  );
}

/** The rules, each a sentence. */
function Sentences(props: { policy: Policy; standings: RuleStanding[] | undefined; onEdit: (change: (p: Policy) => void) => void }) {
  const { t } = useTranslation();
  const { policy, onEdit } = props;
  const rules = policy.rules ?? [];
  return (
    <>
      {rules.length === 0 && <p className="text-soft">{t('rules.none')}</p>}
      <ol>
        {rules.map((rule, i) => (
          <Sentence
            key={rule.id}
            rule={rule}
            standing={props.standings?.find((s) => s.id === rule.id)}
            onChange={(change) => onEdit((p) => p.rules?.[i] && change(p.rules[i]))}
            onRemove={() => onEdit((p) => p.rules?.splice(i, 1))}
          />
        ))}
      </ol>
      <Add policy={policy} onEdit={onEdit} />
    </>
  );
}

function Sentence(props: { rule: Rule; standing: RuleStanding | undefined; onChange: (change: (r: Rule) => void) => void; onRemove: () => void }) {
  const { t } = useTranslation();
  const { rule, onChange } = props;
  const bound = (which: 'min' | 'max') => (
    <input
      type="number"
      step="any"
      min={0}
      aria-label={t(`rules.${which}Of`, { label: labelOf(rule) })}
      value={rule[which] ?? ''}
      placeholder={t('rules.any')}
      onChange={(event) =>
        onChange((r) => {
          r[which] = event.target.value === '' ? undefined : Number(event.target.value); // which is then left out
        })
      }
      className={`${blank} w-16 text-right`}
    />
  );
  return (
    <li className="border-t border-line py-2">
      <div className="flex flex-wrap items-baseline gap-x-1.5">
        <input
          aria-label={t('rules.label')}
          value={labelOf(rule)}
          maxLength={200}
          onChange={(event) => onChange((r) => setLabel(r, event.target.value))}
          className={`${blank} w-56`}
        />
        <span>{t('rules.atLeast')}</span>
        {bound('min')}
        <span>{t('rules.atMost')}</span>
        {bound('max')}
        <span>{countWords(t, rule)}</span>
        {rule.grades && <span>{t('rules.grades', { list: rule.grades.join(', ') })}</span>}
        {rule.when && (
          <span className="text-soft">{t('rules.when', { what: countWords(t, rule.when), min: rule.when.min ?? '–', max: rule.when.max ?? '–' })}</span>
        )}
        <select
          aria-label={t('rules.stanceOf', { label: labelOf(rule) })}
          value={rule.stance ?? 'block'}
          onChange={(event) => onChange((r) => (r.stance = event.target.value))}
          className={blank}
        >
          {['block', 'acknowledge', 'advise'].map((s) => (
            <option key={s} value={s}>
              {t(`rules.stance.${s}`)}
            </option>
          ))}
        </select>
        <button
          type="button"
          className="ml-auto min-h-6 text-sm inked-link"
          aria-label={t('rules.removeOf', { label: labelOf(rule) })}
          onClick={props.onRemove}
        >
          {t('rules.remove')}
        </button>
      </div>
      {props.standing && <Stand standing={props.standing} />}
    </li>
  );
}

/** How the real sheets stand to a rule: those that hold are solid, those that are short or over are hatched. */
function Stand({ standing }: { standing: RuleStanding }) {
  const { t } = useTranslation();
  const { now, was } = standing;
  if (!now) return null;
  const not = now.short + now.over;
  const differs = was && (was.holds !== now.holds || was.short !== now.short || was.over !== now.over);
  return (
    <div className="mt-1 flex items-center gap-3 text-sm text-soft">
      <span aria-hidden="true" className="flex h-2 w-64 border-b border-edge">
        <i className="block h-1.5 bg-ink" style={{ flexGrow: now.holds }} />
        <i className="block h-1.5 hatch" style={{ flexGrow: not }} />
      </span>
      <span>
        {t('rules.stand', { holds: whole(now.holds), short: whole(now.short), over: whole(now.over) })}
        {differs && <b className="font-semibold text-ink"> {t('rules.stood', { holds: whole(was.holds), short: whole(was.short), over: whole(was.over) })}</b>}
        {!was && <b className="font-semibold text-ink"> {t('rules.new')}</b>}
      </span>
    </div>
  );
}

/** A further rule, of the one form that all have. */
function Add({ policy, onEdit }: { policy: Policy; onEdit: (change: (p: Policy) => void) => void }) {
  const { t } = useTranslation();
  const [label, setLabelText] = useState('');
  const [of, setOf] = useState('all');
  const [measure, setMeasure] = useState('courses');
  const [on, setOn] = useState('requests');
  const groups = Object.keys(policy.groups ?? {});
  const field = 'min-h-9 rounded border border-edge bg-card px-2';
  return (
    <form
      className="mt-4 flex flex-wrap items-end gap-2 border-t border-line pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        onEdit((p) => {
          p.rules ??= [];
          const taken = p.rules.map((r) => r.id);
          let n = p.rules.length + 1;
          while (taken.includes(`rule-${n}`)) n++;
          p.rules.push({ id: `rule-${n}`, label, of: of === 'all' || of.startsWith('group:') ? of : { subjects: [of] }, on, measure, min: 1 });
        });
        setLabelText('');
      }}
    >
      <label className="block text-sm">
        {t('rules.label')}
        <input value={label} required maxLength={200} onChange={(event) => setLabelText(event.target.value)} className={`${field} block w-56`} />
      </label>
      <label className="block text-sm">
        {t('rules.measure')}
        <select value={measure} onChange={(event) => setMeasure(event.target.value)} className={`${field} block`}>
          {['courses', 'credits', 'load'].map((m) => (
            <option key={m} value={m}>
              {t(`rules.measures.${m}`)}
            </option>
          ))}
        </select>
      </label>
      <label className="block text-sm">
        {t('rules.of')}
        <input list="rule-of" value={of} required onChange={(event) => setOf(event.target.value)} className={`${field} block w-44`} />
        <datalist id="rule-of">
          <option value="all" />
          {groups.map((g) => (
            <option key={g} value={`group:${g}`} />
          ))}
        </datalist>
      </label>
      <label className="block text-sm">
        {t('rules.among')}
        <select value={on} onChange={(event) => setOn(event.target.value)} className={`${field} block`}>
          {['requests', 'alternates', 'both', 'taken', 'earned', 'summer'].map((o) => (
            <option key={o} value={o}>
              {t(`rules.on.${o}`)}
            </option>
          ))}
        </select>
      </label>
      <Button type="submit">{t('rules.add')}</Button>
    </form>
  );
}
