import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { RuleStanding } from '../api/desks';
import { Button } from '../kit/controls';
import { whole } from '../kit/format';
import { Counting, type Editing, List, More, Remove, Texts, When, asNumber, asWord, blank, put } from './fields';
import { type Rule, countWords, labelOf, languagesOf, nextId, setWords, wordsIn } from './policy';

type ListEditing = Editing & {
  rules: Rule[];
  usual?: string; // what they count where it is not said
  terms: string[];
  standings?: RuleStanding[];
  onRules: (change: (list: Rule[]) => void) => void;
};

/** Rules, each a sentence with blanks, which opens to all of its parts. */
export function Sentences(props: ListEditing) {
  const { t } = useTranslation();
  const { rules, onRules } = props;
  return (
    <>
      {rules.length === 0 && <p className="text-soft">{t('rules.none')}</p>}
      <ol>
        {rules.map((rule, i) => (
          <Sentence
            key={rule.id}
            {...props}
            rule={rule}
            standing={props.standings?.find((s) => s.id === rule.id)}
            onChange={(change) => onRules((list) => list[i] && change(list[i]))}
            onRemove={() => onRules((list) => list.splice(i, 1))}
          />
        ))}
      </ol>
      <Button
        className="mt-3"
        onClick={() =>
          onRules((list) =>
            list.push({
              id: nextId(
                'rule',
                list.map((r) => r.id),
              ),
              label: t('rules.newLabel'),
              min: 1,
            }),
          )
        }
      >
        {t('rules.add')}
      </Button>
    </>
  );
}

function Sentence(props: ListEditing & { rule: Rule; standing?: RuleStanding; onChange: (change: (r: Rule) => void) => void; onRemove: () => void }) {
  const { t } = useTranslation();
  const { rule, onChange, policy } = props;
  const own = languagesOf(policy)[0] ?? 'en';
  const [open, setOpen] = useState(false);
  const bound = (which: 'min' | 'max') => (
    <input
      type="number"
      step="any"
      min={0}
      aria-label={t(`rules.${which}Of`, { label: labelOf(rule) })}
      value={rule[which] ?? ''}
      placeholder={t('rules.any')}
      onChange={(event) => onChange((r) => put(r, which, event.target.value === '' ? undefined : Number(event.target.value)))}
      className={`${blank} w-16 text-end`}
    />
  );
  return (
    <li className="border-t border-line py-2">
      <div className="flex flex-wrap items-baseline gap-x-1.5">
        <input
          aria-label={t('rules.label')}
          value={typeof rule.label === 'object' && !rule.label[own] ? labelOf(rule) : wordsIn(rule.label, own, own)}
          placeholder={rule.id}
          maxLength={200}
          onChange={(event) => onChange((r) => (r.label = setWords(r.label, own, own, event.target.value)))}
          className={`${blank} w-56`}
        />
        <span>{t('rules.atLeast')}</span>
        {bound('min')}
        <span>{t('rules.atMost')}</span>
        {bound('max')}
        <span>{countWords(t, rule, props.usual)}</span>
        {rule.grades && <span>{t('rules.grades', { list: rule.grades.join(', ') })}</span>}
        {rule.programs && <span>{t('rules.programs', { list: rule.programs.join(', ') })}</span>}
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
        <span className="ms-auto flex gap-3">
          <More label={labelOf(rule)} open={open} onOpen={setOpen} />
          <Remove label={labelOf(rule)} onRemove={props.onRemove} />
        </span>
      </div>
      {props.standing && <Stand standing={props.standing} />}
      {open && (
        <div className="flex flex-col gap-2 border-s border-line py-1 ps-3">
          <Counting policy={policy} value={rule} usual={props.usual} terms={props.terms} onChange={onChange} />
          <div className="flex flex-wrap gap-2">
            <List label={t('rules.forGrades')} value={rule.grades} read={asNumber} onChange={(list) => onChange((r) => put(r, 'grades', list))} />
            <List label={t('rules.forPrograms')} value={rule.programs} read={asWord} onChange={(list) => onChange((r) => put(r, 'programs', list))} />
          </div>
          {languagesOf(policy).length > 1 && (
            <Texts policy={policy} label={t('rules.label')} value={rule.label} onChange={(label) => onChange((r) => (r.label = label))} />
          )}
          <When policy={policy} value={rule.when} terms={props.terms} onChange={(when) => onChange((r) => put(r, 'when', when))} />
        </div>
      )}
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
