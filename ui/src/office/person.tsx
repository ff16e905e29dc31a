import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Found, type Year, api, ask, useCatalog } from '../api/client';
import { usePaged } from '../api/paged';
import { errorWords } from '../shared/errors';
import { Button, Loading, Refusal } from '../kit/controls';
import { ShowEarlier } from '../shared/earlier';
import { when } from '../kit/format';
import { Mark } from '../kit/marks';

/** Who tried to sign in as a person, the latest first. */
export function SignIns({ at, person }: { at: Year; person: string }) {
  const { t } = useTranslation();
  const list = usePaged(['sign-ins', at.school, at.year, person], 50, (skip) =>
    ask(
      api.GET('/api/schools/{school}/years/{year}/people/{person}/sign-ins', {
        params: { path: { school: at.school, year: at.year, person }, query: { skip } },
      }),
    ),
  );
  if (list.error) return <Refusal text={errorWords(t, list.error)} />;
  if (!list.data) return <Loading />;
  return (
    <section aria-label={t('people.signIns')} className="w-full ps-4 text-sm">
      {list.data.length === 0 && <p className="text-soft">{t('people.noSignIns')}</p>}
      <ul className="max-h-48 overflow-y-auto" tabIndex={0} aria-label={t('people.signIns')}>
        {list.data.map((x, i) => (
          <li key={i} className="flex flex-wrap gap-x-3">
            <span className="w-36 text-soft">{when(x.at)}</span>
            <span className={x.done ? '' : 'text-ochre'}>
              <Mark kind={x.done ? 'settled' : 'stopped'} /> {t(x.done ? 'people.signedIn' : 'people.notSignedIn')}
            </span>
            <span className="min-w-0 flex-1 truncate text-soft">{x.agent}</span>
          </li>
        ))}
      </ul>
      <ShowEarlier of={list} />
    </section>
  );
}

/** The courses that a person of the staff leads, given and taken with a reason. */
export function Leads({ at, person, onSet }: { at: Year; person: Found; onSet: () => unknown }) {
  const { t } = useTranslation();
  const catalog = useCatalog(at);
  const [course, setCourse] = useState('');
  const [reason, setReason] = useState('');
  const set = useMutation({
    mutationFn: (body: { course: string; give: boolean; reason: string }) =>
      ask(
        api.POST('/api/schools/{school}/years/{year}/people/{person}/leads', {
          params: { path: { school: at.school, year: at.year, person: person.id } },
          body,
        }),
      ),
    onSuccess: () => (setCourse(''), setReason(''), onSet()),
  });
  const title = (code: string) => catalog.data?.courses.find((c) => c.code === code)?.title ?? code;
  const open = catalog.data?.courses.filter((c) => !person.leads?.includes(c.code)) ?? [];
  const field = 'min-h-8 rounded border border-edge bg-card px-2 max-desk:min-h-11';
  return (
    <form
      className="w-full ps-4 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate({ course, give: true, reason });
      }}
    >
      <p className="text-soft">{t('people.leadsNote')}</p>
      <label className="block">
        {t('people.reason')}
        <input value={reason} maxLength={1000} onChange={(event) => setReason(event.target.value)} className={`${field} mt-0.5 mb-1 block w-full max-w-xl`} />
      </label>
      {person.leads?.map((code) => (
        <p key={code} className="flex flex-wrap items-center gap-x-3">
          {title(code)}
          <Button
            disabled={set.isPending}
            aria-label={`${t('people.noLead')}: ${title(code)}`}
            onClick={() => set.mutate({ course: code, give: false, reason })}
          >
            {t('people.noLead')}
          </Button>
        </p>
      ))}
      {!person.leads?.length && <p className="text-soft">{t('people.leadsNone')}</p>}
      <div className="mt-1 flex flex-wrap items-end gap-2">
        <label>
          {t('people.leadCourse')}
          <select value={course} onChange={(event) => setCourse(event.target.value)} className={`${field} mt-0.5 block max-w-64`}>
            <option value="" />
            {open.map((c) => (
              <option key={c.code} value={c.code}>
                {c.title} ({c.code})
              </option>
            ))}
          </select>
        </label>
        <Button type="submit" disabled={!course || set.isPending}>
          {t('people.lead')}
        </Button>
      </div>
      <Refusal text={set.error ? errorWords(t, set.error) : undefined} />
    </form>
  );
}
