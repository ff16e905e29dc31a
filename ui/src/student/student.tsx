import { Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { Route, Router, Switch, useRouter } from 'wouter';
import { type Place, type Sheet, ApiError, acts, keys, newKey, useAct, useCatalog, useEffects, useSheet } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { clock } from '../kit/format';
import { Header } from '../kit/header';
import { bookOf, statusWords } from '../words';
import { lostWords, madeWords, undoesWords } from './changes';
import type { Change, Desk } from './desk';
import { KeysDialog, SureDialog, fetchLate } from './late';
import { Pages } from './pages';
import './words';

/** When this page was opened. */
const arrived = Date.now();

/** A change that was made, in words, until the next one. */
interface Made {
  text: string;
  at: number;
}

/** A student's screens. A guardian who edits has the same, with a way back. A draft has the year alone. */
export default function Student({ place, back }: { place: Place; back?: { to: string; label: string } }) {
  const { t } = useTranslation();
  const { base } = useRouter();
  return (
    <Switch>
      <Route path="/draft/:id/*?">
        {({ id }) => (
          <Router base={`/draft/${id}`}>
            <Workspace key={id} place={{ ...place, draft: Number(id) || 1 }} back={{ to: `~${base}/drafts`, label: t('draft.all') }} />
          </Router>
        )}
      </Route>
      <Route>
        <Workspace place={place} back={back} />
      </Route>
    </Switch>
  );
}

function Workspace({ place, back }: { place: Place; back?: { to: string; label: string } }) {
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
      if (!sure && edit.act !== 'undo' && edit.act !== 'redo' && before.status.handedIn && !before.draft) return setAsked(edit);
      // What was done before this visit is not taken back without saying what it is.
      if (!sure && edit.act === 'undo' && before.undoes && new Date(before.undoes.at).getTime() < arrived) return setAsked(edit);
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
          const back = edit.act === 'undo' || edit.act === 'redo';
          const same =
            (edit.act === 'request' || edit.act === 'alternate' || edit.act === 'remove') && standing(before, edit.course) === standing(now, edit.course);
          if (!same) return setNotice({ text: t('stale', { what: t(`event.${back ? 'undo' : 'change'}`) }) });
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
  // What has only one possible answer is filled in, once, on a sheet nobody has worked on.
  const filled = useRef(false);
  const only = sheet.data?.only?.length;
  useEffect(() => {
    if (!only || filled.current || !book) return;
    filled.current = true;
    change({ act: 'fill' });
  }, [only, book, change]);
  useEffect(() => {
    const signs = ['pointermove', 'pointerdown', 'keydown'] as const;
    const stop = () => signs.forEach((sign) => removeEventListener(sign, come));
    function come() {
      stop();
      fetchLate();
    }
    signs.forEach((sign) => addEventListener(sign, come, { passive: true }));
    return stop;
  }, []);
  useEffect(() => {
    if (!made) return;
    const timer = setTimeout(() => setMade(undefined), 20_000);
    return () => clearTimeout(timer);
  }, [made]);

  useEffect(() => {
    function key(event: KeyboardEvent) {
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      const held = (event.ctrlKey || event.metaKey) && !typing;
      if (held && event.key.toLowerCase() === 'z') {
        event.preventDefault();
        change({ act: event.shiftKey ? 'redo' : 'undo' });
      } else if (held && event.key.toLowerCase() === 'y') {
        event.preventDefault();
        change({ act: 'redo' });
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
        pages={[
          ...(back ? [back] : []),
          { to: '/', label: t('nav.year') },
          ...(place.draft
            ? []
            : [
                { to: '/path', label: t('nav.path') },
                { to: '/drafts', label: t('nav.drafts') },
                { to: '/hand-in', label: t('nav.submit') },
              ]),
        ]}
        where={t('header.schoolYear', { school: book.catalog.name, year: book.catalog.label })}
      >
        <span data-testid="status">
          <b className="font-semibold text-ink">{sheet.data.draft ? t('draft.is', { name: sheet.data.draft.name }) : state}</b>
          {(act.isPending || keptAt) && ', '}
          <span role="status">{act.isPending ? t('keeping') : keptAt ? t('kept', { time: clock(keptAt) }) : ''}</span>
          {!sheet.data.draft && ` · ${next}`}
          {sheet.data.status.receipt && ` · ${t('submit.receipt', { receipt: sheet.data.status.receipt })}`}
        </span>
        {may.edit.allowed && (
          <button
            type="button"
            title={sheet.data.undoes ? t('undoes', { what: undoesWords(t, book, sheet.data.undoes) }) : t('undoHint')}
            disabled={!may.undo.allowed || act.isPending}
            onClick={() => change({ act: 'undo' })}
            className="min-h-8 inked-link disabled:no-underline disabled:opacity-60"
          >
            {t('undo')}
          </button>
        )}
        {may.redo.allowed && (
          <button type="button" title={t('redoHint')} disabled={act.isPending} onClick={() => change({ act: 'redo' })} className="min-h-8 inked-link">
            {t('redo')}
          </button>
        )}
        <button type="button" onClick={() => setHelp(true)} className="hidden min-h-8 inked-link desk:inline">
          {t('help')}
        </button>
        <b className="font-semibold text-ink">
          {sheet.data.student.given} {sheet.data.student.family}
        </b>
        <span className="max-[90rem]:sr-only">{t('entering', { grade: sheet.data.student.grade })}</span>
      </Header>
      {sheet.data.draft && (
        <p className="no-print border-b-2 border-dashed border-ochre px-4 py-1.5 text-ochre desk:px-6">
          <b className="font-semibold">{t('draft.is', { name: sheet.data.draft.name })}:</b> {t('draft.next')}
        </p>
      )}
      <Pages desk={desk} />
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
      <Suspense>
        {asked && (
          <SureDialog
            desk={desk}
            edit={asked}
            onSure={() => {
              change(asked, true);
              setAsked(undefined);
            }}
            onClose={() => setAsked(undefined)}
          />
        )}
        {help && <KeysDialog onClose={() => setHelp(false)} />}
      </Suspense>
    </div>
  );
}

/** Where a course stands on a sheet. */
function standing(sheet: Sheet, course: string | undefined) {
  if ([...sheet.requests, ...sheet.summer].some((e) => e.course === course)) return 'request';
  return sheet.alternates.some((e) => e.course === course) ? 'alternate' : 'none';
}
