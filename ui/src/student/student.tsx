import { type ReactNode, useEffect, useMemo, useRef, useState } from 'react';
import { useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { Route, Router, Switch, useLocation, useRouter } from 'wouter';
import { type Place, keys, useCatalog, useEffects, useSheet } from '../api/client';
import { clock } from '../kit/format';
import { Header } from '../kit/header';
import { useSingleKeys } from '../kit/keys';
import { Late } from '../kit/late';
import { Unread } from '../shared/unread';
import { bookOf, seatTimeWords, statusWords } from '../shared/words';
import { undoesWords } from './changes';
import type { Desk } from './desk';
import { useKeeping } from './keeping';
import { KeysDialog, SureDialog } from './floating';
import { fetchLate } from './latepages';
import { Pages } from './pages';
import { WaitingBand } from './waiting';
import './words';

/** Someone of the school who works on a sheet for the family: why, and where that is written. */
export interface By {
  reason: string;
  bar: ReactNode;
}

/** A student's screens. A guardian who edits has the same, with a way back. A draft has the year alone. */
export default function Student({ place, back, by }: { place: Place; back?: { to: string; label: string }; by?: By }) {
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
        <Workspace place={place} back={back} by={by} />
      </Route>
    </Switch>
  );
}

function Workspace({ place, back, by }: { place: Place; back?: { to: string; label: string }; by?: By }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [here, go] = useLocation();
  const catalog = useCatalog(place);
  const sheet = useSheet(place);
  const effects = useEffects(sheet.data);
  const [help, setHelp] = useState(false);
  const book = useMemo(() => catalog.data && bookOf(catalog.data), [catalog.data]);

  const keeping = useKeeping(place, book, sheet.data, by?.reason);
  const { change, busy, waiting, notice, made, asked, setAsked } = keeping;
  useEffect(() => {
    const signs = ['pointermove', 'pointerdown', 'keydown'] as const;
    const stop = () => signs.forEach((sign) => removeEventListener(sign, come));
    function come() {
      stop();
      void fetchLate(client);
    }
    signs.forEach((sign) => addEventListener(sign, come, { passive: true }));
    return stop;
  }, [client]);
  useSingleKeys({ '?': () => setHelp(true) });
  useEffect(() => {
    function key(event: KeyboardEvent) {
      if (here === '/seats') return; // which has its own
      const typing = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      const held = (event.ctrlKey || event.metaKey) && !typing;
      if (held && event.key.toLowerCase() === 'z') {
        event.preventDefault();
        change({ act: event.shiftKey ? 'redo' : 'undo' });
      } else if (held && event.key.toLowerCase() === 'y') {
        event.preventDefault();
        change({ act: 'redo' });
      }
    }
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, [change, here]);

  // Where seats are chosen now and the sheet is closed, that is what a student comes for.
  const comes = useRef(!by && !back && !place.draft && here === '/');
  useEffect(() => {
    if (!sheet.data || !comes.current) return;
    comes.current = false;
    if (sheet.data.status.seats?.phase === 'open' && !sheet.data.acts.edit.allowed) go('/seats', { replace: true });
  }, [go, sheet.data]);
  if (!book || !sheet.data) return <Unread of={[catalog, sheet]} />;
  const { state, next } = statusWords(t, sheet.data);
  const seatsNow = here === '/seats' ? seatTimeWords(t, sheet.data) : undefined; // there the sheet's own state would mislead
  const desk: Desk = {
    book,
    sheet: sheet.data,
    effects: effects.data,
    effectsFailed: effects.isError,
    change,
    busy,
    waiting,
    place,
    reason: by?.reason,
  };
  const { keptAt } = sheet.data.status;
  const late = waiting.some((w) => !w.stopped);
  const may = sheet.data.acts;
  return (
    <div className="min-h-screen">
      <Header
        pages={[
          ...(back ? [back] : []),
          { to: '/', label: t('nav.year') },
          { to: '/courses', label: t('nav.courses') },
          ...(sheet.data.status.seats && !place.draft ? [{ to: '/seats', label: t('nav.seats') }] : []),
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
          <b className="font-semibold text-ink">{seatsNow ?? (sheet.data.draft ? t('draft.is', { name: sheet.data.draft.name }) : state)}</b>
          {!seatsNow && (busy || late || keptAt) && ', '}
          <span role="status">{seatsNow ? '' : late ? t('waiting.state') : busy ? t('keeping') : keptAt ? t('kept', { time: clock(keptAt) }) : ''}</span>
          {!sheet.data.draft && !seatsNow && ` · ${next}`}
          {sheet.data.status.receipt && !seatsNow && ` · ${t('submit.receipt', { receipt: sheet.data.status.receipt })}`}
        </span>
        {may.edit.allowed && !seatsNow && (
          <button
            type="button"
            title={sheet.data.undoes ? t('undoes', { what: undoesWords(t, book, sheet.data.undoes) }) : t('undoHint')}
            disabled={!(may.undo.allowed || late) || busy}
            onClick={() => change({ act: 'undo' })}
            className="min-h-8 inked-link disabled:no-underline disabled:opacity-60"
          >
            {t('undo')}
          </button>
        )}
        {may.redo.allowed && !seatsNow && (
          <button type="button" title={t('redoHint')} disabled={busy} onClick={() => change({ act: 'redo' })} className="min-h-8 inked-link">
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
      {waiting.length > 0 && (
        <WaitingBand desk={desk} signedOut={keeping.signedOut} onTell={keeping.tell} onSignIn={() => void client.invalidateQueries({ queryKey: keys.me })} />
      )}
      {by?.bar}
      <Pages desk={desk} />
      <div className="no-print pointer-events-none fixed inset-x-0 bottom-3 z-20 flex justify-center px-3">
        <div className="pointer-events-auto max-w-xl">
          {notice ? (
            <div role="alert" className="flex flex-wrap items-center gap-x-4 rounded border border-ochre bg-card px-3 py-2 shadow-lg">
              <span className="text-ochre">{notice}</span>
              <button type="button" className="min-h-8 text-soft inked-link" onClick={() => keeping.setNotice(undefined)}>
                {t('close')}
              </button>
            </div>
          ) : (
            made && (
              <div key={made.at} data-testid="made" className="flex flex-wrap items-center gap-x-4 rounded border border-line bg-card px-3 py-1.5 shadow-lg">
                <span role="status">{made.text}</span>
                {(made.back ? may.redo.allowed : may.undo.allowed) && (
                  <button type="button" disabled={busy} className="min-h-8 inked-link" onClick={() => change({ act: made.back ? 'redo' : 'undo' })}>
                    {t(made.back ? 'redo' : 'undo')}
                  </button>
                )}
              </div>
            )
          )}
        </div>
      </div>
      <Late>
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
      </Late>
    </div>
  );
}
