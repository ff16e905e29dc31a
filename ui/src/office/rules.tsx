import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useSearchParams } from 'wouter';
import { type Year, useCatalog } from '../api/client';
import { type Revising, type RulesView, rulesOf, useRules } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Agreements, Groups, Holidays } from './agreements';
import { Clashes } from './clashes';
import { Errands } from './errands';
import { List, asNumber, put } from './fields';
import { Force, Versions, useEffectOf } from './force';
import { type Clash, type Json, merge, mergeRows, withAt } from './merge';
import { type Policy, parsePolicy } from './policy';
import { Requirements } from './requirements';
import { Sentences } from './sentences';
import { SettingsPart } from './settings';
import { Windows } from './windows';
import '../shared/staff';

/** A text as JSON, where there is one and it can be read. */
function asJson(text: string | undefined): Json | undefined {
  try {
    return text === undefined ? undefined : (JSON.parse(text) as Json);
  } catch {
    return undefined;
  }
}

const written = (value: unknown) => JSON.stringify(value, null, 2) + '\n';

const parts = ['rules', 'requirements', 'groups', 'settings', 'agreements', 'dates', 'errands', 'sections'] as const;

/** All that a school decides for itself: its rules as sentences with blanks, and how the real sheets stand to each; and as JSON for those who like it. */
export default function Rules({ at }: { at: Year }) {
  const { t } = useTranslation();
  const rules = useRules(at);
  const catalog = useCatalog(at);
  const [params] = useSearchParams();
  const part = parts.find((p) => p === params.get('part')) ?? 'rules';
  const [draft, setDraft] = useState<string>(); // policy.json, once it is changed
  const [errands, setErrands] = useState<Record<string, string>[]>(); // likewise
  const [json, setJson] = useState(false);
  const [begun, setBegun] = useState<string>(); // policy.json as it was when the draft was begun
  const [stood, setStood] = useState<RulesView>(); // what the draft stands on
  const client = useQueryClient();
  const base = rules.data;
  if (base && draft === undefined && begun !== base.text) setBegun(base.text);
  // Someone else has put other rules in force: the draft goes on on top of them, also where they were loaded unasked. One that cannot be read
  // stays on what it was begun on, and is refused until it can.
  if (base && base !== stood) {
    const [was, mine, theirs] = [stood?.text, draft, base.text].map(asJson);
    if (!stood || draft === undefined || (was !== undefined && mine !== undefined && theirs !== undefined)) {
      setStood(base);
      if (stood && draft !== undefined && base.text !== stood.text) setDraft(written(merge(was, mine, theirs).value));
      if (stood && errands) setErrands(mergeRows(stood.errands, errands, base.errands));
    }
  }
  const clashes = useMemo(() => {
    const [was, mine, theirs] = [begun, draft, stood?.text].map(asJson);
    return was === undefined || mine === undefined || theirs === undefined ? [] : merge(was, mine, theirs).clashes;
  }, [begun, draft, stood]);
  const text = draft ?? base?.text;
  const changed = (draft !== undefined && draft !== base?.text) || errands !== undefined;
  const body = useMemo<Revising | undefined>(
    () => stood && { catalog: stood.catalog, policy: stood.policy, text: draft !== stood.text ? draft : undefined, errands },
    [stood, draft, errands],
  );
  const { trial, behind } = useEffectOf(at, body);
  const policy = useMemo(() => (text === undefined ? undefined : parsePolicy(text)), [text]);
  const restore = useMutation({ mutationFn: (version: number) => rulesOf(at, version), onSuccess: (old) => setDraft(old.text) });
  if (rules.error && !base) return <Refusal text={errorWords(t, rules.error)} />;
  if (!base || text === undefined || !catalog.data) return <Loading />;
  const edit = (change: (p: Policy) => void) => {
    const next = parsePolicy(text);
    if (!next) return;
    change(next);
    setDraft(written(next));
  };
  const leave = () => (setDraft(undefined), setErrands(undefined));
  const take = (clash: Clash) => {
    const value = asJson(text);
    if (value !== undefined) setDraft(written(withAt(value, clash.way, clash.theirs)));
  };
  const short = (v: Json | undefined) => (v === undefined ? '–' : typeof v === 'string' ? v : JSON.stringify(v)).slice(0, 120);
  const terms = catalog.data.terms;
  const problems = trial.data?.problems ?? [];
  return (
    <main id="page" className="grid gap-x-6 px-4 pt-3 pb-16 desk:grid-cols-[minmax(0,1fr)_18rem] desk:px-6">
      <div className="min-w-0">
        <div className="mb-1 flex flex-wrap items-baseline gap-4">
          <h1>{changed ? t('rules.headDraft') : t(part === 'rules' ? 'rules.head' : 'policy.head')}</h1>
          <button type="button" aria-pressed={json} className="ms-auto min-h-8 inked-link" onClick={() => setJson(!json)}>
            {t(json ? 'rules.asSentences' : 'rules.asJson')}
          </button>
        </div>
        {!json && (
          <nav aria-label={t('policy.parts')} className="mb-2 flex flex-wrap gap-x-5 border-b border-line">
            {parts.map((p) => (
              <Link
                key={p}
                href={p === 'rules' ? '/rules' : `/rules?part=${p}`}
                aria-current={p === part ? 'true' : undefined}
                className="flex min-h-9 items-center border-b-2 border-transparent text-soft aria-[current]:border-ink aria-[current]:font-semibold aria-[current]:text-ink"
              >
                {t(`policy.part.${p}`)}
              </Link>
            ))}
          </nav>
        )}
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
          <>
            {part === 'rules' && (
              <Sentences
                policy={policy}
                onEdit={edit}
                rules={policy.rules ?? []}
                terms={terms}
                standings={problems.length ? undefined : trial.data?.rules}
                onRules={(change) => edit((p) => change((p.rules ??= [])))}
              />
            )}
            {part === 'requirements' && <Requirements policy={policy} onEdit={edit} />}
            {part === 'groups' && <Groups policy={policy} onEdit={edit} />}
            {part === 'settings' && <SettingsPart policy={policy} onEdit={edit} />}
            {part === 'agreements' && <Agreements policy={policy} onEdit={edit} terms={terms} />}
            {part === 'dates' && (
              <>
                <Windows at={at} />
                <Holidays policy={policy} onEdit={edit} />
              </>
            )}
            {part === 'errands' && <Errands at={at} rows={errands ?? base.errands} catalog={catalog.data} problems={problems} onRows={setErrands} />}
            {part === 'sections' && <Fill policy={policy} onEdit={edit} terms={terms} />}
          </>
        )}
      </div>
      <aside className="min-w-0 desk:border-s desk:border-line desk:ps-6">
        <Clashes
          list={clashes.map((c) => ({
            name: `${c.way.join(' · ')}:`,
            says: t('courses.clash', { theirs: short(c.theirs), mine: short(c.mine) }),
            onTheirs: () => take(c),
          }))}
        />
        <Force
          at={at}
          body={body}
          changed={changed}
          trial={trial}
          behind={behind}
          onDone={leave}
          onLeave={leave}
          onTheirs={asJson(text) === undefined ? undefined : () => void client.invalidateQueries({ queryKey: ['rules'] })}
        />
        <Versions at={at} kind="rules" onRestore={(version) => restore.mutate(version)} />
        <Refusal text={restore.error ? errorWords(t, restore.error) : undefined} />
      </aside>
    </main>
  );
}

/** What a choice of sections must come to, where students choose them. */
function Fill({ policy, onEdit, terms }: { policy: Policy; onEdit: (change: (p: Policy) => void) => void; terms: string[] }) {
  const { t } = useTranslation();
  const fill = policy.fill;
  return (
    <>
      <p className="mb-2 max-w-3xl text-sm text-soft">{t('policy.fillNote')}</p>
      {fill ? (
        <>
          <div className="mb-2 flex flex-wrap items-end gap-3">
            <List
              label={t('policy.fillPeriods')}
              value={fill.periods}
              read={asNumber}
              onChange={(list) => onEdit((p) => p.fill && put(p.fill, 'periods', list))}
            />
            <Button onClick={() => onEdit((p) => delete p.fill)}>{t('policy.noFill')}</Button>
          </div>
          <Sentences
            policy={policy}
            onEdit={onEdit}
            rules={fill.rules ?? []}
            usual="sections"
            terms={terms}
            onRules={(change) => onEdit((p) => p.fill && change((p.fill.rules ??= [])))}
          />
        </>
      ) : (
        <Button onClick={() => onEdit((p) => (p.fill = { periods: Array.from({ length: p.periods ?? 1 }, (_, i) => i + 1), rules: [] }))}>
          {t('policy.addFill')}
        </Button>
      )}
    </>
  );
}
