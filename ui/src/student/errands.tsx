import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type Place, api, ask, studentPath } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { day, when } from '../kit/format';
import { Mark } from '../kit/marks';
import { join } from '../shared/words';
import type { Desk } from './desk';
import './laterwords';

/** What the choices bring with them outside the sheet: one list by date, and as a calendar. */
export default function ErrandsPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const list = sheet.errands.map((x) => ({ ...x, what: book.catalog.errands[x.errand] }));
  const open = list.filter((x) => !x.settled);
  const next = open.find((x) => x.what?.due)?.what;
  return (
    <main id="page" className="mx-auto max-w-4xl px-4 pt-4 pb-12">
      <h1 className="mb-1">
        {list.length === 0
          ? t('errands.noneHead')
          : next?.due
            ? t('errands.next', { what: next.title, due: day(next.due) })
            : open.length
              ? t('errands.noDate', { count: open.length })
              : t('errands.allDone')}
      </h1>
      <p className="mb-3 text-soft">{t(list.length ? 'errands.pageNote' : 'errands.noneNote')}</p>
      <ol>
        {list.map((x) => {
          const errand = x.what;
          if (!errand) return null;
          return (
            <li key={x.errand} className="grid gap-x-6 border-t border-line py-2 desk:grid-cols-[11rem_minmax(0,1fr)_12rem]">
              <span className={x.settled ? 'text-soft' : 'font-semibold'}>{errand.due ? day(errand.due) : t('errands.open')}</span>
              <span>
                <b className="font-semibold">{errand.title}</b>{' '}
                <span className="text-soft">
                  · {t(`errands.kind.${errand.kind}`)} · {book.title(x.course)}
                </span>
                {[errand.place, errand.note].filter(Boolean).map((text) => (
                  <span key={text} className="block text-soft">
                    {text}
                  </span>
                ))}
                <span className="block text-sm text-soft">
                  {x.replacedBy
                    ? t('errands.replaced', { course: book.title(x.replacedBy) })
                    : errand.becomes?.length
                      ? t('errands.decides', { courses: join(t, errand.becomes.map(book.title)) })
                      : t('errands.settles', { course: book.title(x.course) })}
                </span>
              </span>
              <span>
                <Mark kind={x.settled ? 'settled' : 'missing'} />{' '}
                {x.settled
                  ? x.by
                    ? t('errands.settledBy', { who: x.by })
                    : t('errands.settled')
                  : t('errands.waits', { who: sheet.student.counselor ?? t('theCounselor') })}
              </span>
            </li>
          );
        })}
      </ol>
      <Calendar place={desk.place} />
    </main>
  );
}

const path = '/api/schools/{school}/years/{year}/students/{student}/feed' as const;

/** The errands as a file, and a secret address that a calendar reads on its own. */
function Calendar({ place }: { place: Place }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const key = ['feed', place.school, place.year, place.student];
  const feed = useQuery({ queryKey: key, queryFn: () => ask(api.GET(path, { params: { path: place } })) });
  const [secret, setSecret] = useState('');
  const act = useMutation({
    mutationFn: (make: boolean) => (make ? ask(api.POST(path, { params: { path: place } })) : ask(api.DELETE(path, { params: { path: place } }))),
    onSuccess: (made) => {
      client.setQueryData(key, made);
      setSecret(made.path ? window.location.origin + made.path : '');
    },
  });
  return (
    <section className="no-print mt-6 border-t border-line pt-3">
      <h2 className="font-semibold">{t('feed.head')}</h2>
      <p className="max-w-2xl text-soft">{t('feed.note')}</p>
      <p className="mt-1">
        <a href={`${studentPath(place)}/errands.ics`} download="errands.ics" className="inline-flex min-h-8 items-center inked-link">
          {t('feed.file')}
        </a>
      </p>
      {secret && (
        <label className="block max-w-2xl text-sm">
          {t('feed.address')}
          <input readOnly value={secret} onFocus={(event) => event.target.select()} className="block min-h-9 w-full rounded border border-edge bg-card px-2" />
        </label>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <Button disabled={act.isPending} onClick={() => act.mutate(true)}>
          {t(feed.data?.madeAt ? 'feed.anew' : 'feed.make')}
        </Button>
        {feed.data?.madeAt && (
          <>
            <Button disabled={act.isPending} onClick={() => act.mutate(false)}>
              {t('feed.drop')}
            </Button>
            <span className="text-sm text-soft">{t('feed.made', { time: when(feed.data.madeAt) })}</span>
          </>
        )}
      </div>
      <Refusal text={act.error ? errorWords(t, act.error) : undefined} />
    </section>
  );
}
