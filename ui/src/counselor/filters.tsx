import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { useLocation } from 'wouter';
import type { Year } from '../api/client';
import { type Caseload, type Filter, dropView, saveView, useViews } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { SearchField } from '../kit/searchfield';
import type { Book } from '../shared/words';

type Counts = Caseload['counts'];

/** How many students are where, as one strip whose parts choose the list below. */
export function Flow(props: { counts: Counts['stages']; stage: string | undefined; onStage: (stage: string) => void }) {
  const { t } = useTranslation();
  return (
    <div className="mb-3 flex rounded border border-line bg-card max-desk:grid max-desk:grid-cols-3">
      {props.counts.map((s) => (
        <button
          key={s.id}
          type="button"
          aria-pressed={props.stage === s.id}
          onClick={() => props.onStage(s.id)}
          style={{ flexGrow: Math.max(1, Math.sqrt(s.students)) }}
          className={`shrink-0 basis-24 border-e border-line px-3 py-1 text-start text-sm last:border-e-0 ${s.id === 'waiting' ? 'hatch' : 'hover:bg-wash'} aria-pressed:shadow-[inset_0_-3px_0_var(--ink)]`}
        >
          <span className={s.id === 'waiting' ? 'inline-block rounded-sm bg-card px-1 text-ochre' : 'text-soft'}>
            <b className="block text-base leading-tight font-semibold text-ink">{s.students}</b>
            {t(`caseload.stage.${s.id}`)}
          </span>
        </button>
      ))}
    </div>
  );
}

const field = 'min-h-8 text-ellipsis rounded border border-edge bg-card px-1 text-ink max-desk:min-h-11';

/** What the list is chosen by, and the choices that the reader keeps by name. */
export function Filters(props: { at: Year; book: Book; caseload: Caseload; filter: Filter; office: boolean; onFilter: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { caseload, filter, onFilter, book } = props;
  const { counts } = caseload;
  const [text, setText] = useState(filter.text ?? '');
  const [course, setCourse] = useState(filter.course ? book.title(filter.course) : '');
  const some = (['reason', 'grade', 'program', 'course', 'counselor', 'text'] as const).some((key) => filter[key]);
  const pick = (key: 'grade' | 'program' | 'counselor', list: Counts['grades'], word: (c: Counts['grades'][number]) => string) =>
    (list.length > 1 || filter[key]) && (
      <select aria-label={t(`caseload.by.${key}`)} value={filter[key] ?? ''} onChange={(event) => onFilter({ [key]: event.target.value })} className={field}>
        <option value="">{t(`caseload.any.${key}`)}</option>
        {list.map((c) => (
          <option key={c.id} value={c.id}>
            {t('caseload.option', { what: word(c), count: c.students })}
          </option>
        ))}
      </select>
    );
  return (
    <div className="flex flex-wrap items-center gap-1.5 py-2 desk:pe-4">
      <SearchField
        label={t('caseload.find')}
        value={text}
        onChange={(text) => {
          setText(text);
          onFilter({ text });
        }}
        className="min-h-8 min-w-36 flex-1"
      />
      <select
        aria-label={t('caseload.by.reason')}
        value={filter.reason ?? ''}
        onChange={(event) => onFilter({ reason: event.target.value, stage: event.target.value ? '' : filter.stage })}
        className={`${field} max-w-52 pe-6`}
      >
        <option value="">{t('caseload.any.reason')}</option>
        {counts.reasons.map((c) => (
          <option key={c.id} value={c.id}>
            {t('caseload.option', { what: t(`caseload.reason.${c.id}`), count: c.students })}
          </option>
        ))}
      </select>
      {pick('grade', counts.grades, (c) => t('caseload.grade', { grade: c.id }))}
      {pick('program', counts.programs, (c) => c.id)}
      {(!caseload.mine || filter.counselor) && pick('counselor', counts.counselors, (c) => c.name ?? c.id)}
      <input
        list="courses-there"
        aria-label={t('caseload.by.course')}
        placeholder={t('caseload.by.course')}
        value={course}
        onChange={(event) => {
          setCourse(event.target.value);
          const wanted = event.target.value.trim().toLowerCase();
          const found = book.catalog.courses.find((c) => c.code.toLowerCase() === wanted || c.title.toLowerCase() === wanted);
          if (found || !wanted) onFilter({ course: found?.code ?? '' });
        }}
        className={`${field} w-36 px-2 placeholder:text-soft`}
      />
      <datalist id="courses-there">
        {book.catalog.courses.map((c) => (
          <option key={c.code} value={c.title}>
            {c.code}
          </option>
        ))}
      </datalist>
      {!props.office && (
        <select
          aria-label={t('caseload.scope')}
          value={filter.all === 'true' ? 'all' : 'mine'}
          onChange={(event) => onFilter({ all: event.target.value === 'all' ? 'true' : '', counselor: '' })}
          className={field}
        >
          <option value="mine">{t('caseload.mine')}</option>
          <option value="all">{t('caseload.all')}</option>
        </select>
      )}
      {some && (
        <button
          type="button"
          className="min-h-8 inked-link"
          onClick={() => {
            setText('');
            setCourse('');
            onFilter({ reason: '', grade: '', program: '', course: '', counselor: '', text: '', stage: 'waiting' });
          }}
        >
          {t('caseload.reset')}
        </button>
      )}
      <Views at={props.at} filter={filter} some={some} />
    </div>
  );
}

/** The filters that the reader keeps by name. */
function Views(props: { at: Year; filter: Filter; some: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [path, go] = useLocation();
  const [naming, setNaming] = useState(false);
  const views = useViews(props.at).data ?? [];
  const onSettled = () => client.invalidateQueries({ queryKey: ['views'] });
  const save = useMutation({ mutationFn: (name: string) => saveView(props.at, { name, filter: Object.entries(props.filter).flat() }), onSettled });
  const drop = useMutation({ mutationFn: (name: string) => dropView(props.at, name), onSettled });
  const query = (pairs: string[]) => {
    const out = new URLSearchParams();
    for (let i = 0; i + 1 < pairs.length; i += 2) if (pairs[i + 1]) out.set(pairs[i] ?? '', pairs[i + 1] ?? '');
    return out;
  };
  const same = (pairs: string[]) => {
    const a = query(pairs);
    const b = query(Object.entries(props.filter).flat());
    a.sort();
    b.sort();
    return String(a) === String(b);
  };
  const here = views.find((v) => same(v.filter));
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const name = String(new FormData(event.currentTarget).get('name') ?? '').trim();
    if (name) save.mutate(name, { onSuccess: () => setNaming(false) });
  }
  return (
    <>
      {views.length > 0 && (
        <select
          aria-label={t('caseload.views')}
          value={here?.name ?? ''}
          onChange={(event) => {
            const view = views.find((v) => v.name === event.target.value);
            if (view) {
              const next = query(view.filter);
              if (!next.get('stage')) next.set('stage', 'any');
              go(`${path}?${next}`, { replace: true });
            }
          }}
          className={field}
        >
          <option value="">{t('caseload.views')}</option>
          {views.map((v) => (
            <option key={v.name}>{v.name}</option>
          ))}
        </select>
      )}
      {here && (
        <button type="button" className="min-h-8 inked-link" onClick={() => drop.mutate(here.name)}>
          {t('caseload.forget')}
        </button>
      )}
      {props.some && !here && !naming && (
        <button type="button" className="min-h-8 inked-link" onClick={() => setNaming(true)}>
          {t('caseload.keep')}
        </button>
      )}
      {naming && !here && (
        <form className="flex gap-1" onSubmit={submit}>
          <input
            name="name"
            required
            maxLength={60}
            autoFocus
            aria-label={t('caseload.keepName')}
            placeholder={t('caseload.keepName')}
            className={`${field} w-40 px-2`}
          />
          <Button type="submit" disabled={save.isPending}>
            {t('caseload.keepNow')}
          </Button>
        </form>
      )}
      <Refusal text={save.error ? errorWords(t, save.error) : drop.error ? errorWords(t, drop.error) : undefined} />
    </>
  );
}
