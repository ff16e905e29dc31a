import { useMutation, useQueryClient } from '@tanstack/react-query';
import { type DragEvent, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Task, type Year, keys, startExport, startImport, tellTask, useTasks } from '../api/client';
import { errorWords } from '../errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { counted, when, whole } from '../kit/format';
import '../kit/staff';

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
  const give = useMutation({ mutationFn: () => startExport(at), onSuccess: seen });
  const tell = useMutation({ mutationFn: ({ task, act }: { task: Task; act: 'consent' | 'stop' }) => tellTask(at, task.id, act), onSuccess: seen });
  if (tasks.isPending) return <Loading />;
  const list = tasks.data ?? [];
  const latest = list.find((task) => task.kind === 'import' && open(task)) ?? list.find((task) => task.kind === 'import');
  const error = send.error ?? give.error ?? tell.error ?? tasks.error;

  function take(files: FileList | null) {
    setWrong(undefined);
    const file = files?.[0];
    if (!file) return;
    if (latest && open(latest)) return setWrong(t('data.oneImport'));
    if (files.length > 1 || !file.name.toLowerCase().endsWith('.zip')) return setWrong(t('data.oneZip'));
    if (file.size > 64 * 1024 * 1024) return setWrong(t('data.tooLarge'));
    send.mutate(file);
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
          <Button tone="chief" disabled={tell.isPending} onClick={() => tell.mutate({ task: latest, act: 'consent' })}>
            {t('data.takeIn')}
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
          accept=".zip,application/zip"
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
        <Button className="mt-2" disabled={give.isPending} onClick={() => give.mutate()}>
          {t('data.give')}
        </Button>
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
                <a className="inked-link" href={`/api/schools/${encodeURIComponent(at.school)}/years/${at.year}/tasks/${task.id}/file`} download>
                  {t('data.file')}
                </a>
              )}
              {task.kind === 'export' && task.acts.includes('stop') && <Button onClick={() => tell.mutate({ task, act: 'stop' })}>{t('data.stop')}</Button>}
            </li>
          ))}
        </ul>
      </section>
    </main>
  );
}

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
      if (found.new + found.changed === 0) return t('data.asksNone');
      return t('data.asks', { ...counted(found.new + found.changed), total: whole(found.students) });
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
  const changes = task.state === 'asking' ? (['new', 'changed', 'gone'] as const).filter((what) => found[what] > 0) : [];
  return (
    <>
      {changes.length > 0 && (
        <section className="mt-5">
          <h2 className="font-semibold">{t('data.would', { year: found.year })}</h2>
          <ul>
            {changes.map((what) => (
              <li key={what} className="border-b border-line py-1.5">
                {t(`data.students.${what}`, counted(found[what]))}
              </li>
            ))}
          </ul>
        </section>
      )}
      {found.keptAll > 0 && <p className="mt-4">{t('data.kept', counted(found.keptAll))}</p>}
      <Rows head={t('data.badHead', counted(found.bad))} rows={found.problems} all={found.bad} bad />
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
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className="text-soft">
              <th className="pr-4 font-normal">{t('data.column.file')}</th>
              <th className="pr-4 text-right font-normal">{t('data.column.line')}</th>
              <th className="pr-4 font-normal">{t('data.column.column')}</th>
              <th className="font-normal">{t(bad ? 'data.column.wrong' : 'data.column.note')}</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, i) => (
              <tr key={i} className="border-t border-line align-baseline">
                <td className="py-1 pr-4 whitespace-nowrap">{row.file}</td>
                <td className="py-1 pr-4 text-right">{whole(row.line)}</td>
                <td className="py-1 pr-4 whitespace-nowrap">{row.column}</td>
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
