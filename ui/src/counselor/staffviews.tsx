import { useTranslation } from 'react-i18next';
import { type Place, api, ask } from '../api/client';
import { usePaged } from '../api/paged';
import { ShowEarlier } from '../shared/earlier';
import { day } from '../kit/format';
import { Unread } from '../shared/unread';
import '../shared/staff';

/** Who of the school looked at a student's sheet, and on which days. */
export function StaffViews({ place }: { place: Place }) {
  const { t } = useTranslation();
  const path = { school: place.school, year: place.year, student: place.student };
  const list = usePaged(['looks', path], 200, (skip) =>
    ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/looks', { params: { path, query: { skip } } })),
  );
  const days = new Map<string, string[]>();
  for (const x of list.data ?? []) days.set(x.day, [...(days.get(x.day) ?? []), x.by]);
  return (
    <section className="mt-6" aria-label={t('looks.head')}>
      <h2 className="font-semibold">{t('looks.head')}</h2>
      {list.data ? (
        <ul className="max-h-40 overflow-y-auto text-sm" tabIndex={0} aria-label={t('looks.head')}>
          {Array.from(days, ([on, who]) => (
            <li key={on} className="border-t border-line py-1">
              <span className="text-soft">{day(on)}</span> {who.join(', ')}
            </li>
          ))}
        </ul>
      ) : (
        <Unread of={[list]} inside />
      )}
      <ShowEarlier of={list} />
    </section>
  );
}
