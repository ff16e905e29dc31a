import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import type { ClassView } from '../api/client';
import { Button } from '../kit/controls';
import { Mark } from '../kit/marks';
import { join, needWords } from '../shared/words';

export type Pupil = ClassView['pupils'][number];
export type Column = ClassView['columns'][number];

/** A course for a student: the teacher's word, or whether its condition holds. */
export function Cell(props: { pupil: Pupil; column: Column; cell: Pupil['cells'][number] | undefined; title: string; onGive: () => void }) {
  const { t } = useTranslation();
  const { pupil, cell } = props;
  if (!cell || cell.verdict === 'none') return <span className="text-sm text-soft">{t('teach.notOffered')}</span>;
  const given = pupil.word === props.column.course;
  const { holds } = cell;
  const needs = (cell.lacks ?? []).map((n) => needWords(t, { title: () => n.title ?? '' }, n));
  const words = given ? t('teach.word') : holds ? t('teach.may') : t('teach.lacks', { needs: join(t, needs) });
  return (
    <button
      type="button"
      aria-pressed={given}
      aria-label={`${props.title}, ${pupil.given} ${pupil.family}: ${words}`}
      disabled={!pupil.may.allowed}
      onClick={props.onGive}
      className={`min-h-11 w-full desk:min-h-7 min-w-28 rounded-sm border px-2 text-start text-sm ${given ? 'border-ink font-semibold' : 'border-line text-soft'} ${holds ? 'bg-card' : 'hatch'}`}
    >
      <span className={holds ? '' : 'rounded-sm bg-card px-1 text-ochre'}>
        {given && <Mark kind="settled" />} {words}
      </span>
    </button>
  );
}

/** Why, in a few words; Escape leaves it as it was. */
export function Why({ label, value, onKeep, onLeave }: { label: string; value: string; onKeep: (text: string) => void; onLeave: () => void }) {
  const { t } = useTranslation();
  const [text, setText] = useState(value);
  return (
    <form
      className="flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(text);
      }}
    >
      <input
        autoFocus
        aria-label={label}
        placeholder={label}
        maxLength={120}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === 'Escape' && onLeave()}
        className="min-h-8 min-w-0 flex-1 rounded border border-edge bg-card px-2"
      />
      <Button type="submit">{t('teach.keep')}</Button>
    </form>
  );
}
