import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { useQueryClient } from '@tanstack/react-query';
import type { TFunction } from 'i18next';
import { useTranslation } from 'react-i18next';
import { Route, Switch } from 'wouter';
import { type Place, type Sheet, ApiError, acts, keys, newKey, useAct, useCatalog, useEffects, useSheet } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { Dialog } from '../kit/dialog';
import { clock } from '../kit/format';
import { Header } from '../kit/header';
import { type Book, bookOf, join, statusWords, termsWords } from '../words';
import type { Change, Desk } from './desk';
import { SubmitPage } from './submit';
import { YearPage } from './year';

/** A change that was made, in words, until the next one. */
interface Made {
  text: string;
  at: number;
}

/** A student's screens: the year, and handing it in. A guardian who edits has the same, with a way back. */
export default function Student({ place, back }: { place: Place; back?: { to: string; label: string } }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const catalog = useCatalog(place);
  const sheet = useSheet(place);
  const effects = useEffects(sheet.data);
  const act = useAct(place, acts.change);
  const [notice, setNotice] = useState<{ text: string; signIn?: boolean }>();
  const [made, setMade] = useState<Made>();
  const [asked, setAsked] = useState<Parameters<Change>[0]>(); // a change that would void what the school has
  const [help, setHelp] = useState(false);
  const current = useRef<Sheet>(undefined);
  useEffect(() => {
    current.current = sheet.data;
  }, [sheet.data]);
  const book = useMemo(() => catalog.data && bookOf(catalog.data), [catalog.data]);

  const { mutateAsync } = act;
  const change = useCallback<Change>(
    (edit, sure) => {
      const before = current.current;
      if (!before || !book) return;
      if (!sure && before.status.handedIn && edit.act !== 'undo') return setAsked(edit);
      void (async () => {
        setNotice(undefined);
        try {
          current.current = await mutateAsync({ ...edit, version: before.version, key: newKey() });
          setMade({ text: madeWords(t, book, edit, before, current.current), at: Date.now() });
        } catch (error) {
          setMade(undefined);
          const now = error instanceof ApiError ? error.problem?.sheet : undefined;
          if (!now || !(error instanceof ApiError)) return setNotice(lostWords(t, book, edit, error));
          // Somebody else changed the sheet. An addition or a removal that still means the same is made on top of it.
          const same = edit.act !== 'order' && edit.act !== 'undo' && standing(before, edit.course) === standing(now, edit.course);
          if (!same) return setNotice({ text: t('stale', { what: t(`event.${edit.act === 'undo' ? 'undo' : 'change'}`) }) });
          try {
            current.current = await mutateAsync({ ...edit, version: now.version, key: newKey() });
            setNotice({ text: t('merged') });
          } catch (again) {
            setNotice(lostWords(t, book, edit, again));
          }
        }
      })();
    },
    [mutateAsync, t, book],
  );
  useEffect(() => {
    if (!made) return;
    const timer = setTimeout(() => setMade(undefined), 20_000);
    return () => clearTimeout(timer);
  }, [made]);

  useEffect(() => {
    function key(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (event.key === 'z' && (event.ctrlKey || event.metaKey) && !typing) {
        event.preventDefault();
        change({ act: 'undo' });
      } else if (event.key === '?' && !typing) {
        setHelp(true);
      }
    }
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [change]);

  const error = catalog.error ?? (sheet.data ? undefined : sheet.error);
  if (error)
    return (
      <main className="p-6">
        <Refusal text={errorWords(t, error)} />
        <Button className="mt-3" onClick={() => void Promise.all([catalog.refetch(), sheet.refetch()])}>
          {t('error.retry')}
        </Button>
      </main>
    );
  if (!book || !sheet.data) return <Loading />;
  const { state, next } = statusWords(t, sheet.data);
  const desk: Desk = {
    book,
    sheet: sheet.data,
    effects: effects.data,
    effectsFailed: effects.isError,
    change,
    busy: act.isPending,
    place,
  };
  const { keptAt } = sheet.data.status;
  const may = sheet.data.acts;
  return (
    <div className="min-h-screen">
      <Header
        pages={[...(back ? [back] : []), { to: '/', label: t('nav.year') }, { to: '/hand-in', label: t('nav.submit') }]}
        where={t('header.schoolYear', { school: book.catalog.name, year: book.catalog.label })}
      >
        <span data-testid="status">
          <b className="font-semibold text-ink">{state}</b>
          {(act.isPending || keptAt) && ', '}
          <span role="status">{act.isPending ? t('keeping') : keptAt ? t('kept', { time: clock(keptAt) }) : ''}</span>
          {' · '}
          {next}
          {sheet.data.status.receipt && ` · ${t('submit.receipt', { receipt: sheet.data.status.receipt })}`}
        </span>
        {may.edit.allowed && (
          <button
            type="button"
            title={t('undoHint')}
            disabled={!may.undo.allowed || act.isPending}
            onClick={() => change({ act: 'undo' })}
            className="min-h-8 inked-link disabled:no-underline disabled:opacity-60"
          >
            {t('undo')}
          </button>
        )}
        <button type="button" onClick={() => setHelp(true)} className="hidden min-h-8 inked-link desk:inline">
          {t('help')}
        </button>
        <b className="font-semibold text-ink">
          {sheet.data.student.given} {sheet.data.student.family}
        </b>
        <span>{t('entering', { grade: sheet.data.student.grade })}</span>
      </Header>
      <Switch>
        <Route path="/hand-in">
          <SubmitPage desk={desk} />
        </Route>
        <Route>
          <YearPage desk={desk} />
        </Route>
      </Switch>
      <div className="no-print pointer-events-none fixed inset-x-0 bottom-3 z-20 flex justify-center px-3">
        <div className="pointer-events-auto max-w-xl">
          {notice ? (
            <div role="alert" className="flex flex-wrap items-center gap-x-4 rounded border border-ochre bg-card px-3 py-2 shadow-lg">
              <span className="text-ochre">{notice.text}</span>
              {notice.signIn && (
                <button type="button" className="min-h-8 inked-link" onClick={() => void client.invalidateQueries({ queryKey: keys.me })}>
                  {t('error.signInAgain')}
                </button>
              )}
              <button type="button" className="min-h-8 text-soft inked-link" onClick={() => setNotice(undefined)}>
                {t('close')}
              </button>
            </div>
          ) : (
            made && (
              <div key={made.at} data-testid="made" className="flex flex-wrap items-center gap-x-4 rounded border border-line bg-card px-3 py-1.5 shadow-lg">
                <span role="status">{made.text}</span>
                {may.undo.allowed && (
                  <button type="button" disabled={act.isPending} className="min-h-8 inked-link" onClick={() => change({ act: 'undo' })}>
                    {t('undo')}
                  </button>
                )}
              </div>
            )
          )}
        </div>
      </div>
      <Dialog open={asked !== undefined} onClose={() => setAsked(undefined)} title={t('warn.title')}>
        <p>
          {sheet.data.status.signatures.length
            ? t('warn.signed', {
                who: join(
                  t,
                  sheet.data.status.signatures.map((x) => x.name),
                ),
              })
            : t('warn.submitted', { receipt: sheet.data.status.receipt })}
        </p>
        <div className="mt-3 flex gap-2">
          <Button
            tone="dark"
            onClick={() => {
              if (asked) change(asked, true);
              setAsked(undefined);
            }}
          >
            {t('warn.go')}
          </Button>
          <Button onClick={() => setAsked(undefined)}>{t('warn.stay')}</Button>
        </div>
      </Dialog>
      <Dialog open={help} onClose={() => setHelp(false)} title={t('keys.title')}>
        <dl className="grid grid-cols-[9rem_1fr] gap-y-2">
          {(
            [
              ['/', 'find'],
              ['↑ ↓', 'move'],
              ['Enter', 'enter'],
              ['A', 'alt'],
              ['Alt ↑ ↓', 'order'],
              ['Ctrl Z', 'undo'],
              ['?', 'help'],
            ] as const
          ).map(([pressed, what]) => (
            <div key={what} className="contents">
              <dt>
                <kbd className="rounded border border-line bg-paper px-2 font-mono">{pressed}</kbd>
              </dt>
              <dd>{t(`keys.${what}`)}</dd>
            </div>
          ))}
        </dl>
      </Dialog>
    </div>
  );
}

/** What a change did, also by itself: what came along, what left with it, what moved to another term. */
function madeWords(t: TFunction, book: Book, edit: Parameters<Change>[0], before: Sheet, after: Sheet) {
  const all = (s: Sheet) => [...s.requests, ...s.summer];
  const course = edit.course ? book.title(edit.course) : '';
  const parts = [t(`done.${edit.act}`, { course })];
  const came = all(after).filter((e) => e.course !== edit.course && !all(before).some((b) => b.course === e.course));
  const left = all(before).filter((e) => e.course !== edit.course && !all(after).some((a) => a.course === e.course));
  if (edit.act !== 'undo') {
    if (came.length)
      parts.push(
        t('done.with', {
          courses: join(
            t,
            came.map((e) => book.title(e.course)),
          ),
        }),
      );
    if (left.length)
      parts.push(
        t('done.without', {
          courses: join(
            t,
            left.map((e) => book.title(e.course)),
          ),
        }),
      );
  }
  for (const e of after.requests) {
    const was = before.requests.find((b) => b.course === e.course);
    if (was && String(was.terms) !== String(e.terms)) parts.push(t('done.moved', { course: book.title(e.course), terms: termsWords(t, book, e.terms) }));
  }
  return parts.join(' ');
}

/** Why a change was not kept, and which. */
function lostWords(t: TFunction, book: Book, edit: Parameters<Change>[0], error: unknown) {
  const what = t(`done.${edit.act}`, { course: edit.course ? book.title(edit.course) : '' }).replace(/\.$/, '');
  const code = error instanceof ApiError ? error.code : 'offline';
  if (code === 'not-signed-in') return { text: t('error.signed-out-not-kept', { what }), signIn: true };
  if (code === 'offline' || code === 'unavailable') return { text: t('error.not-kept', { what }) };
  return { text: errorWords(t, error) };
}

/** Where a course stands on a sheet. */
function standing(sheet: Sheet, course: string | undefined) {
  if ([...sheet.requests, ...sheet.summer].some((e) => e.course === course)) return 'request';
  return sheet.alternates.some((e) => e.course === course) ? 'alternate' : 'none';
}
