import { useQuery } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Place, api, ask } from '../api/client';
import { when } from '../kit/format';
import './reminderwords';

/** What the school reminds a student and the family of, the latest first. */
export default function Reminded({ place, zone, at }: { place: Place; zone: string | undefined; at: string }) {
  const { t } = useTranslation();
  const { school, year, student } = place;
  const list = useQuery({
    queryKey: ['reminders', school, year, student, at],
    queryFn: () => ask(api.GET('/api/schools/{school}/years/{year}/students/{student}/reminders', { params: { path: { school, year, student } } })),
    staleTime: Infinity, // until there is another
  });
  if (!list.data?.length) return null;
  return (
    <ul className="my-2 border-s-4 border-ochre ps-3" aria-label={t('reminder.label')}>
      {list.data.map((r) => (
        <li key={r.about}>
          {t('reminder.head', { who: r.by, what: t(`reminder.${r.about}`) })}{' '}
          <span className="text-soft">
            {r.text && `“${r.text}” `}
            {when(r.at, zone)}
          </span>
        </li>
      ))}
    </ul>
  );
}
