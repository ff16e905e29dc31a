import { useId, useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { type Book, join, termName, termsWords } from '../shared/words';
import { useHolding } from './manual';
import { letter } from './run';
import { type Schedule, type Section, type Want, plain } from './section';

/** One section: which course, when, how many seats, who and where. */
export function SectionForm(props: {
  at: Year;
  s: Schedule;
  book: Book;
  section?: Section; // as it was when this was opened; none: a new one
  now?: Section; // as it is
  busy: boolean;
  onKeep: (want: Want) => void;
  onShow: () => void; // the section as it is now
  onLike?: () => void;
  onRemove?: () => void;
}) {
  const { t } = useTranslation();
  const { s, book, section, now } = props;
  const id = useId();
  const [want, setWant] = useState<Want>(
    section ? plain(section) : { course: '', title: '', terms: [], periods: [], days: [], seats: 24, teacher: '', room: '' },
  );
  const set = (part: Partial<Want>) => setWant((w) => ({ ...w, ...part }));
  const [asked, setAsked] = useState(section ? book.title(section.course) : '');
  const courses = book.catalog.courses;
  const course = book.course(want.course);
  const spans = course?.spans ?? [];
  const choose = (text: string) => {
    setAsked(text);
    const found = courses.find((c) => c.title.toLowerCase() === text.trim().toLowerCase() || c.code.toLowerCase() === text.trim().toLowerCase());
    set({ course: found?.code ?? '', terms: found?.spans[0] ?? [] });
  };
  const field = 'block min-h-9 w-full rounded border border-edge bg-card px-2';
  const names = (of: 'teacher' | 'room') => [...new Set(s.sections.map((x) => x[of]).filter(Boolean))].sort((a, b) => a.localeCompare(b));
  const free = (of: 'teacher' | 'room') => {
    const there = s.sections.find(
      (x) =>
        x.id !== section?.id &&
        want[of] !== '' &&
        x[of].toLowerCase() === want[of].trim().toLowerCase() &&
        x.periods.some((p) => want.periods.includes(p)) &&
        x.terms.some((i) => want.terms.includes(i)) &&
        (x.days.length === 0 || want.days.length === 0 || x.days.some((d) => want.days.includes(d))),
    );
    return there && t('sections.busy', { name: want[of], course: book.title(there.course), periods: join(t, there.periods.map(String)) });
  };
  const taken = section?.taken ?? 0;
  const { holds, hold, release } = useHolding(props.at);
  const held = holds.data?.some((h) => h.kind === 'section' && h.key === section?.id);
  const numbers = (of: 'periods' | 'days', count: number, label: string) => (
    <fieldset>
      <legend className="text-sm">{label}</legend>
      <div className="flex flex-wrap gap-1">
        {Array.from({ length: count }, (_, i) => i + 1).map((n) => (
          <label
            key={n}
            className={`flex min-h-8 min-w-8 items-center justify-center gap-1 rounded border px-1 ${want[of].includes(n) ? 'border-ink bg-wash' : 'border-line'}`}
          >
            <input
              type="checkbox"
              className="size-3.5 accent-ink"
              checked={want[of].includes(n)}
              onChange={(event) => set({ [of]: event.target.checked ? [...want[of], n].sort((a, b) => a - b) : want[of].filter((x) => x !== n) })}
            />
            {n}
          </label>
        ))}
      </div>
    </fieldset>
  );
  return (
    <form
      id="section"
      aria-label={section ? book.title(section.course) : t('sections.makeHead')}
      className="space-y-2 pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        props.onKeep(want);
      }}
    >
      <h2 className="font-head text-xl font-medium">{section ? book.title(section.course) : t('sections.makeHead')}</h2>
      {section ? (
        <p className="text-sm text-soft">
          {section.id} · {section.course}
        </p>
      ) : (
        <label className="block text-sm">
          {t('sections.course')}
          <input list={`${id}c`} required value={asked} onChange={(event) => choose(event.target.value)} className={field} />
          <datalist id={`${id}c`}>
            {courses.map((c) => (
              <option key={c.code} value={c.title}>
                {c.code}
              </option>
            ))}
          </datalist>
          {asked !== '' && !course && <span className="text-ochre">{t('sections.noCourse')}</span>}
        </label>
      )}
      <label className="block text-sm">
        {t('sections.title')}
        <input
          maxLength={200}
          value={want.title}
          placeholder={course ? book.title(course.code) : ''}
          onChange={(event) => set({ title: event.target.value })}
          className={field}
        />
      </label>
      <fieldset>
        <legend className="text-sm">{t('sections.terms')}</legend>
        <div className="flex flex-wrap gap-x-4">
          {spans.map((span) => (
            <label key={span.join()} className="flex min-h-7 items-center gap-1.5">
              <input type="radio" name={`${id}t`} className="accent-ink" checked={span.join() === want.terms.join()} onChange={() => set({ terms: span })} />
              {span.length === 1 ? termName(t, book, span[0] ?? 0) : termsWords(t, book, span)}
            </label>
          ))}
        </div>
      </fieldset>
      {numbers('periods', s.periods, t('sections.periods'))}
      {s.days > 1 && numbers('days', s.days, t('sections.days'))}
      <label className="block text-sm">
        {t('sections.seatsField')}
        <input
          type="number"
          min={0}
          max={1000}
          required
          value={Number.isNaN(want.seats) ? '' : want.seats}
          onChange={(event) => set({ seats: event.target.valueAsNumber })}
          className="block min-h-9 w-24 rounded border border-edge bg-card px-2"
        />
        {section && s.run && want.seats < taken && (
          <span role="status" className="text-ochre">
            {t('sections.fewer', { run: letter(s.run), count: taken - want.seats, taken })}
          </span>
        )}
      </label>
      {(['teacher', 'room'] as const).map((of) => (
        <label key={of} className="block text-sm">
          {t(`sections.by.${of}`)}
          <input list={`${id}${of}`} maxLength={100} value={want[of]} onChange={(event) => set({ [of]: event.target.value })} className={field} />
          <datalist id={`${id}${of}`}>
            {names(of).map((n) => (
              <option key={n} value={n} />
            ))}
          </datalist>
          {free(of) && (
            <span role="status" className="text-ochre">
              {free(of)}
            </span>
          )}
        </label>
      ))}
      {section && now?.rev !== section.rev && (
        <p role="status" className="text-ochre">
          {t(now ? 'sections.meanwhile' : 'sections.goneMeanwhile')}{' '}
          {now && (
            <button type="button" className="min-h-7 inked-link" onClick={props.onShow}>
              {t('sections.showNow')}
            </button>
          )}
        </p>
      )}
      <div className="flex flex-wrap gap-2 pt-1">
        <Button type="submit" tone="dark" disabled={props.busy || !course}>
          {t(now ? 'sections.keep' : 'sections.makeIt')}
        </Button>
        {props.onLike && (
          <Button disabled={props.busy} onClick={props.onLike}>
            {t('sections.like')}
          </Button>
        )}
        {props.onRemove && (
          <Button disabled={props.busy} onClick={props.onRemove}>
            {t('sections.remove')}
          </Button>
        )}
      </div>
      {section && s.run && taken > 0 && (
        <>
          <p className="text-sm text-soft">{t('sections.inRun', { run: letter(s.run), count: taken, n: taken })}</p>
          <Button
            aria-pressed={held ?? false}
            disabled={hold.isPending || release.isPending}
            onClick={() => (held ? release.mutate({ kind: 'section', key: section.id }) : hold.mutate({ run: s.run ?? 0, kind: 'section', key: section.id }))}
          >
            {t(held ? 'place.heldSection' : 'place.holdSection')}
          </Button>
          <Refusal text={(hold.error ?? release.error) ? errorWords(t, hold.error ?? release.error) : undefined} />
        </>
      )}
    </form>
  );
}
