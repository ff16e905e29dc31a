import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { useQuery } from '@tanstack/react-query';
import { usePaged } from '../api/paged';
import { type Happening, type Place, api, ask, studentPath } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { ShowEarlier } from '../shared/earlier';
import { when } from '../kit/format';
import { Unread } from '../shared/unread';
import { type Book, join } from '../shared/words';
import { actWords } from './changes';
import type { Desk } from './desk';
import './laterwords';

const useHistory = ({ place, sheet }: Desk) =>
  usePaged(['history', place.school, place.year, place.student, sheet.version], 100, (skip) =>
    ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet/history', { params: { path: place, query: { skip } } })),
  );

/** What happened to the sheet, in words, and what was on it then; an earlier state can be brought back. */
export default function HistoryPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const history = useHistory(desk);
  if (!history.data) return <Unread of={[history]} />;
  return (
    <main id="page" className="mx-auto max-w-3xl px-4 pt-4 pb-12">
      <h1 className="mb-1">{t('history.head')}</h1>
      <p className="mb-3 text-soft">{t(history.data.length ? 'history.note' : 'history.none')}</p>
      <Happenings desk={desk} />
    </main>
  );
}

/** The list of it. */
export function Happenings({ desk }: { desk: Desk }) {
  const { t, i18n } = useTranslation();
  const { book, sheet } = desk;
  const history = useHistory(desk);
  const [open, setOpen] = useState<number>();
  if (history.error) return <Refusal text={errorWords(t, history.error)} />;
  if (!history.data) return <Loading />;
  return (
    <>
      <ol>
        {history.data.map((h) => (
          <li key={h.version} className="border-t border-line py-1.5">
            <div className="flex flex-wrap items-baseline gap-x-3">
              <span className="w-44 shrink-0 text-sm text-soft">{when(h.at, sheet.status.window?.zone)}</span>
              <span className="min-w-0 flex-1">
                <b className="font-semibold">{h.actor}</b> {happeningWords(t, book, h)}
              </span>
              {h.kind === 'submit' && h.receipt && (
                <a
                  className="inline-flex min-h-6 items-center text-sm inked-link"
                  href={`${studentPath(desk.place)}/sheet/paper.pdf?receipt=${encodeURIComponent(h.receipt)}&language=${i18n.language}`}
                  download={`${h.receipt}.pdf`}
                >
                  {t('history.paper', { receipt: h.receipt })}
                </a>
              )}
              {h.version < sheet.version && (
                <button
                  type="button"
                  aria-expanded={open === h.version}
                  className="min-h-6 text-sm inked-link"
                  onClick={() => setOpen(open === h.version ? undefined : h.version)}
                >
                  {t('history.look')}
                </button>
              )}
            </div>
            {open === h.version && <Then desk={desk} version={h.version} />}
          </li>
        ))}
      </ol>
      <ShowEarlier of={history} />
    </>
  );
}

/** What was on the sheet after something had happened. */
function Then({ desk, version }: { desk: Desk; version: number }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const was = useEarlier(desk.place, version);
  if (was.error) return <Refusal text={errorWords(t, was.error)} />;
  if (!was.data) return <p className="text-soft">{t('loading')}</p>;
  const then = was.data;
  const titles = (list: typeof sheet.requests) =>
    join(
      t,
      list.map((e) => book.title(e.course)),
    ) || '–';
  const now = [...sheet.requests, ...sheet.summer, ...sheet.alternates].map((e) => e.course);
  const gone = [...then.requests, ...then.summer, ...then.alternates].filter((e) => !now.includes(e.course));
  return (
    <div className="mt-1 border-s-2 border-line ps-3">
      <p>
        <span className="text-soft">{t('submit.requests', { count: then.requests.length })}:</span> {titles(then.requests)}
      </p>
      {then.alternates.length > 0 && (
        <p>
          <span className="text-soft">{t('submit.alternates', { count: then.alternates.length })}:</span> {titles(then.alternates)}
        </p>
      )}
      {gone.length > 0 && <p className="text-soft">{t('history.since', { courses: titles(gone) })}</p>}
      {sheet.acts.edit.allowed && (
        <Button className="mt-1" disabled={desk.busy} onClick={() => desk.change({ act: 'restore', then: version })}>
          {t('history.restore')}
        </Button>
      )}
    </div>
  );
}

const useEarlier = (place: Place, version: number) =>
  useQuery({
    queryKey: ['earlier', place.school, place.year, place.student, version],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/sheet/versions/{version}', { params: { path: { ...place, version } } })),
    staleTime: Infinity,
  });

/** One thing that happened, in words, with what was said. */
function happeningWords(t: ReturnType<typeof useTranslation>['t'], book: Book, h: Happening) {
  const edit = h.kind === 'change' && h.act;
  const what = edit
    ? `: ${actWords(t, book, { act: h.act as Parameters<typeof actWords>[2]['act'], course: h.course, instead: h.instead })}`
    : ` ${t(`event.${h.kind}`, { course: book.title(h.course ?? ''), defaultValue: h.kind })}`;
  const said = [h.message, h.reason].filter(Boolean).map((text) => `“${text}”`);
  return [what, ...said].join(' ').trimStart();
}
