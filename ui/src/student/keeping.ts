import { useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from 'react';
import { useTranslation } from 'react-i18next';
import { type Edit, type Place, type Sheet, ApiError, acts, newKey, useAct, useMe } from '../api/client';
import { errorWords } from '../shared/errors';
import { type Kept, keptKey, putKept, readKept } from '../api/kept';
import type { Book } from '../shared/words';
import { madeWords } from './changes';
import type { Change, Waiting } from './desk';

/** The changes in their order, and the version of the sheet on which the first of them was made. */
type Queue = Kept<Waiting>;

/** When this page was opened. */
const arrived = Date.now();

/** What a change did, in words, until the next one. */
interface Made {
  text: string;
  at: number;
  back: boolean; // it was an undo
}

/**
 * Makes changes to a sheet one after the other. Those that do not reach the server wait in this browser, also over a reload, and are
 * made when it is reached again. Where the sheet was changed by someone else in the meantime, an addition or a removal that still means the
 * same is made on top of it; about anything else, and what is refused after waiting, the person decides. Who makes changes for the family
 * gives a reason, which goes with each.
 */
export function useKeeping(place: Place, book: Book | undefined, sheet: Sheet | undefined, reason?: string) {
  const { t } = useTranslation();
  const me = useMe();
  const name = keptKey(me.data?.username ?? '', place);
  const { mutateAsync, isPending } = useAct(place, acts.change);
  const waiting = useWaiting(name);
  const [notice, setNotice] = useState<string>();
  const [signedOut, setSignedOut] = useState(false);
  const [made, setMade] = useState<Made>();
  const [asked, setAsked] = useState<Omit<Edit, 'version' | 'key'>>(); // a change that would void what the school has
  const current = useRef<Sheet>(undefined);
  useEffect(() => {
    current.current = sheet;
  }, [sheet]);

  /** Sends what waits, in its order, until the server is not reached. */
  const flush = useCallback(async () => {
    if (!book || !name) return;
    for (;;) {
      const { items, base, moved } = readKept<Waiting>(name);
      const item = items.find((i) => !i.stopped);
      if (!item) return;
      const put = (next: Partial<Waiting> | undefined, at?: Partial<Queue>) => {
        const now = readKept<Waiting>(name);
        // Once someone else has changed the sheet, what stands behind in the queue waits as well.
        const behind = (i: Waiting) => (at?.moved ? { ...i, late: true } : i);
        putKept(name, { ...now, ...at, items: now.items.flatMap((i) => (i.key !== item.key ? behind(i) : next ? { ...i, ...next } : [])) });
      };
      const before = current.current;
      if (!before) return;
      const conflict = t('waiting.changed');
      if (moved && item.late && !means(item, before)) {
        put({ stopped: conflict });
        continue;
      }
      try {
        const after = await mutateAsync({ ...item.edit, version: moved ? before.version : base, key: item.key });
        current.current = after;
        put(undefined, { base: after.version });
        setSignedOut(false);
        if (moved) setNotice(t('merged'));
        else setMade({ text: madeWords(t, book, item.edit, before, after), at: Date.now(), back: item.edit.act === 'undo' });
      } catch (error) {
        setMade(undefined);
        const code = error instanceof ApiError ? error.code : 'offline';
        const now = error instanceof ApiError ? error.problem?.sheet : undefined;
        if (code === 'offline' || code === 'unavailable') return put({ late: true });
        if (code === 'not-signed-in') {
          setSignedOut(true);
          return put({ late: true });
        }
        if (now && code === 'stale-version') {
          current.current = now;
          const voids = !item.sure && voided(book, now, item.edit);
          if (voids || !means(item, now)) put({ stopped: conflict }, { base: now.version, moved: true });
          else put({ key: newKey() }, { base: now.version, moved: true });
        } else if (item.late) {
          put({ stopped: errorWords(t, error) });
        } else {
          put(undefined);
          setNotice(errorWords(t, error));
        }
      }
    }
  }, [book, mutateAsync, name, t]);
  const send = useCallback(() => void once(name, flush), [flush, name]);

  const change = useCallback<Change>(
    (wish, sure) => {
      const before = current.current;
      if (!before || !book) return;
      const edit = reason ? { ...wish, reason } : wish;
      if (before.acts.edit.reason && !reason) return setNotice(t('error.needs-reason'));
      const { items, base, moved } = readKept<Waiting>(name);
      const open = items.filter((i) => !i.stopped);
      if (edit.act === 'undo' && open.at(-1)?.late) {
        putKept(name, { items: items.filter((i) => i !== open.at(-1)), base, moved });
        return;
      }
      if (!sure && edit.act !== 'undo' && edit.act !== 'redo' && voided(book, before, edit)) return setAsked(edit);
      // What was done before this visit is not taken back without saying what it is.
      if (!sure && edit.act === 'undo' && before.undoes && new Date(before.undoes.at).getTime() < arrived) return setAsked(edit);
      setNotice(undefined);
      const last = open.findLast((i) => i.edit.course === edit.course);
      const item: Waiting = { edit, key: newKey(), stood: last ? whereAfter(last) : standing(before, edit.course), sure, late: open.some((i) => i.late) };
      const fresh = open.length === 0;
      putKept(name, { items: [...items, item], base: fresh ? before.version : base, moved: fresh ? false : moved });
      send();
    },
    [book, name, send, reason, t],
  );
  const tell = useCallback(
    (key: string, what: 'make' | 'leave') => {
      const before = current.current;
      const { items, base, moved } = readKept<Waiting>(name);
      const item = items.find((i) => i.key === key);
      putKept(name, { items: items.filter((i) => i.key !== key), base, moved });
      if (what === 'make' && item && before) change(item.edit);
    },
    [change, name],
  );

  // What waits is tried again: when the page opens, when the browser hears that it is connected, and every few seconds until then.
  const ready = sheet !== undefined && book !== undefined && !signedOut;
  const late = waiting.some((i) => !i.stopped);
  useEffect(() => {
    if (ready) send();
  }, [ready, send]);
  useEffect(() => {
    if (!ready || !late) return;
    const often = setInterval(send, 4_000);
    addEventListener('online', send);
    return () => {
      clearInterval(often);
      removeEventListener('online', send);
    };
  }, [ready, late, send]);
  useEffect(() => {
    if (!made) return;
    const timer = setTimeout(() => setMade(undefined), 20_000);
    return () => clearTimeout(timer);
  }, [made]);
  // What has only one possible answer is filled in, once, on a sheet no one has worked on.
  const filled = useRef(false);
  const only = sheet?.only?.length;
  useEffect(() => {
    if (!only || filled.current || !book) return;
    filled.current = true;
    change({ act: 'fill' });
  }, [only, book, change]);

  // While changes wait more can be made: they stand behind those.
  return { change, busy: isPending && !late, waiting, tell, notice, setNotice, signedOut, setSignedOut, made, asked, setAsked };
}

/** What waits, or asks something of the person. What is on its way draws nothing again. */
function useWaiting(name: string): Waiting[] {
  const text = useSyncExternalStore(
    useCallback((heard) => {
      addEventListener('storage', heard);
      addEventListener('kept', heard);
      return () => {
        removeEventListener('storage', heard);
        removeEventListener('kept', heard);
      };
    }, []),
    () => JSON.stringify(readKept<Waiting>(name).items.filter((i) => i.late || i.stopped)),
  );
  return useMemo(() => JSON.parse(text) as Waiting[], [text]);
}

/** Runs something in one window of the browser at a time. */
async function once(name: string, run: () => Promise<void>) {
  // Only pages that came over a safe connection, or from this machine, have locks; the server knows a change that is sent twice anyway.
  if ('locks' in navigator) await navigator.locks.request(name, run);
  else await run();
}

/** Whether a change still means on a sheet what it meant when it was made. */
const means = ({ edit, stood }: Waiting, now: Sheet) =>
  (edit.act === 'request' || edit.act === 'alternate' || edit.act === 'remove') && standing(now, edit.course) === stood;

/** Where a course will stand when a waiting change is made. */
const whereAfter = ({ edit, stood }: Waiting) => (edit.act === 'request' || edit.act === 'alternate' ? edit.act : edit.act === 'remove' ? 'none' : stood);

/** Whether a change takes back what was submitted, so that it has to be submitted once more. */
const voided = (book: Book, sheet: Sheet, edit: Waiting['edit']) => {
  const summer = (edit.act === 'request' || edit.act === 'remove') && book.course(edit.course ?? '')?.summer === true;
  return sheet.voids?.[summer ? 'summer' : 'year'] === true;
};

/** Where a course stands on a sheet. */
function standing(sheet: Sheet, course: string | undefined) {
  if ([...sheet.requests, ...sheet.summer].some((e) => e.course === course)) return 'request';
  return sheet.alternates.some((e) => e.course === course) ? 'alternate' : 'none';
}
