import { type ReactNode, useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { languageName } from '../i18n';
import { type Count, type Policy, type Selection, type Words, languagesOf, selectionWords, setWords, wordsIn } from './policy';

export const field = 'min-h-9 rounded border border-edge bg-card px-2 max-desk:min-h-11';
export const blank = 'min-h-7 rounded-none border-0 border-b border-dashed border-edge bg-transparent px-1 font-semibold max-desk:min-h-11';

/** What an editor of a part of policy.json is given. */
export interface Editing {
  policy: Policy;
  onEdit: (change: (p: Policy) => void) => void;
}

/** A label over a field. */
export function Labelled({ label, children, className = '' }: { label: string; children: ReactNode; className?: string }) {
  return (
    <label className={`block text-sm ${className}`}>
      <span className="text-soft">{label}</span>
      {children}
    </label>
  );
}

/** A list of words or numbers, written with commas between them. */
export function List<T extends string | number>(props: {
  label: string;
  value: T[] | undefined;
  read: (word: string) => T | undefined;
  onChange: (value: T[] | undefined) => void;
  wide?: boolean;
}) {
  const parse = (text: string) => text.split(',').flatMap((word) => (word.trim() === '' ? [] : (props.read(word.trim()) ?? [])));
  const [text, setText] = useState((props.value ?? []).join(', '));
  const [seen, setSeen] = useState(props.value);
  if (props.value !== seen) {
    setSeen(props.value);
    if (parse(text).join() !== (props.value ?? []).join()) setText((props.value ?? []).join(', '));
  }
  return (
    <Labelled label={props.label}>
      <input
        value={text}
        maxLength={4000}
        spellCheck={false}
        onChange={(event) => {
          setText(event.target.value);
          const list = parse(event.target.value);
          props.onChange(list.length ? list : undefined);
        }}
        className={`${field} block ${props.wide ? 'w-full' : 'w-44'}`}
      />
    </Labelled>
  );
}

export const asWord = (word: string) => word;
export const asNumber = (word: string) => (Number.isFinite(Number(word)) ? Number(word) : undefined);

/** A number that may be left out. */
export function Amount(props: { label: string; value: number | undefined; onChange: (value: number | undefined) => void; step?: number | 'any' }) {
  return (
    <Labelled label={props.label}>
      <input
        type="number"
        min={0}
        step={props.step ?? 'any'}
        value={props.value ?? ''}
        onChange={(event) => props.onChange(event.target.value === '' ? undefined : Number(event.target.value))}
        className={`${field} block w-24`}
      />
    </Labelled>
  );
}

/** A text, a field for each language of the school. */
export function Texts(props: Pick<Editing, 'policy'> & { label: string; value: Words | undefined; long?: boolean; onChange: (value: Words) => void }) {
  const languages = languagesOf(props.policy);
  const own = languages[0] ?? 'en';
  return (
    <div className="grid gap-2 desk:grid-cols-2">
      {languages.map((language) => {
        const more = {
          lang: language,
          value: wordsIn(props.value, language, own),
          maxLength: 4000,
          onChange: (event: { target: { value: string } }) => props.onChange(setWords(props.value, language, own, event.target.value)),
          className: `${field} block w-full py-1`,
        };
        return (
          <Labelled key={language} label={languages.length > 1 ? `${props.label} (${languageName(language)})` : props.label}>
            {props.long ? <textarea rows={2} {...more} /> : <input {...more} />}
          </Labelled>
        );
      })}
    </div>
  );
}

/** Which courses are meant: all, a group, or those that are named, except for others. */
export function Of(props: Pick<Editing, 'policy'> & { value: Selection | undefined; periods?: boolean; onChange: (value: Selection) => void; but?: string }) {
  const { t } = useTranslation();
  const { policy, onChange } = props;
  const value = props.value ?? 'all';
  const named = typeof value === 'object' ? value : undefined;
  const put = (key: 'subjects' | 'tags' | 'courses', list: string[] | undefined) => onChange(clean({ ...named, [key]: list }));
  const not = typeof named?.not === 'object' && named.not.not === undefined ? named.not : undefined;
  return (
    <div className="flex flex-wrap items-end gap-2">
      <Labelled label={t('rules.which')}>
        <select
          value={named ? 'named' : (value as string)}
          onChange={(event) => onChange(event.target.value === 'named' ? { subjects: [] } : event.target.value)}
          className={`${field} block`}
        >
          <option value="all">{t('rules.every')}</option>
          {Object.keys(policy.groups ?? {})
            .filter((g) => g !== props.but)
            .map((g) => (
              <option key={g} value={`group:${g}`}>
                {t('rules.group', { name: g })}
              </option>
            ))}
          <option value="named">{t('rules.named')}</option>
        </select>
      </Labelled>
      {named && (
        <>
          {(['subjects', 'tags', 'courses'] as const).map((key) => (
            <List key={key} label={t(`rules.by.${key}`)} value={named[key]} read={asWord} onChange={(list) => put(key, list)} />
          ))}
          {props.periods && (
            <List label={t('rules.by.periods')} value={named.periods} read={asNumber} onChange={(list) => onChange(clean({ ...named, periods: list }))} />
          )}
          {named.not === undefined || not ? (
            (['subjects', 'tags', 'courses'] as const).map((key) => (
              <List
                key={`not ${key}`}
                label={t(`rules.butNot.${key}`)}
                value={not?.[key]}
                read={asWord}
                onChange={(list) => {
                  const next = clean({ ...not, [key]: list });
                  onChange(clean({ ...named, not: Object.keys(next).length ? next : undefined }));
                }}
              />
            ))
          ) : (
            <span className="text-sm text-soft">
              {selectionWords(t, { not: named.not })} {t('rules.inJson')}
            </span>
          )}
        </>
      )}
    </div>
  );
}

/** Leaves out what is not given; a selection that names nothing selects all but what it leaves out. */
function clean(s: Exclude<Selection, string>): Exclude<Selection, string> {
  return Object.fromEntries(Object.entries(s).filter(([, v]) => v !== undefined)) as Exclude<Selection, string>;
}

/** What is counted, among what, in which term. */
export function Counting(
  props: Pick<Editing, 'policy'> & { value: Count; usual?: string; terms: string[]; bounds?: boolean; onChange: (change: (c: Count) => void) => void },
) {
  const { t } = useTranslation();
  const { value, onChange, usual = 'requests' } = props;
  const ons = ['requests', 'alternates', 'both', 'taken', 'earned', 'summer', ...(usual === 'sections' || value.on === 'sections' ? ['sections'] : [])];
  const id = useId();
  const choose = (key: 'on' | 'measure' | 'term', label: string, options: [string, string][], chosen: string, unless: string) => (
    <Labelled label={label}>
      <select
        id={`${id}${key}`}
        value={chosen}
        onChange={(event) => {
          const next = event.target.value;
          onChange((c) => {
            if (next === unless) Reflect.deleteProperty(c, key);
            else c[key] = next;
          });
        }}
        className={`${field} block`}
      >
        {options.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </select>
    </Labelled>
  );
  return (
    <div className="flex flex-wrap items-end gap-2">
      {choose(
        'measure',
        t('rules.measure'),
        ['courses', 'credits', 'load'].map((m) => [m, t(`rules.measures.${m}`)]),
        value.measure ?? 'courses',
        'courses',
      )}
      {choose(
        'on',
        t('rules.among'),
        ons.map((o) => [o, t(`rules.on.${o}`)]),
        value.on ?? usual,
        usual,
      )}
      {choose('term', t('rules.inTerm'), [['', t('rules.wholeYear')], ...props.terms.map((x): [string, string] => [x, x])], value.term ?? '', '')}
      <Of
        policy={props.policy}
        value={value.of}
        periods={usual === 'sections'}
        onChange={(of) =>
          onChange((c) => {
            if (of === 'all') delete c.of;
            else c.of = of;
          })
        }
      />
      {props.bounds &&
        (['min', 'max'] as const).map((key) => (
          <Amount key={key} label={t(key === 'min' ? 'rules.atLeast' : 'rules.atMost')} value={value[key]} onChange={(n) => onChange((c) => put(c, key, n))} />
        ))}
    </div>
  );
}

/** Sets a key, or leaves it out. */
export function put<T extends object, K extends keyof T>(of: T, key: K, value: T[K] | undefined) {
  if (value === undefined) Reflect.deleteProperty(of, key);
  else of[key] = value;
}

/** A count that must hold for something to be in force; none: always. */
export function When(props: Pick<Editing, 'policy'> & { value: Count | undefined; terms: string[]; onChange: (value: Count | undefined) => void }) {
  const { t } = useTranslation();
  const { value, onChange } = props;
  return (
    <fieldset className="mt-2">
      <legend className="text-sm">
        <label className="flex min-h-8 items-center gap-2">
          <input
            type="checkbox"
            checked={value !== undefined}
            onChange={(event) => onChange(event.target.checked ? { min: 1 } : undefined)}
            className="size-5 accent-(--ink)"
          />
          {t('rules.onlyWhere')}
        </label>
      </legend>
      {value && (
        <Counting
          policy={props.policy}
          value={value}
          terms={props.terms}
          bounds
          onChange={(change) => {
            const next = { ...value };
            change(next);
            onChange(next);
          }}
        />
      )}
    </fieldset>
  );
}

/** What takes an item away. */
export function Remove({ label, onRemove }: { label: string; onRemove: () => void }) {
  const { t } = useTranslation();
  return (
    <button type="button" className="min-h-7 text-sm inked-link" aria-label={t('rules.removeOf', { label })} onClick={onRemove}>
      {t('rules.remove')}
    </button>
  );
}

/** What opens all of an item. */
export function More({ label, open, onOpen }: { label: string; open: boolean; onOpen: (open: boolean) => void }) {
  const { t } = useTranslation();
  return (
    <button type="button" className="min-h-7 text-sm inked-link" aria-expanded={open} aria-label={t('rules.moreOf', { label })} onClick={() => onOpen(!open)}>
      {t('rules.more')}
    </button>
  );
}
