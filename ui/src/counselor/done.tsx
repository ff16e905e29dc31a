import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { TFunction } from 'i18next';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { type BatchView, takeBack, useBatches } from '../api/desks';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { when } from '../kit/format';
import type { Book } from '../shared/words';
import { BackForm, outcomeWords } from './back';
import { ShowEarlier } from '../shared/earlier';

/** What was done, in words. */
export function batchWords(t: TFunction, book: Book, b: BatchView) {
  const rule = b.name && (book.rule(b.name)?.label ?? entryLabel(book, b.name));
  return t(`together.did.${b.kind}`, {
    course: b.course ? book.title(b.course) : t('together.anyCourse'),
    rule: rule || b.name,
    about: b.kind === 'remind' ? t(`reminder.${b.name}`) : '',
  });
}

function entryLabel(book: Book, name: string) {
  const [audit, entry] = name.split('/');
  const list = book.catalog.audits.find((a) => a.id === audit);
  const label = list?.entries.find((e) => e.id === entry)?.label;
  return list && label && `${list.label}: ${label}`;
}

/** The acts that were done with many sheets at once, or with one, each with the way back. */
export function Done(props: { at: Year; book: Book; student?: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const list = useBatches(props.at, props.student);
  const back = useMutation({
    mutationFn: ({ id, reason }: { id: number; reason: string }) => takeBack(props.at, id, reason, props.student),
    onSettled: () => {
      for (const key of ['caseload', 'sheet', 'batches']) void client.invalidateQueries({ queryKey: [key] });
    },
  });
  if (list.error && !list.data) return <Refusal text={errorWords(t, list.error)} />;
  if (!list.data) return <Loading />;
  if (list.data.length === 0) return <p className="text-soft">{t('together.none')}</p>;
  const left = back.data?.sheets.filter((s) => s.code) ?? [];
  return (
    <>
      {back.data && (
        <p role="status" className="mb-1">
          {t('together.backDone', { count: back.data.sheets.length - left.length })}{' '}
          {left.map((s) => `${s.family}, ${s.given}: ${outcomeWords(t, s.code ?? '')}`).join(' ')}
        </p>
      )}
      <Refusal text={back.error ? errorWords(t, back.error) : undefined} />
      <ul>
        {list.data.map((b) => (
          <li key={b.id} className="border-t border-line py-1.5">
            <div className="flex flex-wrap items-baseline gap-x-3">
              <span className="text-sm text-soft">{when(b.at)}</span>
              <span className="min-w-0 flex-1 basis-60">
                <b className="font-semibold">{batchWords(t, props.book, b)}</b>
                {!props.student && <span className="text-soft"> · {t('together.sheets', { count: b.sheets })}</span>}{' '}
                <span className="text-soft">· {b.by}</span>
                {(b.reason || b.message) && <span className="block text-sm text-soft">“{b.reason || b.message}”</span>}
                {b.backAt && <span className="block text-sm">{t('together.wasBack', { who: b.backBy, when: when(b.backAt), count: b.back })}</span>}
              </span>
              {b.mayTakeBack && b.back < b.sheets && <BackForm busy={back.isPending} onBack={(reason) => back.mutate({ id: b.id, reason })} />}
            </div>
          </li>
        ))}
      </ul>
      <ShowEarlier of={list} />
    </>
  );
}
