import { useTranslation } from 'react-i18next';
import { languageName } from '../i18n';
import { Button } from '../kit/controls';
import { Amount, type Editing, Labelled, List, Remove, Texts, asWord, blank, field, put } from './fields';
import { type Settings, type Unit, languagesOf } from './policy';

/** The choices on which schools differ, each with its values; the first is what holds where nothing is said. */
const choices = {
  editors: ['student', 'family', 'either'],
  signing: ['one', 'none', 'all'],
  paper: [true, false],
  look: ['after', 'before', 'none'],
  counselors: ['caseload', 'school'],
  overMaximum: ['flag', 'refuse'],
  belowMinimum: ['refuse', 'note'],
  exchange: [true, false],
  late: ['ask', 'no'],
  summerCounts: [false, true],
} as const;

/** What holds where nothing is said. */
const usual = { timeZone: 'UTC', language: 'en', currency: 'USD' };

/** The school's settings, frame, marks, and whom to ask. */
export function SettingsPart({ policy, onEdit }: Editing) {
  const { t } = useTranslation();
  const set = (change: (s: Settings) => void) =>
    onEdit((p) => {
      p.settings ??= {};
      change(p.settings);
    });
  const now = policy.settings ?? {};
  return (
    <>
      <dl>
        {Object.entries(choices).map(([key, values]) => (
          <div key={key} className="grid items-baseline gap-x-4 border-t border-line py-1 desk:grid-cols-[18rem_minmax(0,1fr)]">
            <dt id={`setting-${key}`}>{t(`policy.setting.${key}`)}</dt>
            <dd>
              <select
                aria-labelledby={`setting-${key}`}
                value={String(now[key] ?? values[0])}
                onChange={(event) => {
                  const value = values.find((v) => String(v) === event.target.value);
                  set((s) => put(s, key, value === values[0] ? undefined : value));
                }}
                className={`${blank} w-full`}
              >
                {values.map((v) => (
                  <option key={String(v)} value={String(v)}>
                    {t(`policy.value.${key}.${v}`)}
                  </option>
                ))}
              </select>
            </dd>
          </div>
        ))}
      </dl>
      <div className="mt-4 flex flex-wrap gap-3">
        <Labelled label={t('policy.timeZone')}>
          <input
            list="zones"
            value={now.timeZone ?? ''}
            placeholder={usual.timeZone}
            onChange={(event) => set((s) => put(s, 'timeZone', event.target.value || undefined))}
            className={`${field} block w-52`}
          />
          <datalist id="zones">
            {Intl.supportedValuesOf('timeZone').map((z) => (
              <option key={z} value={z} />
            ))}
          </datalist>
        </Labelled>
        <Labelled label={t('policy.language')}>
          <input
            value={now.language ?? ''}
            placeholder={usual.language}
            maxLength={35}
            onChange={(event) => set((s) => put(s, 'language', event.target.value || undefined))}
            className={`${field} block w-24`}
          />
        </Labelled>
        <List label={t('policy.languages')} value={now.languages} read={asWord} onChange={(list) => set((s) => put(s, 'languages', list))} />
        <Labelled label={t('policy.currency')}>
          <input
            value={now.currency ?? ''}
            placeholder={usual.currency}
            maxLength={3}
            onChange={(event) => set((s) => put(s, 'currency', event.target.value.toUpperCase() || undefined))}
            className={`${field} block w-24`}
          />
        </Labelled>
      </div>
      <UnitPart policy={policy} onSet={set} />
      <div className="mt-4 flex flex-wrap items-end gap-3">
        {(['periods', 'days', 'firstGrade', 'lastGrade'] as const).map((key) => (
          <Amount key={key} step={1} label={t(`policy.frame.${key}`)} value={policy[key]} onChange={(n) => onEdit((p) => put(p, key, n))} />
        ))}
        <label className="flex min-h-9 items-center gap-2 text-sm">
          <input
            type="checkbox"
            checked={policy.placement?.seniority ?? false}
            onChange={(event) => {
              const on = event.target.checked;
              onEdit((p) => {
                p.placement = { ...p.placement, seniority: on };
              });
            }}
            className="size-5 accent-(--ink)"
          />
          {t('policy.seniority')}
        </label>
        <Labelled label={t('policy.take')}>
          <select
            value={policy.placement?.take ?? 'approved'}
            onChange={(event) => {
              const take = event.target.value;
              onEdit((p) => {
                p.placement = { ...p.placement, take };
              });
            }}
            className={field}
          >
            {['approved', 'signed', 'submitted'].map((x) => (
              <option key={x} value={x}>
                {t(`policy.takeOf.${x}`)}
              </option>
            ))}
          </select>
        </Labelled>
      </div>
      <List
        wide
        label={t('policy.marks')}
        value={policy.marks && Object.entries(policy.marks).map(([name, n]) => `${name} = ${n}`)}
        read={asWord}
        onChange={(list) => onEdit((p) => put(p, 'marks', list && marksOf(list)))}
      />
      <Contacts policy={policy} onSet={set} />
    </>
  );
}

/** Reads “B+ = 88”; what is not written so far is kept as it is typed, and named by the server. */
function marksOf(list: string[]) {
  return Object.fromEntries(
    list.map((item) => {
      const [name = '', number = ''] = item.split('=').map((part) => part.trim());
      return [name, Number(number)];
    }),
  );
}

type Setting = Pick<Editing, 'policy'> & { onSet: (change: (s: Settings) => void) => void };

/** What the school calls its credits, in each language. */
function UnitPart({ policy, onSet }: Setting) {
  const { t } = useTranslation();
  const languages = languagesOf(policy);
  const unit = policy.settings?.unit;
  const plain = unit && typeof unit.one === 'string' ? (unit as Unit) : undefined;
  const of = (language: string, i: number): Unit | undefined =>
    plain ? (i === 0 ? plain : undefined) : (unit as Record<string, Unit> | undefined)?.[language];
  const change = (language: string, key: keyof Unit, text: string) =>
    onSet((s) => {
      const all = Object.fromEntries(languages.map((l, i) => [l, of(l, i)]).filter(([, u]) => u)) as Record<string, Unit>;
      const next = { one: '', other: '', ...all[language], [key]: text };
      if (next.one || next.other) all[language] = next;
      else Reflect.deleteProperty(all, language);
      put(s, 'unit', Object.keys(all).length ? all : undefined);
    });
  return (
    <fieldset className="mt-4 flex flex-wrap items-end gap-3">
      <legend className="text-sm text-soft">{t('policy.unit')}</legend>
      {languages.map((language, i) =>
        (['one', 'other'] as const).map((key) => (
          <Labelled key={`${language} ${key}`} label={`${t(`policy.unitOf.${key}`)} (${languageName(language)})`}>
            <input
              lang={language}
              value={of(language, i)?.[key] ?? ''}
              maxLength={40}
              onChange={(event) => change(language, key, event.target.value)}
              className={`${field} block w-32`}
            />
          </Labelled>
        )),
      )}
    </fieldset>
  );
}

/** Whom to ask, and what happens when. */
function Contacts({ policy, onSet }: Setting) {
  const { t } = useTranslation();
  const { contacts = [], stages = [] } = policy.settings ?? {};
  return (
    <>
      <h3 className="mt-6 font-semibold">{t('policy.contacts')}</h3>
      <ul>
        {contacts.map((c, i) => (
          <li key={i} className="flex flex-wrap items-end gap-2 border-t border-line py-1.5">
            <Labelled label={t('policy.contact.for')}>
              <select
                value={c.for}
                onChange={(event) => onSet((s) => s.contacts?.[i] && (s.contacts[i].for = event.target.value))}
                className={`${field} block`}
              >
                {['courses', 'readiness', 'technical'].map((x) => (
                  <option key={x} value={x}>
                    {t(`policy.contactFor.${x}`)}
                  </option>
                ))}
              </select>
            </Labelled>
            {(['name', 'phone', 'mail', 'book'] as const).map((key) => (
              <Labelled key={key} label={t(`policy.contact.${key}`)}>
                <input
                  value={c[key] ?? ''}
                  maxLength={300}
                  onChange={(event) =>
                    onSet((s) => {
                      const x = s.contacts?.[i];
                      if (!x) return;
                      if (event.target.value) x[key] = event.target.value;
                      else Reflect.deleteProperty(x, key);
                    })
                  }
                  className={`${field} block w-40`}
                />
              </Labelled>
            ))}
            <Remove label={c.name ?? ''} onRemove={() => onSet((s) => s.contacts?.splice(i, 1))} />
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={() => onSet((s) => (s.contacts = [...(s.contacts ?? []), { for: 'courses', name: t('policy.newContact') }]))}>
        {t('policy.addContact')}
      </Button>
      <h3 className="mt-6 font-semibold">{t('policy.stages')}</h3>
      <ul>
        {stages.map((stage, i) => (
          <li key={i} className="flex flex-wrap items-end gap-2 border-t border-line py-1.5">
            <Labelled label={t('policy.from')}>
              <input
                value={stage.from}
                maxLength={16}
                placeholder="2027-03-12T16:00"
                onChange={(event) => onSet((s) => s.stages?.[i] && (s.stages[i].from = event.target.value))}
                className={`${field} block w-44`}
              />
            </Labelled>
            <div className="min-w-0 flex-1">
              <Texts
                policy={policy}
                label={t('policy.text')}
                value={stage.text}
                onChange={(text) => onSet((s) => s.stages?.[i] && (s.stages[i].text = text))}
              />
            </div>
            <Remove label={stage.from} onRemove={() => onSet((s) => s.stages?.splice(i, 1))} />
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={() => onSet((s) => (s.stages = [...(s.stages ?? []), { from: '', text: '' }]))}>
        {t('policy.addStage')}
      </Button>
    </>
  );
}
