import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Sheet } from '../api/client';
import { useWhatIf } from '../api/workspace';
import { errorWords } from '../shared/errors';
import { Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { Mark, SubjectTab, subjectTab } from '../kit/marks';
import { join, termName } from '../shared/words';
import { ruleNumbers } from './effectwords';
import { layOut } from './layout';
import type { Desk } from './desk';

/** Takes requests away and shows the year that results, with the alternates that come in. Nothing is changed by it. */
export function WhatIfDialog({ desk, first, onClose }: { desk: Desk; first?: string; onClose: () => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const [lost, setLost] = useState<string[]>(first ? [first] : []);
  const view = useWhatIf(sheet, lost);
  const label = (id: string) => book.rule(id)?.label ?? id;
  const titles = (codes: string[]) => join(t, codes.map(book.title));
  const result = lost.length > 0 ? view.data : undefined;
  return (
    <Dialog open onClose={onClose} title={t('whatif.title')}>
      <p className="mb-2 text-sm text-soft">{t('whatif.note')}</p>
      <fieldset>
        <legend className="text-sm text-soft">{t('whatif.pick')}</legend>
        <div className="flex flex-wrap gap-x-4">
          {sheet.requests.map((e) => (
            <label key={e.course} className="flex min-h-8 items-center gap-1.5">
              <input
                type="checkbox"
                className="size-5 accent-(--ink)"
                checked={lost.includes(e.course)}
                onChange={(event) => setLost(event.target.checked ? [...lost, e.course] : lost.filter((c) => c !== e.course))}
              />
              {book.title(e.course)}
            </label>
          ))}
        </div>
      </fieldset>
      <div role="status" className="mt-3">
        {!result && <p className="text-soft">{lost.length ? t('page.reckoning') : t('whatif.none')}</p>}
        {result?.lost.map((x) => (
          <p key={x.course}>
            {x.mend?.length
              ? t('whatif.comes', { lost: book.title(x.course), courses: titles(x.mend) })
              : x.covered
                ? t('whatif.free', { lost: book.title(x.course) })
                : x.short?.length
                  ? t('whatif.short', { lost: book.title(x.course), rules: join(t, x.short.map(label)) })
                  : t('whatif.plain', { lost: book.title(x.course) })}
          </p>
        ))}
        {result?.rules
          .filter((r) => !r.holds && sheet.rules.find((now) => now.id === r.id)?.holds)
          .map((r) => (
            <p key={r.id} className="text-ochre">
              <Mark kind="missing" /> {label(r.id)} {ruleNumbers(t, r)}
            </p>
          ))}
      </div>
      <Refusal text={view.error ? errorWords(t, view.error) : undefined} />
      {result && <SmallBoard desk={desk} requests={result.requests} />}
    </Dialog>
  );
}

type Laid = { course: string; terms: number[]; came?: boolean }[];

/** A year as a small board. */
function SmallBoard({ desk, requests }: { desk: Desk; requests: Laid }) {
  const { t } = useTranslation();
  const { book } = desk;
  const entries = requests.map(
    (r, i) => ({ course: r.course, rank: i + 1, terms: r.terms, mark: 'settled', entry: 'none' }) satisfies Sheet['requests'][number],
  );
  const { pieces } = layOut(book, { ...desk.sheet, requests: entries, packing: { ...desk.sheet.packing, fill: undefined } });
  const came = new Set(requests.filter((r) => r.came).map((r) => r.course));
  return (
    <section aria-label={t('whatif.year')} className="mt-3">
      <h3 className="text-sm font-semibold">{t('whatif.year')}</h3>
      <ul className="mt-1 grid gap-0.5" style={{ gridTemplateColumns: `repeat(${book.catalog.terms.length}, minmax(0, 1fr))`, gridAutoRows: '0.9rem' }}>
        {book.catalog.terms.map((name, term) => (
          <li key={name} className="row-span-2 text-sm text-soft first-letter:uppercase" style={{ gridRow: '1 / span 2', gridColumn: term + 1 }}>
            {termName(t, book, term)}
          </li>
        ))}
        {pieces.map((p) => (
          <li
            key={`${p.entries[0]?.course} ${p.from}`}
            style={{
              gridRow: `${p.row + 3} / span ${p.rows}`,
              gridColumn: `${p.from + 1} / ${p.to + 2}`,
              borderInlineStartColor: subjectTab(book.course(p.entries[0]?.course ?? '')?.subject ?? '').hue,
            }}
            className={`flex min-w-0 items-center gap-1 border border-s-4 px-1 text-sm ${p.entries.some((e) => came.has(e.course)) ? 'border-ink bg-wash' : 'border-line bg-card'}`}
          >
            <SubjectTab subject={book.course(p.entries[0]?.course ?? '')?.subject ?? ''} />
            <span className="truncate">
              {p.entries.map((e) => book.title(e.course)).join(' · ')}
              {p.entries.some((e) => came.has(e.course)) && ` · ${t('whatif.came')}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
