import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Button } from '../kit/controls';
import { Amount, type Editing, More, Of, Remove, Texts, blank, put } from './fields';
import { type Selection, labelOf, languagesOf, nextId, selectionWords, setWords, wordsIn } from './policy';

/** The lists of requirements, each on its own: how many credits of what, every year how many, by when. */
export function Requirements({ policy, onEdit }: Editing) {
  const { t } = useTranslation();
  const own = languagesOf(policy)[0] ?? 'en';
  const [open, setOpen] = useState<string>(); // which requirement is open
  const several = languagesOf(policy).length > 1;
  return (
    <>
      <p className="mb-2 max-w-3xl text-sm text-soft">{t('policy.auditsNote')}</p>
      {(policy.audits ?? []).map((audit, a) => (
        <section key={audit.id} aria-label={labelOf(audit)} className="mb-6 border-t border-ink pt-2">
          <div className="flex flex-wrap items-end gap-x-4">
            <div className="min-w-0 flex-1">
              <Texts
                policy={policy}
                label={t('policy.list')}
                value={audit.label ?? audit.id}
                onChange={(label) => onEdit((p) => put(p.audits?.[a] ?? audit, 'label', label))}
              />
            </div>
            <Remove label={labelOf(audit)} onRemove={() => onEdit((p) => p.audits?.splice(a, 1))} />
          </div>
          <ol className="mt-2">
            {(audit.entries ?? []).map((entry, i) => {
              const change = (to: (e: typeof entry) => void) =>
                onEdit((p) => {
                  const e = p.audits?.[a]?.entries?.[i];
                  if (e) to(e);
                });
              return (
                <li key={entry.id} className="border-t border-line py-1.5">
                  <div className="flex flex-wrap items-baseline gap-x-2">
                    <input
                      aria-label={t('policy.requirement')}
                      value={wordsIn(entry.label, own, own)}
                      placeholder={entry.id}
                      maxLength={200}
                      onChange={(event) => change((e) => (e.label = setWords(e.label, own, own, event.target.value)))}
                      className={`${blank} w-56`}
                    />
                    <input
                      type="number"
                      step="any"
                      min={0}
                      aria-label={t('policy.creditsOf', { label: labelOf(entry) })}
                      value={entry.credits ?? ''}
                      onChange={(event) => change((e) => put(e, 'credits', event.target.value === '' ? undefined : Number(event.target.value)))}
                      className={`${blank} w-16 text-end`}
                    />
                    <span>
                      {t('rules.measures.credits')} {selectionWords(t, entry.of ?? 'all')}
                      {entry.each !== undefined && ` · ${t('policy.eachWords', { n: entry.each })}`}
                      {entry.by !== undefined && ` · ${t('policy.byWords', { grade: entry.by })}`}
                    </span>
                    <span className="ms-auto flex gap-3">
                      <More
                        label={labelOf(entry)}
                        open={open === `${audit.id} ${entry.id}`}
                        onOpen={(yes) => setOpen(yes ? `${audit.id} ${entry.id}` : undefined)}
                      />
                      <Remove label={labelOf(entry)} onRemove={() => onEdit((p) => p.audits?.[a]?.entries?.splice(i, 1))} />
                    </span>
                  </div>
                  {open === `${audit.id} ${entry.id}` && (
                    <div className="flex flex-col gap-2 border-s border-line py-1 ps-3">
                      <Of policy={policy} value={entry.of} onChange={(of: Selection) => change((e) => put(e, 'of', of))} />
                      <div className="flex flex-wrap gap-2">
                        <Amount label={t('policy.each')} value={entry.each} onChange={(n) => change((e) => put(e, 'each', n))} />
                        <Amount label={t('policy.by')} step={1} value={entry.by} onChange={(n) => change((e) => put(e, 'by', n))} />
                      </div>
                      {several && (
                        <Texts policy={policy} label={t('policy.requirement')} value={entry.label} onChange={(label) => change((e) => (e.label = label))} />
                      )}
                    </div>
                  )}
                </li>
              );
            })}
          </ol>
          <Button
            className="mt-2"
            onClick={() =>
              onEdit((p) => {
                const list = p.audits?.[a];
                if (!list) return;
                list.entries ??= [];
                list.entries.push({
                  id: nextId(
                    'need',
                    list.entries.map((e) => e.id),
                  ),
                  label: t('policy.newRequirement'),
                  credits: 1,
                  of: 'all',
                });
              })
            }
          >
            {t('policy.addRequirement')}
          </Button>
        </section>
      ))}
      <Button
        onClick={() =>
          onEdit((p) => {
            p.audits ??= [];
            p.audits.push({
              id: nextId(
                'list',
                p.audits.map((x) => x.id),
              ),
              label: t('policy.newList'),
              entries: [],
            });
          })
        }
      >
        {t('policy.addList')}
      </Button>
    </>
  );
}
