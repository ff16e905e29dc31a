import { lazy } from 'react';
import { useTranslation } from 'react-i18next';
import { type Place, type Sheet, useSheet } from '../api/client';
import { useDrafts } from '../api/workspace';
import { Late } from '../kit/late';
import { when } from '../kit/format';
import { DifferenceWords } from '../shared/difference';
import type { Book } from '../shared/words';

const Talk = lazy(() => import('../shared/talk'));

/** The drafts that a child shows: what is different on each from the sheet, and what is said about it. */
export default function ShownDrafts({ book, sheet, place }: { book: Book; sheet: Sheet; place: Place }) {
  const drafts = useDrafts(place);
  return drafts.data?.drafts
    .filter((d) => d.shown)
    .map((d) => <Shown key={d.id} book={book} sheet={sheet} place={{ ...place, draft: d.id }} name={d.name} since={d.shown ?? ''} />);
}

function Shown({ book, sheet, place, name, since }: { book: Book; sheet: Sheet; place: Place; name: string; since: string }) {
  const { t } = useTranslation();
  const draft = useSheet(place).data;
  const given = sheet.student.given;
  const without = (from: Sheet['requests'], other: Sheet['requests']) => from.map((e) => e.course).filter((code) => !other.some((e) => e.course === code));
  return (
    <section className="mt-4 border-t-2 border-dashed border-ochre pt-2" data-testid="draft">
      <h2 className="font-semibold">{t('family.draft', { name: given, draft: name })}</h2>
      <p className="text-sm text-soft">{t('family.draftSince', { time: when(since, sheet.status.window?.zone), name: given })}</p>
      {draft && (
        <p className="mt-1">
          <DifferenceWords
            book={book}
            none={t('family.draftSame')}
            since={{
              asked: without(draft.requests, sheet.requests),
              dropped: without(sheet.requests, draft.requests),
              backup: without(draft.alternates, sheet.alternates),
              spared: without(sheet.alternates, draft.alternates),
            }}
          />
        </p>
      )}
      <Late>
        <Talk book={book} sheet={sheet} draft={place.draft} label={t('family.draftSay', { name: given })} />
      </Late>
    </section>
  );
}
