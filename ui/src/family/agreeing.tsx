import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTranslation } from 'react-i18next';
import { type Place, type Sheet, api, ask } from '../api/client';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { money, when } from '../kit/format';
import { Mark } from '../kit/marks';
import { DifferenceWords } from '../shared/difference';
import type { Book } from '../shared/words';

const path = '/api/schools/{school}/years/{year}/students/{student}/sheet/agreements' as const;
const keyOf = (at: Place, version: number) => ['agreements', at.school, at.year, at.student, version];

/** What is agreed to one by one before signing a sheet; undefined until it is known. */
export const useAgreements = (place: Place, sheet: Sheet) =>
  useQuery({
    queryKey: keyOf(place, sheet.version),
    queryFn: () => ask(api.GET(path, { params: { path: place } })),
    enabled: sheet.acts.sign.allowed,
  });

/** Fees and commitments, each with its own press, the hour of agreeing, and a way back until the signature. */
export default function Agreeing({ book, sheet, place, id, onSet }: { book: Book; sheet: Sheet; place: Place; id: string; onSet: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const list = useAgreements(place, sheet);
  const set = useMutation({
    mutationFn: (body: { kind: 'fee' | 'commitment'; ref: string; what: string; agree: boolean }) => ask(api.PUT(path, { params: { path: place }, body })),
    onSuccess: (answer) => {
      client.setQueryData(keyOf(place, sheet.version), answer);
      onSet();
    },
    onError: () => void list.refetch(),
  });
  if (list.error) return <Refusal text={errorWords(t, list.error)} />;
  if (!list.data) return <Loading />;
  const { agreements, signedAt, since } = list.data;
  const zone = sheet.status.window?.zone;
  const done = agreements.filter((a) => a.at).length;
  return (
    <section aria-labelledby={id} className="mt-4">
      {signedAt && (
        <p className="mb-3 border-s-2 border-ochre ps-3" data-testid="since-signed">
          {t('family.signedBefore', { time: when(signedAt, zone) })} {since ? <DifferenceWords book={book} since={since} /> : t('family.sameAsSigned')}
        </p>
      )}
      {agreements.length > 0 && (
        <>
          <h2 id={id} className="font-semibold">
            {t('family.agree')} <span className="font-normal text-soft">· {t('family.agreed', { done, count: agreements.length })}</span>
          </h2>
          <ul>
            {agreements.map((a) => {
              const text =
                a.kind === 'fee'
                  ? t('family.agreeFee', { fee: money(Number(a.what) / 100, book.catalog.currency), course: book.title(a.ref) })
                  : (book.catalog.commitments.find((c) => c.id === a.ref)?.text ?? a.what);
              return (
                <li key={a.kind + a.ref} className="flex items-center gap-3 border-t border-line py-1">
                  <Mark kind={a.at ? 'settled' : 'missing'} />
                  <span className="flex-1">
                    {text}
                    <span className="block text-sm text-soft">{a.at ? t('family.agreedAt', { time: when(a.at, zone) }) : t('family.notAgreed')}</span>
                  </span>
                  <button
                    type="button"
                    data-open={a.at ? undefined : ''}
                    disabled={set.isPending}
                    aria-label={`${t(a.at ? 'family.withdraw' : 'family.agreeGo')}: ${text}`}
                    onClick={() => set.mutate({ kind: a.kind, ref: a.ref, what: a.what, agree: !a.at })}
                    className={a.at ? 'min-h-11 px-2 inked-link' : 'min-h-11 rounded border border-edge bg-card px-3 py-1 hover:bg-wash disabled:opacity-60'}
                  >
                    {t(a.at ? 'family.withdraw' : 'family.agreeGo')}
                  </button>
                </li>
              );
            })}
          </ul>
        </>
      )}
      <Refusal text={set.error ? errorWords(t, set.error) : undefined} />
    </section>
  );
}
