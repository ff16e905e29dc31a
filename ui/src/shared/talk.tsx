import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import words from '../../../locales/en.json?part=talk';
import { type Sheet, api, ask, keys, placeOf } from '../api/client';
import { errorWords } from './errors';
import { speakMore } from '../i18n';
import { Refusal } from '../kit/controls';
import { when } from '../kit/format';
import { Say } from './say';
import type { Book } from './words';

speakMore(words);

const path = '/api/schools/{school}/years/{year}/students/{student}/remarks' as const;

/** What a family says to each other about a sheet, one course of it ('': the whole), or a draft; the school does not read it. */
export default function Talk({ book, sheet, course, label, draft }: { book: Book; sheet: Sheet; course?: string; label: string; draft?: number }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const place = { ...placeOf(sheet), draft: draft ?? sheet.draft?.id };
  const key = ['remarks', place.school, place.year, place.student, 'talk', place.draft ?? 0, sheet.version];
  const params = { path: place, query: { draft: place.draft } };
  const remarks = useQuery({ queryKey: key, queryFn: () => ask(api.GET(path, { params })) });
  const say = useMutation({
    mutationFn: (text: string) => ask(api.POST(path, { params, body: { kind: 'family', course: course ?? '', text } })),
    onSuccess: (said) => {
      client.setQueryData(key, said);
      void client.invalidateQueries({ queryKey: keys.sheet({ ...place, draft: undefined }) });
    },
  });
  const list = remarks.data?.remarks.filter((r) => r.kind === 'family' && (course === undefined || (r.course ?? '') === course)) ?? [];
  return (
    <div className="mt-1 border-s-2 border-line ps-3 text-sm">
      {list.length > 0 && (
        <ul>
          {list.map((r) => (
            <li key={r.id} className="py-1">
              <span className="text-soft">
                {r.by}, {when(r.at, sheet.status.window?.zone)}
                {course === undefined && r.course && ` · ${book.title(r.course)}`}:
              </span>{' '}
              “{r.text}”
            </li>
          ))}
        </ul>
      )}
      {remarks.data?.remark.allowed && (
        <Say label={label} action={t('talk.go')} busy={say.isPending} onSay={(text, taken) => say.mutate(text, { onSuccess: taken })} />
      )}
      <Refusal text={(say.error ?? remarks.error) ? errorWords(t, say.error ?? remarks.error) : undefined} />
    </div>
  );
}

/** What the family has said about the sheet, for the student, with a field to answer. */
export function TalkBand({ book, sheet }: { book: Book; sheet: Sheet }) {
  const { t } = useTranslation();
  return (
    <section aria-labelledby="talk" className="mb-3" data-testid="talk">
      <h2 id="talk" className="font-semibold">
        {t('talk.head')} <span className="font-normal text-soft">· {t('talk.note')}</span>
      </h2>
      <Talk book={book} sheet={sheet} label={t('talk.answer')} />
    </section>
  );
}
