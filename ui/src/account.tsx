import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { api, ask, keys, useSessions } from './api/client';
import { errorWords } from './shared/errors';
import { Button, Loading, Refusal } from './kit/controls';
import words from '../../locales/en.json?part=account';
import { speakMore } from './i18n';
import { when } from './kit/format';
import { setSingleKeys, singleKeys } from './kit/keys';
import { Passkeys } from './passkeys';

speakMore(words);

/** A browser by the names that people know, as far as it tells them. */
function agentWords(t: ReturnType<typeof useTranslation>['t'], agent: string) {
  const browser = /Edg|Firefox|Chrome|Safari/.exec(agent)?.[0].replace('Edg', 'Edge');
  const system = /Android|iPhone|iPad|Windows|Mac OS|CrOS|Linux/.exec(agent)?.[0].replace('CrOS', 'Chromebook');
  if (!browser || !system) return agent || t('account.unknown');
  return t('account.browser', { browser, system });
}

/** One's own account: where one is signed in, and the password; once: one must be chosen before anything else. */
export default function Account({ once }: { once?: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const sessions = useSessions(!once);
  const end = useMutation({
    mutationFn: (id: string | undefined) =>
      id === undefined ? ask(api.DELETE('/api/sessions')) : ask(api.DELETE('/api/sessions/{id}', { params: { path: { id } } })),
    onSettled: () => client.invalidateQueries({ queryKey: keys.sessions }),
  });
  const change = useMutation({
    mutationFn: (body: { old: string; new: string }) => ask(api.POST('/api/password', { body })),
    onSuccess: () => Promise.all([client.invalidateQueries({ queryKey: keys.sessions }), once && client.invalidateQueries({ queryKey: keys.me })]),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    const data = new FormData(form);
    change.mutate({ old: String(data.get('old') ?? ''), new: String(data.get('new') ?? '') }, { onSuccess: () => form.reset() });
  }
  const elsewhere = sessions.data?.filter((s) => !s.here).length ?? 0;
  const field = 'mt-1 mb-3 block min-h-11 w-full max-w-sm rounded border border-edge bg-card px-3';
  return (
    <main id="page" className="mx-auto max-w-3xl px-4 pt-5 pb-16">
      <h1 className="mb-4">{t(once ? 'account.onceHead' : 'account.head')}</h1>
      {once ? <p className="mb-4 text-soft">{t('account.onceNote')}</p> : <h2 className="font-semibold">{t('account.where')}</h2>}
      {!once && !sessions.data && !sessions.error && <Loading />}
      <Refusal text={sessions.error ? errorWords(t, sessions.error) : end.error ? errorWords(t, end.error) : undefined} />
      {elsewhere > 1 && (
        <p className="mb-2">
          <Button disabled={end.isPending} onClick={() => end.mutate(undefined)}>
            {t('account.elsewhere')}
          </Button>
        </p>
      )}
      <ul className="mb-6">
        {sessions.data?.map((s) => (
          <li key={s.id} className="flex flex-wrap items-center gap-x-4 border-t border-line py-2">
            <span className="min-w-0 flex-1 basis-64 truncate" title={s.agent}>
              {agentWords(t, s.agent)}
            </span>
            <span className="text-sm text-soft">{s.here ? t('account.here') : t('account.seen', { time: when(s.seenAt) })}</span>
            {!s.here && (
              <Button disabled={end.isPending} onClick={() => end.mutate(s.id)}>
                {t('account.end')}
              </Button>
            )}
          </li>
        ))}
      </ul>
      {!once && <MailChoice />}
      {!once && <KeysChoice />}
      {!once && <Passkeys />}
      <h2 className="mb-2 font-semibold">{t('account.password')}</h2>
      <form onSubmit={submit}>
        <label>
          {t(once ? 'account.code' : 'account.old')}
          <input name="old" type="password" required maxLength={500} autoComplete="current-password" className={field} />
        </label>
        <label>
          {t('account.new')}
          <input name="new" type="password" required minLength={10} maxLength={500} autoComplete="new-password" className={field} />
        </label>
        <Button tone="dark" type="submit" disabled={change.isPending}>
          {change.isPending ? t('working') : t('account.change')}
        </Button>
        <p role="status" className="mt-2">
          {change.isSuccess && t('account.changed')}
        </p>
        <Refusal text={change.error ? errorWords(t, change.error) : undefined} />
      </form>
    </main>
  );
}

/** Whether single keys do something in this browser. */
function KeysChoice() {
  const { t } = useTranslation();
  const [on, setOn] = useState(singleKeys);
  return (
    <section className="mb-6">
      <h2 className="font-semibold">{t('account.keys')}</h2>
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="size-5 accent-(--ink)"
          checked={on}
          onChange={(event) => {
            setOn(event.target.checked);
            setSingleKeys(event.target.checked);
          }}
        />
        {t('account.singleKeys')}
      </label>
      <p className="text-sm text-soft">{t('account.keysNote')}</p>
    </section>
  );
}

/** Whether one gets reminders by mail. */
function MailChoice() {
  const { t } = useTranslation();
  const client = useQueryClient();
  const key = ['mail'];
  const choice = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/mail')) });
  const set = useMutation({
    mutationFn: (reminders: boolean) => ask(api.PUT('/api/mail', { body: { reminders } })),
    onSuccess: () => client.invalidateQueries({ queryKey: key }),
  });
  const error = choice.error ?? set.error;
  return (
    <section className="mb-6">
      <h2 className="font-semibold">{t('account.mail')}</h2>
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="size-5 accent-(--ink)"
          disabled={!choice.data || set.isPending}
          checked={set.isPending ? set.variables : (choice.data?.reminders ?? false)}
          onChange={(event) => set.mutate(event.target.checked)}
        />
        {t('account.reminders')}
      </label>
      <p className="text-sm text-soft">{t('account.mailNote')}</p>
      <Refusal text={error ? errorWords(t, error) : undefined} />
    </section>
  );
}
