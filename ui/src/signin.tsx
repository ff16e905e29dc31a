import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type FormEvent, useEffect, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import words from '../../locales/en.json?part=signIn';
import { ApiError, api, ask, keys } from './api/client';
import { errorWords } from './shared/errors';
import { Button, Refusal } from './kit/controls';
import { speakMore } from './i18n';
import { clock } from './kit/format';
import { LanguageChoice } from './kit/header';

speakMore(words);

export default function SignIn() {
  const { t } = useTranslation();
  const client = useQueryClient();
  const welcome = useQuery({ queryKey: ['welcome'], queryFn: () => ask(api.GET('/api/welcome')) });
  const [error, setError] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [turn, setTurn] = useState<Date>(); // in the line of those who sign in
  const again = useRef<number>(undefined);
  const [once] = useState(() => new URLSearchParams(window.location.hash.slice(1))); // an address for one sign-in, which the operator made
  useEffect(() => {
    if (once.has('code')) window.history.replaceState(null, '', window.location.pathname);
  }, [once]);
  useEffect(() => () => clearTimeout(again.current), []);

  async function enter(username: string, password: string) {
    setBusy(true);
    setError(undefined);
    try {
      const me = await ask(api.POST('/api/session', { body: { username, password } }));
      client.setQueryData(keys.me, me);
    } catch (e) {
      const wait = e instanceof ApiError && e.code === 'crowded' ? e.problem?.wait : undefined;
      setError(errorWords(t, e));
      setTurn(wait ? new Date(Date.now() + wait * 1000) : undefined);
      if (wait) again.current = window.setTimeout(() => void enter(username, password), wait * 1000);
      else setBusy(false);
    }
  }
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    void enter(String(form.get('username') ?? ''), String(form.get('password') ?? ''));
  }
  const field = 'mt-1 mb-3 block min-h-11 w-full rounded border border-edge bg-card px-3';
  return (
    <main className="mx-auto grid max-w-4xl gap-10 p-6 pt-12 desk:grid-cols-2 desk:pt-28">
      <section>
        <p className="mb-2 flex items-center justify-between">
          <span className="font-head text-lg font-medium text-madder">Rubricon</span> <LanguageChoice />
        </p>
        <h1 className="mb-6">{t('signIn.head')}</h1>
        <form onSubmit={submit}>
          <label>
            {t('signIn.username')}
            <input
              name="username"
              defaultValue={once.get('username') ?? undefined}
              required
              maxLength={200}
              autoComplete="username"
              autoCapitalize="none"
              className={field}
            />
          </label>
          <label>
            {t('signIn.password')}
            <input
              name="password"
              type="password"
              defaultValue={once.get('code') ?? undefined}
              required
              maxLength={500}
              autoComplete="current-password"
              className={field}
            />
          </label>
          <Button tone="chief" type="submit" disabled={busy} className="w-full desk:min-h-10">
            {busy ? t('working') : t('signIn.button')}
          </Button>
          <Refusal text={error && turn ? `${error} ${t('signIn.turn', { time: clock(turn.toISOString()) })}` : error} />
        </form>
        {welcome.data?.signOn?.map((p) => (
          <p key={p.school} className="mt-3">
            <a
              href={`/api/sign-on/${encodeURIComponent(p.school)}`}
              className="flex min-h-11 items-center justify-center rounded border border-edge bg-card px-3 hover:bg-wash desk:min-h-10"
            >
              {t('signIn.with', { name: p.name })}
            </a>
          </p>
        ))}
        <p className="mt-4 text-sm text-soft">{t('signIn.forgot')}</p>
      </section>
      {(welcome.data?.demo.length ?? 0) > 0 && (
        <section className="border-line desk:border-s desk:ps-8">
          <h2 className="font-semibold">{t('signIn.demo')}</h2>
          <p className="mb-3 text-soft">{t('signIn.demoNote')}</p>
          {welcome.data?.mail && (
            <p className="mb-3">
              <a className="inked-link" href={welcome.data.mail}>
                {t('signIn.mail')}
              </a>
            </p>
          )}
          <ul>
            {welcome.data?.demo.map((d) => (
              <li key={d.username} className="border-t border-line">
                <button
                  type="button"
                  disabled={busy}
                  onClick={() => void enter(d.username, d.password)}
                  className="block min-h-11 w-full py-2 text-start hover:bg-wash"
                >
                  <span className="font-semibold inked-link">{d.who}</span>
                  <span className="block text-sm text-soft">
                    {d.username} · {d.password}
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </main>
  );
}
