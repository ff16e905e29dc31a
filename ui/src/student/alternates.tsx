import { type KeyboardEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Entry } from '../api/client';
import { useHints } from '../api/workspace';
import { Late } from '../kit/late';
import { Mark } from '../kit/marks';
import { join } from '../shared/words';
import { reordered } from './ranks';
import { Explain } from './explain';
import { WhatIfDialog } from './floating';
import { Ranked } from './order';
import type { Desk, Filter } from './desk';

/** The alternates in the order in which they would be taken, each with the requests it would save. */
export function Alternates(props: { desk: Desk; open: string | undefined; onOpen: (course?: string) => void; onFind: (f: Filter) => void }) {
  const { t } = useTranslation();
  const { book, sheet, change } = props.desk;
  const entries = sheet.alternates;
  const [asking, setAsking] = useState(false);
  const hint = useHints(sheet, sheet.acts.edit.allowed && sheet.requests.some((e) => !e.covered)).data?.[0];

  function move(event: KeyboardEvent, entry: Entry) {
    if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
    event.preventDefault();
    change(reordered(entries, 'alternates', entry.course, event.key === 'ArrowUp' ? -1 : 1));
  }
  return (
    <section aria-labelledby="alternates" className="mt-3 desk:ps-7">
      <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
        <h2 id="alternates" className="text-sm font-semibold">
          {t('alternates.head')}{' '}
          <span className="font-normal text-soft">· {entries.length ? t('alternates.note', { count: entries.length }) : t('alternates.none')}</span>
        </h2>
        <Explain what="alternates" />
      </div>
      <Ranked
        desk={props.desk}
        entries={entries}
        list="alternates"
        className="grid gap-1.5 desk:grid-cols-3"
        item={(e, handle) => {
          const courses = e.saves ?? [];
          const stopped = e.mark === 'stopped';
          return (
            <div className={`flex h-full items-start gap-1 rounded-sm border py-1 pe-2 ps-1 ${stopped ? 'hatch' : 'border-line bg-card'}`}>
              {handle}
              <button
                type="button"
                data-course={e.course}
                className={`min-h-7 min-w-0 flex-1 text-start ${stopped ? 'rounded-sm bg-card px-1' : ''}`}
                onClick={() => props.onOpen(e.course)}
                onKeyDown={(event) => move(event, e)}
              >
                <span className="font-semibold">
                  {e.rank} · {book.title(e.course)}
                </span>
                <span className="block text-sm text-soft">
                  {e.standsFor
                    ? t('alternates.standsFor', { courses: book.title(e.standsFor) })
                    : courses.length
                      ? t('alternates.wouldCover', { courses: join(t, courses.map(book.title)) })
                      : t('alternates.nothing')}
                </span>
              </button>
              {stopped && <Mark kind="stopped" />}
            </div>
          );
        }}
      />
      {hint && sheet.acts.edit.allowed && (
        <p className="mt-1.5 flex flex-wrap items-center gap-x-3 text-sm">
          <span className="text-soft">{t('hint.one', { course: book.title(hint.course), courses: join(t, hint.saves.map(book.title)) })}</span>
          <button type="button" disabled={props.desk.busy} className="min-h-7 inked-link" onClick={() => change({ act: 'alternate', course: hint.course })}>
            {t('hint.take')}
          </button>
        </p>
      )}
      {sheet.requests.length > 0 && (
        <button type="button" className="mt-1 me-4 min-h-7 text-sm text-soft inked-link" onClick={() => setAsking(true)}>
          {t('whatif.open')}
        </button>
      )}
      <Late>{asking && <WhatIfDialog desk={props.desk} onClose={() => setAsking(false)} />}</Late>
      {sheet.acts.edit.allowed && (
        <button type="button" className="mt-1 min-h-7 text-sm text-soft inked-link" onClick={() => props.onFind({ rule: alternatesRule(props.desk) })}>
          {t('alternates.choose')}
        </button>
      )}
    </section>
  );
}

function alternatesRule({ book, sheet }: Desk) {
  return sheet.rules.find((r) => book.rule(r.id)?.on === 'alternates')?.id;
}
