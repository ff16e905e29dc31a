import { useMutation } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Batching, type RecordsRead, readRecords } from '../api/desks';
import type { Year } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { Pasted } from '../shared/pasted';
import type { Book } from '../shared/words';
import { BulkAct } from './bulkact';

type Row = RecordsRead['rows'][number];

/** Records of another school for many at once, each their own: a list that is pasted or dropped, read before anything is entered. */
export function Records({ at, book, onOpen }: { at: Year; book: Book; onOpen: () => void }) {
  const { t } = useTranslation();
  const [text, setText] = useState('');
  const read = useMutation({ mutationFn: (list: string) => readRecords(at, list) });
  const change = (next: string) => (setText(next), read.reset());
  const good = useMemo(() => read.data?.rows.filter((r) => r.student && !r.bad) ?? [], [read.data]);
  const bad = read.data?.rows.filter((r) => !r.student || r.bad) ?? [];
  const students = useMemo(() => [...new Map(good.flatMap((r) => (r.student ? [[r.student.id, r.student] as const] : []))).values()], [good]);
  const own = useMemo(() => good.flatMap((r): NonNullable<Batching['own']> => (r.student ? [{ student: r.student.id, record: entering(r) }] : [])), [good]);
  return (
    <details className="mt-6 border-t border-line pt-3" onToggle={(event) => event.currentTarget.open && onOpen()}>
      <summary className="min-h-8 cursor-pointer font-semibold">{t('records.head')}</summary>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          read.mutate(text);
        }}
      >
        <Pasted label={t('records.note')} value={text} rows={6} placeholder={t('records.example')} onChange={change} />
        <Refusal text={read.error ? errorWords(t, read.error) : undefined} />
        {!read.data && (
          <Button type="submit" className="mt-2" disabled={read.isPending || text.trim() === ''}>
            {t('records.read')}
          </Button>
        )}
      </form>
      {read.data && (
        <>
          <p role="status" className="mt-2">
            {t('records.found', { count: good.length, students: students.length })}
          </p>
          {bad.length + read.data.problems.length > 0 && (
            <section aria-label={t('records.bad', { count: bad.length + read.data.problems.length })} className="mt-1 rounded border p-2 text-sm hatch">
              <div className="rounded-sm bg-card p-2">
                <h3 className="font-semibold text-ochre">{t('records.bad', { count: bad.length + read.data.problems.length })}</h3>
                <ul className="max-h-48 overflow-y-auto" tabIndex={0} aria-label={t('records.rows')}>
                  {read.data.problems.map((p, i) => (
                    <li key={`p${i}`}>
                      {t('prepare.line', { line: p.line })} {p.column} <span lang="en">{p.what}</span>
                    </li>
                  ))}
                  {bad.map((r) => (
                    <li key={r.line}>
                      {t('prepare.line', { line: r.line })} <code className="font-mono">{[r.named, r.record.course || r.record.title].join(' · ')}</code>{' '}
                      <span className="text-soft">{wrong(t, r)}</span>
                    </li>
                  ))}
                </ul>
              </div>
            </section>
          )}
          {students.length > 0 && (
            <div className="mt-3">
              <BulkAct at={at} book={book} students={students} kinds={['record']} own={own} />
            </div>
          )}
        </>
      )}
    </details>
  );
}

/** What cannot be read in a row, in words. */
function wrong(t: ReturnType<typeof useTranslation>['t'], r: Row) {
  if (r.student) return t(`together.bad.${r.bad}`);
  return r.people.length
    ? t('prepare.several', { list: r.people.map((p) => `${p.family}, ${p.given} (${p.grade}, ${p.id})`).join('; ') })
    : t('prepare.unknown');
}

function entering({ record: r }: Row): NonNullable<Batching['record']> {
  const some = (text: string) => text || undefined;
  return {
    course: some(r.course),
    title: some(r.title),
    subject: some(r.subject),
    schoolYear: r.schoolYear,
    term: some(r.term),
    credits: some(r.credits),
    mark: some(r.mark),
    outcome: r.outcome as NonNullable<Batching['record']>['outcome'],
  };
}
