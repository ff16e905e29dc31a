import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Route, Switch } from 'wouter';
import { type Person, type Sheet, ApiError, acts, newKey, useAct, useCatalog, useEffects, useSheet } from '../api/client';
import { errorWords } from '../errors';
import { Button, Dialog, Loading, Refusal } from '../kit/controls';
import { Header } from '../kit/header';
import { bookOf, clock, statusWords } from '../words';
import type { Change, Desk } from './desk';
import { SubmitPage } from './submit';
import { YearPage } from './year';

/** A student's screens: the year, and handing it in. */
export default function Student({ person }: { person: Person }) {
  const { t } = useTranslation();
  const place = useMemo(() => ({ school: person.school, year: person.year, student: person.id }), [person]);
  const catalog = useCatalog(place);
  const sheet = useSheet(place);
  const effects = useEffects(sheet.data);
  const act = useAct(place, acts.change);
  const [notice, setNotice] = useState<string>();
  const [help, setHelp] = useState(false);
  const current = useRef<Sheet>(undefined);
  useEffect(() => {
    current.current = sheet.data;
  }, [sheet.data]);

  const { mutateAsync } = act;
  const change = useCallback<Change>(
    (edit) => {
      void (async () => {
        const before = current.current;
        if (!before) return;
        setNotice(undefined);
        try {
          current.current = await mutateAsync({ ...edit, version: before.version, key: newKey() });
        } catch (error) {
          const now = error instanceof ApiError ? error.problem?.sheet : undefined;
          if (!now || !(error instanceof ApiError)) return setNotice(errorWords(t, error));
          // Somebody else changed the sheet. An addition or a removal that still means the same is made on top of it.
          const same = edit.act !== 'order' && edit.act !== 'undo' && standing(before, edit.course) === standing(now, edit.course);
          if (!same) return setNotice(t('stale', { what: t(`event.${edit.act === 'undo' ? 'undo' : 'change'}`) }));
          try {
            current.current = await mutateAsync({ ...edit, version: now.version, key: newKey() });
            setNotice(t('merged'));
          } catch (again) {
            setNotice(errorWords(t, again));
          }
        }
      })();
    },
    [mutateAsync, t],
  );

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
  if (!catalog.data || !sheet.data) return <Loading />;
  const book = bookOf(catalog.data);
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
          { to: '/', label: t('nav.year') },
          { to: '/hand-in', label: t('nav.submit') },
        ]}
      >
        <span data-testid="status">
          <b className="font-semibold text-ink">{state}</b>
          <span role="status">{act.isPending ? `, ${t('keeping')}` : keptAt ? `, ${t('kept', { time: clock(keptAt) })}` : ''}</span>
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
          {person.given} {person.family}
        </b>
        <span>{t('entering', { grade: sheet.data.student.grade })}</span>
      </Header>
      <div className="px-4 desk:px-6">
        <Refusal text={notice} />
      </div>
      <Switch>
        <Route path="/hand-in">
          <SubmitPage desk={desk} />
        </Route>
        <Route>
          <YearPage desk={desk} />
        </Route>
      </Switch>
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
          ).map(([keys, what]) => (
            <div key={what} className="contents">
              <dt>
                <kbd className="rounded border border-line bg-paper px-2 font-mono">{keys}</kbd>
              </dt>
              <dd>{t(`keys.${what}`)}</dd>
            </div>
          ))}
        </dl>
      </Dialog>
    </div>
  );
}

/** Where a course stands on a sheet. */
function standing(sheet: Sheet, course: string | undefined) {
  if (sheet.requests.some((e) => e.course === course)) return 'request';
  return sheet.alternates.some((e) => e.course === course) ? 'alternate' : 'none';
}
