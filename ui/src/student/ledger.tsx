import { useTranslation } from 'react-i18next';
import type { Effect, RuleState } from '../api/client';
import { Mark } from '../kit/marks';
import { amount } from '../kit/format';
import { ruleNumbers } from './effectwords';
import { Explain } from './explain';
import type { Desk, Filter } from './desk';

/** Each rule as its own small measure: how much there is, where the bounds lie. Below it, what the sheet does for the long run. */
export function Ledger({ desk, preview, onFind }: { desk: Desk; preview: Effect | undefined; onFind: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  return (
    <section aria-labelledby="ledger" className="mt-3 desk:ps-7">
      <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
        <h2 id="ledger" className="text-sm font-semibold">
          {t('ledger.head')} <span className="font-normal text-soft">· {t('ledger.note')}</span>
        </h2>
        <Explain what="ledger" />
      </div>
      <ul className="grid grid-cols-2 gap-x-4 gap-y-2 desk:grid-cols-3">
        {sheet.rules.map((r) => (
          <li key={r.id} className="min-w-0 text-sm">
            <Measure rule={r} to={measureWith(preview, r.id)} label={book.rule(r.id)?.label ?? r.id} onOpen={() => onFind({ rule: r.id })} />
          </li>
        ))}
      </ul>
      <div className="mt-3 grid gap-x-6 gap-y-2 desk:grid-cols-2">
        {sheet.audits.map((audit) => {
          const head = book.catalog.audits.find((a) => a.id === audit.id);
          return (
            <details key={audit.id} className="text-sm">
              <summary className="min-h-7 cursor-pointer font-semibold">
                {head?.label}{' '}
                <span className="font-normal text-soft">· {t('path.short', { n: amount(audit.entries.reduce((sum, e) => sum + e.short, 0)) })}</span>
              </summary>
              <ul className="mt-1 grid gap-0.5">
                {audit.entries.map((e, i) => (
                  <li key={e.id} className="flex gap-2 border-t border-line py-0.5">
                    <Mark kind={e.short > 0 ? 'missing' : e.earned < e.need ? 'half' : 'settled'} />
                    <span className="flex-1">{head?.entries[i]?.label}</span>
                    <span className="text-soft">
                      {[
                        e.earned > 0 && t('path.earned', { n: amount(e.earned) }),
                        e.inProgress > 0 && t('path.now', { n: amount(e.inProgress) }),
                        e.requested > 0 && t('path.next', { n: amount(e.requested) }),
                        e.short > 0 ? t('path.short', { n: amount(e.short) }) : t('path.done'),
                        e.late && t('path.late'),
                      ]
                        .filter(Boolean)
                        .join(' · ')}
                    </span>
                  </li>
                ))}
              </ul>
            </details>
          );
        })}
      </div>
    </section>
  );
}

/** What a rule would measure with the course that is pointed at, where that is another amount. */
const measureWith = (effect: Effect | undefined, rule: string) => [...(effect?.rules ?? []), ...(effect?.moves ?? [])].find((m) => m.rule === rule)?.to;

function Measure({ rule, to, label, onOpen }: { rule: RuleState; to: number | undefined; label: string; onOpen: () => void }) {
  const { t } = useTranslation();
  const top = Math.max(rule.measured, to ?? 0, rule.max ?? 0, rule.min ?? 0, 0.01) * 1.08;
  const at = (n: number) => `${(n / top) * 100}%`;
  const lack = rule.min !== undefined && rule.measured < rule.min ? rule.min - rule.measured : 0;
  return (
    <button type="button" className="block min-h-7 w-full text-start hover:bg-wash" onClick={onOpen}>
      <span className="flex items-baseline gap-1.5">
        <Mark kind={rule.holds ? 'settled' : 'missing'} />
        <span className="truncate">{label}</span>
        <span className="ms-auto shrink-0 text-soft">
          {to === undefined ? (
            ruleNumbers(t, rule)
          ) : (
            <b data-preview={rule.id} className="font-semibold text-ink">
              {amount(rule.measured)} → {ruleNumbers(t, { ...rule, measured: to })}
            </b>
          )}
        </span>
        <span className="sr-only">{t(rule.holds ? 'ledger.holds' : 'ledger.open')}</span>
      </span>
      <span aria-hidden="true" className="relative mt-0.5 block h-2.5 border-b border-edge">
        <i className="absolute bottom-0 start-0 h-1.5 bg-ink" style={{ width: at(rule.measured) }} />
        {to !== undefined && to > rule.measured && (
          <i className="absolute bottom-0 h-1.5 border border-b-0 border-ink" style={{ insetInlineStart: at(rule.measured), width: at(to - rule.measured) }} />
        )}
        {to !== undefined && to < rule.measured && (
          <i className="absolute bottom-0 h-1.5 bg-edge" style={{ insetInlineStart: at(to), width: at(rule.measured - to) }} />
        )}
        {lack > 0 && to === undefined && (
          <i
            className="absolute bottom-0 h-1.5 border border-b-0 border-dashed border-ochre"
            style={{ insetInlineStart: at(rule.measured), width: at(lack) }}
          />
        )}
        {rule.min !== undefined && <u className="absolute -bottom-0.5 h-3 w-px bg-ink" style={{ insetInlineStart: at(rule.min) }} />}
        {rule.max !== undefined && <u className="absolute -bottom-0.5 h-3 w-px bg-ink" style={{ insetInlineStart: at(rule.max) }} />}
      </span>
    </button>
  );
}
