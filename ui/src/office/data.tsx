import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type DragEvent, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Task, type Telling, type Year, keys, startExport, startImport, tellTask, useTasks } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { counted, when, whole } from '../kit/format';
import { pack } from './pack';
import { Hooks } from './hooks';
import { Tokens } from './tokens';
import '../shared/staff';

const open = (task: Task) => task.state === 'waiting' || task.state === 'running' || task.state === 'asking';

/** The school's data: taken in after a look at what would change, and given out. */
export default function Data({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const tasks = useTasks(at);
  const chooser = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const seen = (task: Task) =>
    client.setQueryData<Task[]>(keys.tasks(at), (list = []) => [task, ...list.filter((other) => other.id !== task.id)].sort((a, b) => b.id - a.id));
  const send = useMutation({ mutationFn: (file: File) => startImport(at, file), onSuccess: seen });
  const give = useMutation({ mutationFn: (form: 'zip' | 'xlsx') => startExport(at, form), onSuccess: seen });
  const tell = useMutation({
    mutationFn: ({ task, act, removals }: { task: Task; act: Telling; removals?: number }) => tellTask(at, task.id, act, removals),
    onSuccess: seen,
  });
  if (tasks.isPending) return <Loading />;
  const list = tasks.data ?? [];
  const latest = list.find((task) => task.kind === 'import' && open(task)) ?? list.find((task) => task.kind === 'import');
  const error = send.error ?? give.error ?? tell.error ?? tasks.error;

  function take(files: FileList | null) {
    setWrong(undefined);
    const list = [...(files ?? [])].filter((f) => !f.name.startsWith('.'));
    const [file] = list;
    if (!file) return;
    if (latest && open(latest)) return setWrong(t('data.oneImport'));
    if (list.reduce((sum, f) => sum + f.size, 0) > 64 * 1024 * 1024) return setWrong(t('data.tooLarge'));
    const whole = /\.(zip|xlsx)$/i.test(file.name);
    if (list.length > 1 ? list.some((f) => !/\.(csv|json)$/i.test(f.name)) : !whole) return setWrong(t('data.oneZip'));
    if (whole) send.mutate(file);
    else void pack(list, t('data.folder')).then((packed) => send.mutate(packed));
  }
  const drop = {
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(true);
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      setOver(false);
      take(event.dataTransfer.files);
    },
  };
  return (
    <main id="page" className="mx-auto max-w-5xl px-4 pt-5 pb-16" {...drop}>
      <div role="status">
        <h1>{send.isPending ? t('data.sending') : latest ? headline(t, latest) : t('data.empty')}</h1>
      </div>
      {latest && <Steps task={latest} />}
      <div className="mt-3 flex flex-wrap gap-2">
        {latest?.acts.includes('goOn') && (
          <GoOn key={latest.id} task={latest} busy={tell.isPending} onGo={(removals) => tell.mutate({ task: latest, act: 'consent', removals })} />
        )}
        {latest?.acts.includes('leaveOut') && (
          <Button tone="chief" disabled={tell.isPending} onClick={() => tell.mutate({ task: latest, act: 'omission' })}>
            {t('data.leaveOut', counted(latest.found.bad))}
          </Button>
        )}
        {latest?.acts.includes('bad') && (
          <a className="inline-flex min-h-8 items-center inked-link" href={taskFile(at, latest, 'bad')} download>
            {t('data.badRows')}
          </a>
        )}
        {latest?.acts.includes('undo') && (
          <Button disabled={tell.isPending} onClick={() => tell.mutate({ task: latest, act: 'undo' })}>
            {t('data.undo')}
          </Button>
        )}
        {latest?.acts.includes('again') && (
          <Button tone="dark" disabled={tell.isPending} onClick={() => tell.mutate({ task: latest, act: 'consent' })}>
            {t('data.again')}
          </Button>
        )}
        {latest?.acts.includes('stop') && (
          <Button disabled={tell.isPending} onClick={() => tell.mutate({ task: latest, act: 'stop' })}>
            {t(latest.state === 'asking' ? 'data.leave' : 'data.stop')}
          </Button>
        )}
        {!(latest && open(latest)) && (
          <Button tone={latest ? 'plain' : 'chief'} disabled={send.isPending} onClick={() => chooser.current?.click()}>
            {t('data.choose')}
          </Button>
        )}
        <input
          ref={chooser}
          type="file"
          accept=".zip,.xlsx,.csv,.json"
          multiple
          aria-label={t('data.choose')}
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            take(event.target.files);
            event.target.value = ''; // the same file can be chosen again
          }}
        />
      </div>
      {!(latest && open(latest)) && (
        <p className={`mt-3 rounded border border-dashed p-3 text-soft ${over ? 'border-ink bg-wash' : 'border-line'}`}>{t('data.drop')}</p>
      )}
      <Refusal text={wrong ?? (error ? errorWords(t, error) : undefined)} />
      {latest && <Found task={latest} />}

      <section className="mt-8 border-t border-line pt-3">
        <h2 className="font-semibold">{t('data.giveHead')}</h2>
        <p className="mt-1 text-soft">{t('data.giveNote')}</p>
        <div className="mt-2 flex flex-wrap gap-2">
          <Button disabled={give.isPending} onClick={() => give.mutate('zip')}>
            {t('data.give')}
          </Button>
          <Button disabled={give.isPending} onClick={() => give.mutate('xlsx')}>
            {t('data.giveSheets')}
          </Button>
        </div>
      </section>
      <section className="mt-8 border-t border-line pt-3">
        <h2 className="font-semibold">{t('data.before')}</h2>
        {list.length === 0 && <p className="mt-1 text-soft">{t('data.none')}</p>}
        <ul className="mt-1">
          {list.map((task) => (
            <li key={task.id} data-task={task.id} className="flex flex-wrap items-baseline gap-x-3 border-b border-line py-1.5">
              <span className="text-soft">{when(task.at)}</span>
              <span className="min-w-0 flex-1 basis-60">
                {t(`data.kind.${task.kind}`, { name: task.name })}: <b className="font-semibold">{t(`data.state.${task.state}`)}</b>
                {task.state === 'running' && task.total > 0 && ` · ${t('data.of', { done: whole(task.done), total: whole(task.total) })}`}
                <span className="text-soft"> · {task.by}</span>
              </span>
              {task.acts.includes('file') && (
                <a className="inked-link" href={taskFile(at, task, 'file')} download>
                  {t('data.file')}
                </a>
              )}
              {task.kind === 'export' && task.acts.includes('stop') && <Button onClick={() => tell.mutate({ task, act: 'stop' })}>{t('data.stop')}</Button>}
            </li>
          ))}
        </ul>
      </section>
      <Tokens at={at} />
      <Hooks at={at} />
    </main>
  );
}

const taskFile = (at: Year, task: Task, which: 'file' | 'bad') => `/api/schools/${encodeURIComponent(at.school)}/years/${at.year}/tasks/${task.id}/${which}`;

type Words = ReturnType<typeof useTranslation>['t'];

/** What state the newest import is in, as one sentence. */
function headline(t: Words, task: Task) {
  const { found } = task;
  switch (task.state) {
    case 'waiting':
      return t('data.waits', { name: task.name });
    case 'running':
      if (task.stop) return t('data.stopping');
      return task.step === 'write' ? t('data.writing', { done: whole(task.done), total: whole(task.total) }) : t('data.reading', { name: task.name });
    case 'asking':
      return changes(t, task) || t(found.policy || found.diffs.length ? 'data.asksRest' : 'data.asksNone');
    case 'done':
      return t('data.done', { name: task.name, ...counted(found.students) });
    case 'refused':
      return found.why === 'bad-rows' ? t('data.bad', counted(found.bad)) : t(`data.why.${found.why ?? 'broken'}`, { what: found.what });
    case 'stopped':
      return t(task.step === 'write' ? 'data.stoppedHalf' : 'data.stopped', { done: whole(task.done), total: whole(task.total) });
    case 'failed':
      return t(`data.why.${found.why ?? 'broken'}`, { what: found.what });
  }
}

const counts = ['added', 'changed', 'removed'] as const;

/** What an import adds, changes and removes, as one sentence; empty where nothing of that is counted. */
function changes(t: Words, task: Task) {
  const parts = counts.flatMap((what) => {
    const n = task.found.tally.reduce((sum, c) => sum + c[what], 0);
    return n > 0 ? [t(`data.sum.${what}`, counted(n))] : [];
  });
  return parts.length > 0 ? t('data.asks', { changes: parts.join(', ') }) : '';
}

/** Lets an import go on; where much would go, only with the number. */
function GoOn({ task, busy, onGo }: { task: Task; busy: boolean; onGo: (removals: number) => void }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState('');
  const n = task.found.removed;
  const parsed = Number(typed.replace(/[^0-9]/g, ''));
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onGo(task.found.confirm ? parsed : n);
      }}
    >
      {task.found.confirm && (
        <label className="flex flex-wrap items-center gap-2">
          {t('data.confirm', counted(n))}
          <input
            required
            inputMode="numeric"
            className="min-h-8 w-28 rounded border border-edge bg-card px-2 max-desk:min-h-11"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
        </label>
      )}
      <Button type="submit" tone="chief" disabled={busy}>
        {n > 0 ? t('data.takeInRemoving', counted(n)) : t('data.takeIn')}
      </Button>
    </form>
  );
}

/** How far a task is. */
function Steps({ task }: { task: Task }) {
  const { t } = useTranslation();
  if (task.state !== 'running' || task.total === 0) return null;
  return <progress className="mt-3 h-2 w-full accent-ink" aria-label={t('data.progress')} max={task.total} value={task.done} />;
}

/** What was found in the data. */
function Found({ task }: { task: Task }) {
  const { t } = useTranslation();
  const { found } = task;
  const kinds = found.tally.filter((c) => c.added + c.changed + c.removed + c.with > 0);
  return (
    <>
      {kinds.length > 0 && (task.state === 'asking' || task.state === 'done') && (
        <table className="mt-5 border-collapse text-start">
          <caption className="text-start font-semibold">{t(task.state === 'done' ? 'data.changedIn' : 'data.would', { year: found.year })}</caption>
          <thead>
            <tr className="text-sm text-soft">
              <th className="pe-6 text-start font-normal">{t('data.column.kind')}</th>
              {counts.map((what) => (
                <th key={what} className="ps-6 text-end font-normal">
                  {t(`data.count.${what}`)}
                </th>
              ))}
              <th />
            </tr>
          </thead>
          <tbody>
            {kinds.map((c) => (
              <tr key={c.kind} className="border-t border-line">
                <th scope="row" className="py-1 pe-6 text-start font-normal">
                  {t(`data.kindName.${c.kind}`)}
                </th>
                {counts.map((what) => (
                  <td key={what} className={`py-1 ps-6 text-end ${what === 'removed' && c.removed > 0 ? 'font-semibold text-ochre' : ''}`}>
                    {whole(c[what])}
                  </td>
                ))}
                <td className="ps-6 text-sm text-soft">{c.with > 0 && t('data.with', counted(c.with))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {task.state === 'asking' && <Differences found={found} />}
      {found.keptAll > 0 && <p className="mt-4">{t('data.kept', counted(found.keptAll))}</p>}
      <Rows head={t(task.state === 'refused' ? 'data.badHead' : 'data.leftOut', counted(found.bad))} rows={found.problems} all={found.bad} bad />
      <Rows head={t('data.notices')} rows={found.notices} all={found.notices.length} />
      {found.files.length > 0 && (
        <section className="mt-5">
          <h2 className="font-semibold">{t('data.files', { name: task.name })}</h2>
          <ul className="columns-1 desk:columns-2">
            {found.files.map((file) => (
              <li key={file.name} className="flex justify-between border-b border-line py-1">
                <span>{file.name}</span>
                <span className="text-soft">{t('data.rows', counted(file.rows))}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

/** What would change, file by file and cell by cell. */
function Differences({ found }: { found: Task['found'] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<string>();
  if (found.diffs.length === 0 && !found.policy) return null;
  return (
    <section className="mt-5" aria-label={t('data.cells')}>
      <h2 className="font-semibold">{t('data.cells')}</h2>
      {found.policy && <p className="border-b border-line py-1.5">{t('data.policy')}</p>}
      <ul>
        {found.diffs.map((d) => (
          <li key={d.name} className="border-b border-line py-1.5">
            <button
              type="button"
              aria-expanded={open === d.name}
              className="flex min-h-7 w-full flex-wrap gap-x-4 text-start"
              onClick={() => setOpen(open === d.name ? undefined : d.name)}
            >
              <span className="w-44 text-soft">{d.name}</span>
              <b className="font-semibold">
                {(['new', 'changed', 'gone'] as const)
                  .filter((what) => d[what] > 0)
                  .map((what) => t(`data.rowsOf.${what}`, counted(d[what])))
                  .join(', ')}
              </b>
              <span className="ms-auto inked-link text-sm">{t(open === d.name ? 'data.close' : 'data.see')}</span>
            </button>
            {open === d.name && <Cells diff={d} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The rows of a file that change, cell by cell. */
function Cells({ diff }: { diff: Task['found']['diffs'][number] }) {
  const { t } = useTranslation();
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={diff.name}>
      <table className="w-full border-collapse text-start">
        <thead>
          <tr className="text-sm text-soft">
            <th className="pe-4 font-normal">{t('data.column.row')}</th>
            <th className="pe-4 font-normal">{t('data.column.column')}</th>
            <th className="pe-4 font-normal">{t('data.column.was')}</th>
            <th className="pe-4 font-normal">{t('data.column.now')}</th>
            <th className="font-normal">{t('data.column.whom')}</th>
          </tr>
        </thead>
        <tbody>
          {diff.rows.flatMap((row) =>
            (row.cells.length ? row.cells : [undefined]).map((cell, i) => (
              <tr key={`${row.key} ${row.kind} ${cell?.column}`} className="border-t border-line align-baseline">
                <td className="py-1 pe-4">
                  {i === 0 && (
                    <>
                      <b className="font-semibold">{row.title}</b> <span className="text-soft">{row.key}</span>
                    </>
                  )}
                </td>
                <td className="py-1 pe-4 text-soft">{cell ? cell.column : t(`data.kindOf.${row.kind}`)}</td>
                <td className="max-w-64 truncate py-1 pe-4 text-soft" title={cell?.was}>
                  {cell?.was}
                </td>
                <td className="max-w-64 truncate py-1 pe-4" title={cell?.now}>
                  {cell?.now}
                </td>
                <td className="py-1">{i === 0 && row.asked ? t('data.asked', counted(row.asked)) : ''}</td>
              </tr>
            )),
          )}
        </tbody>
      </table>
      {diff.new + diff.changed + diff.gone > diff.rows.length && <p className="text-sm text-soft">{t('data.first', counted(diff.rows.length))}</p>}
    </div>
  );
}

/** Rows of files with what is to be said of each; the reader of the data writes in English. */
function Rows({ head, rows, all, bad }: { head: string; rows: Task['found']['problems']; all: number; bad?: boolean }) {
  const { t } = useTranslation();
  if (rows.length === 0) return null;
  return (
    <section className="mt-5">
      <h2 className="font-semibold">
        {head} {all > rows.length && <span className="font-normal text-soft">{t('data.first', counted(rows.length))}</span>}
      </h2>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={head}>
        <table className="w-full border-collapse text-start">
          <thead>
            <tr className="text-soft">
              <th className="pe-4 font-normal">{t('data.column.file')}</th>
              <th className="pe-4 text-end font-normal">{t('data.column.line')}</th>
              <th className="pe-4 font-normal">{t('data.column.column')}</th>
              <th className="font-normal">{t(bad ? 'data.column.wrong' : 'data.column.note')}</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, i) => (
              <tr key={i} className="border-t border-line align-baseline">
                <td className="py-1 pe-4 whitespace-nowrap">{row.file}</td>
                <td className="py-1 pe-4 text-end">{whole(row.line)}</td>
                <td className="py-1 pe-4 whitespace-nowrap">{row.column}</td>
                <td className="py-1" lang="en">
                  {row.what}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
