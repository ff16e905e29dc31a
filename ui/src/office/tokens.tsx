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

/** The tokens with which other systems read the school's data: made for a purpose and a time, shown once, taken back. */
export function Tokens({ at }: { at: Year }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const path = { school: at.school, year: at.year };
  const list = useQuery({ queryKey: ['tokens', path], queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/tokens', { params: { path } })) });
  const refresh = () => client.invalidateQueries({ queryKey: ['tokens', path] });
  const [name, setName] = useState('');
  const [purpose, setPurpose] = useState<'courses' | 'people'>('courses');
  const [now] = useState(() => Date.now());
  const [days, setDays] = useState('90');
  const [made, setMade] = useState<{ name: string; token: string }>();
  const make = useMutation({
    mutationFn: () =>
      ask(api.POST('/api/schools/{school}/years/{year}/tokens', { params: { path }, body: { name: name.trim(), purpose, days: Number(days) } })),
    onSuccess: (x) => (setMade({ name: name.trim(), token: x.token }), setName(''), refresh()),
  });
  const end = useMutation({
    mutationFn: (token: number) => ask(api.DELETE('/api/schools/{school}/years/{year}/tokens/{token}', { params: { path: { ...path, token } } })),
    onSuccess: refresh,
  });
  const error = make.error ?? end.error;
  return (
    <section className="no-print mt-8 border-t border-line pt-3" aria-labelledby="tokens">
      <h2 id="tokens" className="font-semibold">
        {t('tokens.head')}
      </h2>
      <p className="text-soft">
        {t('tokens.what')}{' '}
        <a className="inked-link" href="/api/reference">
          {t('tokens.reference')}
        </a>
      </p>
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
        <label className="flex flex-col text-sm">
          {t('tokens.purpose')}
          <select className={field} value={purpose} onChange={(event) => setPurpose(event.target.value === 'people' ? 'people' : 'courses')}>
            <option value="courses">{t('tokens.courses')}</option>
            <option value="people">{t('tokens.people')}</option>
          </select>
        </label>
        <label className="flex flex-col text-sm">
          {t('tokens.days')}
          <input className={`${field} w-24`} type="number" min={1} max={366} required value={days} onChange={(event) => setDays(event.target.value)} />
        </label>
        <Button type="submit" disabled={make.isPending}>
          {t('tokens.make')}
        </Button>
      </form>
      {error && <Refusal text={errorWords(t, error)} />}
      <ShownOnce text={t('tokens.made', { name: made?.name })} secret={made?.token} />
      {!list.data ? (
        <Unread of={[list]} inside />
      ) : list.data.length === 0 ? (
        <p className="mt-2 text-soft">{t('tokens.none')}</p>
      ) : (
        <ul className="mt-2">
          {list.data.map((x) => {
            const over = x.endedAt !== undefined || Date.parse(x.expires) < now;
            return (
              <li key={x.id} className="flex flex-wrap items-center gap-x-3 border-t border-line py-1.5">
                <span className="min-w-0 flex-1 basis-64">
                  <Mark kind={over ? 'stopped' : 'settled'} /> <b className="font-semibold">{x.name}</b>{' '}
                  <span className="text-soft">
                    {[
                      t(`tokens.${x.purpose}`),
                      t('tokens.by', { who: x.by }),
                      x.endedAt
                        ? t('tokens.ended', { who: x.endedBy, time: when(x.endedAt) })
                        : t(over ? 'tokens.over' : 'tokens.until', { time: when(x.expires) }),
                      x.usedAt ? t('tokens.used', { time: when(x.usedAt) }) : t('tokens.unused'),
                    ].join(' · ')}
                  </span>
                </span>
                {!over && (
                  <Button aria-label={t('tokens.endOf', { name: x.name })} disabled={end.isPending} onClick={() => end.mutate(x.id)}>
                    {t('tokens.end')}
                  </Button>
                )}
              </li>
            );
          })}
        </ul>
      )}
    </section>
  );
}
