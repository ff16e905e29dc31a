import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Year, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { Mark } from '../kit/marks';
import { Unread } from '../shared/unread';
import { field } from './fields';
import { ShownOnce } from './once';
import '../shared/staff';

const kinds = ['submitted', 'cleared', 'placed'] as const;
type Kind = (typeof kinds)[number];

const reasons = ['no-answer', 'no-host', 'inside', 'bad-identity'];

/** The systems that are told of what happens: of what, where, whether it arrives; made, tried, taken back. */
export function Hooks({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = { school: at.school, year: at.year };
  const list = useQuery({
    queryKey: ['hooks', path],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/hooks', { params: { path } })),
    refetchInterval: (q) => (q.state.data?.list.some((x) => x.waiting > 0) ? 3000 : false),
  });
  const refresh = () => client.invalidateQueries({ queryKey: ['hooks', path] });
  const [name, setName] = useState('');
  const [address, setAddress] = useState('');
  const [chosen, setChosen] = useState<Kind[]>([...kinds]);
  const [made, setMade] = useState<{ name: string; secret: string }>();
  const make = useMutation({
    mutationFn: () =>
      ask(api.POST('/api/schools/{school}/years/{year}/hooks', { params: { path }, body: { name: name.trim(), address: address.trim(), kinds: chosen } })),
    onSuccess: (x) => (setMade({ name: name.trim(), secret: x.secret }), setName(''), setAddress(''), refresh()),
  });
  const on = (hook: number) => ({ params: { path: { ...path, hook } } });
  const attempt = useMutation({
    mutationFn: (hook: number) => ask(api.POST('/api/schools/{school}/years/{year}/hooks/{hook}/try', on(hook))),
    onSuccess: refresh,
  });
  const again = useMutation({
    mutationFn: (hook: number) => ask(api.POST('/api/schools/{school}/years/{year}/hooks/{hook}/again', on(hook))),
    onSuccess: refresh,
  });
  const end = useMutation({
    mutationFn: (hook: number) => ask(api.DELETE('/api/schools/{school}/years/{year}/hooks/{hook}', on(hook))),
    onSuccess: refresh,
  });
  const error = make.error ?? attempt.error ?? again.error ?? end.error;
  return (
    <section className="no-print mt-8 border-t border-line pt-3" aria-labelledby="hooks">
      <h2 id="hooks" className="font-semibold">
        {t('hooks.head')}
      </h2>
      <p className="text-soft">{t('hooks.what')}</p>
      {list.data && !list.data.able ? (
        <p className="mt-2">{t('hooks.unable')}</p>
      ) : (
        <form
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate();
          }}
        >
          <label className="flex flex-col text-sm">
            {t('tokens.name')}
            <input className={field} value={name} maxLength={100} required onChange={(event) => setName(event.target.value)} />
          </label>
          <label className="flex flex-1 basis-64 flex-col text-sm">
            {t('hooks.address')}
            <input
              className={field}
              type="url"
              value={address}
              maxLength={500}
              required

              onChange={(event) => setAddress(event.target.value)}
            />
          </label>
          <fieldset className="flex flex-wrap items-center gap-x-3 text-sm">
            <legend>{t('hooks.of')}</legend>
            {kinds.map((kind) => (
              <label key={kind} className="flex min-h-9 items-center gap-1 max-desk:min-h-11">
                <input
                  type="checkbox"
                  className="size-4 accent-ink"
                  checked={chosen.includes(kind)}
                  onChange={(event) => setChosen(kinds.filter((x) => (x === kind ? event.target.checked : chosen.includes(x))))}
                />
                {t(`hooks.${kind}`)}
              </label>
            ))}
          </fieldset>
          <Button type="submit" disabled={make.isPending || chosen.length === 0}>
            {t('hooks.make')}
          </Button>
        </form>
      )}
      {error && <Refusal text={errorWords(t, error)} />}
      <ShownOnce text={t('hooks.made', { name: made?.name })} secret={made?.secret} />
      {!list.data ? (
        <Unread of={[list]} inside />
      ) : list.data.list.length === 0 ? (
        list.data.able && <p className="mt-2 text-soft">{t('hooks.none')}</p>
      ) : (
        <ul className="mt-2">
          {list.data.list.map((x) => {
            const ill = !x.endedAt && x.fault !== undefined && x.waiting + x.failed > 0;
            return (
              <li key={x.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-line py-1.5">
                <span className="min-w-0 flex-1 basis-64">
                  <Mark kind={x.endedAt ? 'stopped' : ill ? 'missing' : 'settled'} /> <b className="font-semibold">{x.name}</b>{' '}
                  <span className="text-soft">
                    <bdi className="break-all">{x.address}</bdi> ·{' '}
                    {[
                      x.kinds.map((kind) => t(`hooks.${kind}`)).join(', '),
                      t('tokens.by', { who: x.by }),
                      x.endedAt && t('tokens.ended', { who: x.endedBy, time: when(x.endedAt) }),
                      t('hooks.arrived', { count: x.arrived }),
                      x.lastAt && t('hooks.last', { time: when(x.lastAt) }),
                    ]
                      .filter(Boolean)
                      .join(' · ')}
                  </span>
                  {ill && (
                    <span className="block">
                      {x.waiting > 0 && t('hooks.waiting', { count: x.waiting })} {x.failed > 0 && t('hooks.failed', { count: x.failed })}{' '}
                      {t('hooks.because', { why: reasons.includes(x.fault ?? '') ? t(`hooks.why.${x.fault}`) : t('hooks.why.status', { status: x.fault }) })}{' '}
                      {x.nextAt && t('hooks.next', { time: when(x.nextAt) })}
                    </span>
                  )}
                </span>
                {!x.endedAt && (
                  <>
                    {ill && (
                      <Button aria-label={t('hooks.againOf', { name: x.name })} disabled={again.isPending} onClick={() => again.mutate(x.id)}>
                        {t('hooks.again')}
                      </Button>
                    )}
                    <Button aria-label={t('hooks.tryOf', { name: x.name })} disabled={attempt.isPending} onClick={() => attempt.mutate(x.id)}>
                      {t('hooks.try')}
                    </Button>
                    <Button aria-label={t('hooks.endOf', { name: x.name })} disabled={end.isPending} onClick={() => end.mutate(x.id)}>
                      {t('tokens.end')}
                    </Button>
                  </>
                )}
              </li>
            );
          })}
        </ul>
      )}
    </section>
  );
}
