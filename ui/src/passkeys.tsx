import { type FormEvent, useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import words from '../../locales/en.json?part=account';
import { type Me, ApiError, api, ask, keys } from './api/client';
import { errorWords } from './shared/errors';
import { speakMore } from './i18n';
import { Button, Refusal } from './kit/controls';
import { when } from './kit/format';

speakMore(words);

const key = ['passkeys'];

/** What the browser has for passkeys, where it has it: the forms of Web Authentication, Level 3, in JSON. */
const able = () => typeof PublicKeyCredential !== 'undefined' && 'parseCreationOptionsFromJSON' in PublicKeyCredential;

/** The browser's own answer, or nothing where its owner has called it off or it has none. */
async function fromBrowser(asked: Promise<Credential | null>) {
  try {
    return ((await asked) as PublicKeyCredential | null)?.toJSON() as Record<string, unknown> | undefined;
  } catch {
    return undefined;
  }
}

async function makePasskey(name: string) {
  const options = (await ask(api.POST('/api/passkeys/creation'))) as PublicKeyCredentialCreationOptionsJSON;
  const credential = await fromBrowser(navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(options) }));
  if (!credential) return undefined;
  return ask(api.POST('/api/passkeys', { body: { name, credential } }));
}

async function answerPasskey(): Promise<Me | undefined> {
  const options = (await ask(api.POST('/api/passkeys/question'))) as PublicKeyCredentialRequestOptionsJSON;
  const credential = await fromBrowser(navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(options) }));
  if (!credential) return undefined;
  return ask(api.POST('/api/passkeys/answer', { body: { credential } }));
}

/** Makes a passkey with a name by which its owner knows it again. */
function Make({ onMade }: { onMade: () => void }) {
  const { t } = useTranslation();
  const make = useMutation({ mutationFn: makePasskey, onSuccess: (made) => made && onMade() });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    make.mutate(String(new FormData(event.currentTarget).get('name') ?? ''));
  }
  if (!able()) return <p className="text-ochre">{t('account.noPasskeys')}</p>;
  return (
    <form onSubmit={submit} className="flex flex-wrap items-end gap-2">
      <label>
        {t('account.passkeyName')}
        <input name="name" required maxLength={60} className="mt-1 block min-h-11 w-64 max-w-full rounded border border-edge bg-card px-3" />
      </label>
      <Button tone="dark" type="submit" disabled={make.isPending}>
        {make.isPending ? t('working') : t('account.passkeyMake')}
      </Button>
      <p role="status" className="basis-full">
        {make.isSuccess && !make.data && t('account.passkeyNone')}
      </p>
      <Refusal text={make.error ? errorWords(t, make.error) : undefined} />
    </form>
  );
}

/** One's own passkeys, for the staff. */
export function Passkeys() {
  const { t } = useTranslation();
  const client = useQueryClient();
  const list = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/passkeys')) });
  const drop = useMutation({
    mutationFn: (id: string) => ask(api.DELETE('/api/passkeys/{id}', { params: { path: { id } } })),
    onSuccess: (left) => client.setQueryData(key, left),
  });
  const error = list.error ?? drop.error;
  if (error) return <Refusal text={errorWords(t, error)} />;
  if (!list.data?.may) return null;
  return (
    <section className="mb-6">
      <h2 className="font-semibold">{t('account.passkeys')}</h2>
      <p className="mb-2 max-w-2xl text-sm text-soft">{t('account.passkeysNote')}</p>
      <ul className="mb-2">
        {list.data.passkeys.map((p) => (
          <li key={p.id} className="flex flex-wrap items-center gap-x-4 border-t border-line py-2">
            <span className="min-w-0 flex-1 basis-48 font-semibold">{p.name}</span>
            <span className="text-sm text-soft">
              {t('account.passkeyMade', { time: when(p.madeAt) })}
              {p.usedAt && ` · ${t('account.seen', { time: when(p.usedAt) })}`}
            </span>
            <Button disabled={drop.isPending} onClick={() => drop.mutate(p.id)}>
              {t('account.passkeyDrop')}
              <span className="sr-only"> {p.name}</span>
            </Button>
          </li>
        ))}
      </ul>
      <Make onMade={() => void client.invalidateQueries({ queryKey: key })} />
    </section>
  );
}

/** The second step of signing in: to answer with a passkey, or to make the first one, which the school wants of its staff. */
export function SecondStep({ kind }: { kind: 'ask' | 'make' }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const [none, setNone] = useState(false);
  const again = () => void client.invalidateQueries({ queryKey: keys.me });
  const answer = useMutation<Me | undefined, ApiError>({
    mutationFn: answerPasskey,
    onSuccess: (me) => (me ? client.setQueryData(keys.me, me) : setNone(true)),
  });
  return (
    <main id="page" className="mx-auto max-w-xl px-4 pt-8 pb-16">
      <h1 className="mb-3">{t(kind === 'make' ? 'account.secondMake' : 'account.second')}</h1>
      <p className="mb-4 text-soft">{t(kind === 'make' ? 'account.secondMakeNote' : 'account.secondNote')}</p>
      {kind === 'make' ? (
        <Make onMade={again} />
      ) : able() ? (
        <Button tone="chief" disabled={answer.isPending} onClick={() => answer.mutate()}>
          {answer.isPending ? t('working') : t('account.secondGo')}
        </Button>
      ) : (
        <p className="text-ochre">{t('account.noPasskeys')}</p>
      )}
      <p role="status" className="mt-2">
        {none && t('account.passkeyNone')}
      </p>
      <Refusal text={answer.error ? errorWords(t, answer.error) : undefined} />
      <p className="mt-6 text-sm text-soft">{t('account.secondLost')}</p>
    </main>
  );
}
