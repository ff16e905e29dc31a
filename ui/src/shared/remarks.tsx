import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type Sheet, api, ask, keys, placeOf } from '../api/client';
import { errorWords } from './errors';
import type { Book } from './words';
import { Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { Say } from './say';

const path = '/api/schools/{school}/years/{year}/students/{student}/remarks' as const;

type Kind = 'question' | 'comment' | 'wrong' | 'later';
type Said = { kind: Kind; course?: string; rule?: string; text: string } | { id: number; answer: string };

/**
 * What was asked and said about a sheet, or about one course of it, with the school's answers; the family asks, says that something is
 * wrong or put off, and the school answers. With a head of its own it has what was answered alone, and is not there where nothing was.
 */
export function Remarks({ book, sheet, course, kinds, head }: { book: Book; sheet: Sheet; course?: string; kinds: Kind[]; head?: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const place = placeOf(sheet);
  const key = ['remarks', place.school, place.year, place.student, sheet.version];
  const remarks = useQuery({ queryKey: key, queryFn: () => ask(api.GET(path, { params: { path: place } })), enabled: !sheet.draft });
  const act = useMutation({
    mutationFn: (body: Said) =>
      'id' in body
        ? ask(api.POST(`${path}/{id}/answer`, { params: { path: { ...place, id: body.id } }, body: { answer: body.answer } }))
        : ask(api.POST(path, { params: { path: place }, body })),
    onSuccess: (said) => {
      client.setQueryData(key, said);
      void client.invalidateQueries({ queryKey: keys.sheet(place) });
    },
  });
  if (!remarks.data) return null;
  const list = remarks.data.remarks.filter((r) => r.kind !== 'family' && (course === undefined || r.course === course) && (!head || r.answer));
  if (head && list.length === 0) return null;
  return (
    <div className="text-sm">
      {head && <h2 className="font-semibold">{head}</h2>}
      <ul>
        {list.map((r) => (
          <li key={r.id} className="border-t border-line py-1.5">
            <p>
              <span className="text-soft">
                {r.by}, {when(r.at)} · {t(`remark.kind.${r.kind}`)}
                {!course && r.course && ` · ${book.title(r.course)}`}
                {r.rule && ` · ${book.rule(r.rule)?.label ?? r.rule}`}:
              </span>{' '}
              “{r.text}”
            </p>
            {r.answer ? (
              <p className="ps-3">
                <span className="text-soft">{r.answeredBy}:</span> “{r.answer}”
              </p>
            ) : remarks.data.answer ? (
              <Say
                label={t('remark.answer')}
                action={t('remark.answerGo')}
                busy={act.isPending}
                onSay={(answer, taken) => act.mutate({ id: r.id, answer }, { onSuccess: taken })}
              />
            ) : (
              <p className="ps-3 text-soft">{t('remark.waits', { who: sheet.student.counselor ?? t('theCounselor') })}</p>
            )}
          </li>
        ))}
      </ul>
      {kinds.length > 0 && remarks.data.remark.allowed && !remarks.data.answer && (
        <Ask book={book} sheet={sheet} course={course} kinds={kinds} busy={act.isPending} onSay={(said, taken) => act.mutate(said, { onSuccess: taken })} />
      )}
      <Refusal text={act.error ? errorWords(t, act.error) : undefined} />
    </div>
  );
}

/** Asks, says that something is wrong or missing, or that a rule is put off. */
function Ask(props: { book: Book; sheet: Sheet; course?: string; kinds: Kind[]; busy: boolean; onSay: (said: Said, taken: () => void) => void }) {
  const { t } = useTranslation();
  const { book, sheet, course, kinds } = props;
  const [kind, setKind] = useState<Kind>(kinds[0] ?? 'question');
  const [rule, setRule] = useState(sheet.rules[0]?.id ?? '');
  return (
    <div className="mt-2">
      {kinds.length > 1 && (
        <div className="flex flex-wrap gap-x-4">
          {kinds.map((k) => (
            <label key={k} className="flex min-h-7 items-center gap-1.5">
              <input type="radio" name={`kind ${course ?? ''}`} className="size-4 accent-ink" checked={k === kind} onChange={() => setKind(k)} />
              {t(`remark.say.${k}`)}
            </label>
          ))}
        </div>
      )}
      {kind === 'later' && (
        <label className="mt-1 block">
          {t('remark.rule')}
          <select className="block min-h-9 rounded border border-edge bg-paper px-2" value={rule} onChange={(event) => setRule(event.target.value)}>
            {sheet.rules.map((r) => (
              <option key={r.id} value={r.id}>
                {book.rule(r.id)?.label ?? r.id}
              </option>
            ))}
          </select>
        </label>
      )}
      <Say
        label={t('remark.text', { who: sheet.student.counselor ?? t('theCounselor') })}
        action={t('remark.go')}
        busy={props.busy}
        onSay={(text, taken) => props.onSay({ kind, course, rule: kind === 'later' ? rule : undefined, text }, taken)}
      />
    </div>
  );
}
