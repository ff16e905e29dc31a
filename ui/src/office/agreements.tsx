import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Button } from '../kit/controls';
import { day } from '../kit/format';
import { type Editing, Labelled, List, Of, Remove, Texts, When, asNumber, field, put } from './fields';
import { nextId, selectionWords, wordsIn, languagesOf } from './policy';

/** Selections of courses that rules name. */
export function Groups({ policy, onEdit }: Editing) {
  const { t } = useTranslation();
  const [name, setName] = useState('');
  return (
    <>
      <p className="mb-2 max-w-3xl text-sm text-soft">{t('policy.groupsNote')}</p>
      <ul>
        {Object.entries(policy.groups ?? {}).map(([group, of]) => (
          <li key={group} className="border-t border-line py-2">
            <div className="flex items-baseline gap-3">
              <b className="font-semibold">{group}</b>
              <span className="text-soft">{selectionWords(t, of) || t('rules.every')}</span>
              <span className="ms-auto">
                <Remove label={group} onRemove={() => onEdit((p) => p.groups && Reflect.deleteProperty(p.groups, group))} />
              </span>
            </div>
            <Of policy={policy} value={of} but={group} onChange={(next) => onEdit((p) => p.groups && (p.groups[group] = next))} />
          </li>
        ))}
      </ul>
      <form
        className="mt-3 flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          onEdit((p) => {
            p.groups ??= {};
            p.groups[name.trim()] ??= { subjects: [] };
          });
          setName('');
        }}
      >
        <Labelled label={t('policy.groupName')}>
          <input value={name} required maxLength={100} onChange={(event) => setName(event.target.value)} className={`${field} block w-44`} />
        </Labelled>
        <Button type="submit">{t('policy.addGroup')}</Button>
      </form>
    </>
  );
}

/** What is agreed to one by one, and the school's own words for a grade. */
export function Agreements({ policy, onEdit, terms }: Editing & { terms: string[] }) {
  const { t } = useTranslation();
  const own = languagesOf(policy)[0] ?? 'en';
  return (
    <>
      <h2 className="font-semibold">{t('policy.commitments')}</h2>
      <p className="max-w-3xl text-sm text-soft">{t('policy.commitmentsNote')}</p>
      <ul>
        {(policy.commitments ?? []).map((c, i) => {
          const change = (to: (x: typeof c) => void) => onEdit((p) => p.commitments?.[i] && to(p.commitments[i]));
          return (
            <li key={c.id} className="border-t border-line py-2">
              <Texts long policy={policy} label={t('policy.text')} value={c.text} onChange={(text) => change((x) => (x.text = text))} />
              <div className="mt-1 flex flex-wrap items-end gap-2">
                <Labelled label={t('policy.who')}>
                  <select value={c.who} onChange={(event) => change((x) => (x.who = event.target.value))} className={`${field} block`}>
                    {['student', 'guardian', 'both'].map((who) => (
                      <option key={who} value={who}>
                        {t(`policy.whoOf.${who}`)}
                      </option>
                    ))}
                  </select>
                </Labelled>
                <List label={t('rules.forGrades')} value={c.grades} read={asNumber} onChange={(list) => change((x) => put(x, 'grades', list))} />
                <Remove label={wordsIn(c.text, own, own)} onRemove={() => onEdit((p) => p.commitments?.splice(i, 1))} />
              </div>
              <When policy={policy} value={c.when} terms={terms} onChange={(when) => change((x) => put(x, 'when', when))} />
            </li>
          );
        })}
      </ul>
      <Button
        className="mt-2"
        onClick={() =>
          onEdit((p) => {
            p.commitments ??= [];
            p.commitments.push({
              id: nextId(
                'agreement',
                p.commitments.map((x) => x.id),
              ),
              who: 'both',
              text: t('policy.newCommitment'),
            });
          })
        }
      >
        {t('policy.addCommitment')}
      </Button>
      <h2 className="mt-8 font-semibold">{t('policy.welcome')}</h2>
      <p className="max-w-3xl text-sm text-soft">{t('policy.welcomeNote')}</p>
      <ul>
        {(policy.welcome ?? []).map((w, i) => (
          <li key={i} className="border-t border-line py-2">
            <Texts
              long
              policy={policy}
              label={t('policy.text')}
              value={w.text}
              onChange={(text) => onEdit((p) => p.welcome?.[i] && (p.welcome[i].text = text))}
            />
            <div className="mt-1 flex flex-wrap items-end gap-2">
              <List
                label={t('rules.forGrades')}
                value={w.grades}
                read={asNumber}
                onChange={(list) => onEdit((p) => p.welcome?.[i] && put(p.welcome[i], 'grades', list))}
              />
              <Remove label={wordsIn(w.text, own, own)} onRemove={() => onEdit((p) => p.welcome?.splice(i, 1))} />
            </div>
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={() => onEdit((p) => (p.welcome = [...(p.welcome ?? []), { text: t('policy.newWelcome') }]))}>
        {t('policy.addWelcome')}
      </Button>
    </>
  );
}

/** The days without school, one by one or from one to another. */
export function Holidays({ policy, onEdit }: Editing) {
  const { t } = useTranslation();
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const days = policy.holidays ?? [];
  return (
    <section className="mt-8" aria-label={t('policy.holidays')}>
      <h2 className="font-semibold">{t('policy.holidays')}</h2>
      <ul className="flex flex-wrap gap-x-5">
        {days.map((d, i) => (
          <li key={d} className="flex items-baseline gap-2">
            {readable(d) ? day(d) : d}
            <Remove label={readable(d) ? day(d) : d} onRemove={() => onEdit((p) => p.holidays?.splice(i, 1))} />
          </li>
        ))}
      </ul>
      <form
        className="mt-2 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          onEdit((p) => (p.holidays = [...new Set([...(p.holidays ?? []), ...weekdays(from, to || from)])].sort()));
          setFrom('');
          setTo('');
        }}
      >
        <Labelled label={t('policy.fromDay')}>
          <input type="date" required value={from} onChange={(event) => setFrom(event.target.value)} className={`${field} block`} />
        </Labelled>
        <Labelled label={t('policy.toDay')}>
          <input type="date" min={from} value={to} onChange={(event) => setTo(event.target.value)} className={`${field} block`} />
        </Labelled>
        <Button type="submit">{t('policy.addHoliday')}</Button>
      </form>
    </section>
  );
}

const readable = (d: string) => !Number.isNaN(Date.parse(`${d}T00:00:00Z`));

/** The days from one to another, except for Saturdays and Sundays; at most a year of them. */
function weekdays(from: string, to: string) {
  const list: string[] = [];
  for (let at = new Date(`${from}T00:00:00Z`), n = 0; at <= new Date(`${to}T00:00:00Z`) && n < 366; at.setUTCDate(at.getUTCDate() + 1), n++)
    if (at.getUTCDay() % 6 !== 0) list.push(at.toISOString().slice(0, 10));
  return list;
}
