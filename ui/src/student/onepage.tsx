import { type ReactNode, useMemo, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { type Place, useCatalog, useEffects, useSheet } from '../api/client';
import { errorWords } from '../shared/errors';
import { Loading, Refusal } from '../kit/controls';
import { bookOf } from '../shared/words';
import { Alternates } from './alternates';
import { Board } from './board';
import type { Desk } from './desk';
import { Happenings } from './history';
import { useKeeping } from './keeping';
import { Ledger } from './ledger';
import './words';
import './laterwords';

/** A sheet on one page for someone of the school: the year, the alternates, the rules and lists, and what happened; next to it what is theirs. */
export default function OnePage(props: {
  place: Place;
  reason: string;
  onFind: () => void;
  beside: ReactNode;
  left: ReactNode;
  right: ReactNode;
  history: string;
}) {
  const { t } = useTranslation();
  const { place, reason, onFind } = props;
  const catalog = useCatalog(place);
  const sheet = useSheet(place);
  const effects = useEffects(sheet.data);
  const [open, setOpen] = useState<string>();
  const book = useMemo(() => catalog.data && bookOf(catalog.data), [catalog.data]);
  const keeping = useKeeping(place, book, sheet.data, reason);
  const error = catalog.error ?? sheet.error;
  if (error && !sheet.data) return <Refusal text={errorWords(t, error)} />;
  if (!book || !sheet.data) return <Loading />;
  const { change, busy, waiting } = keeping;
  const desk: Desk = { book, sheet: sheet.data, effects: effects.data, effectsFailed: effects.isError, change, busy, waiting, place, reason };
  return (
    <>
      <Refusal text={keeping.notice} />
      <div className="grid gap-x-7 desk:grid-cols-[minmax(0,58fr)_minmax(0,42fr)]">
        <div className="min-w-0">
          <Board desk={desk} open={open} preview={undefined} onOpen={setOpen} onFind={onFind} />
          <Alternates desk={desk} open={open} onOpen={setOpen} onFind={onFind} />
          <Ledger desk={desk} preview={undefined} onFind={onFind} />
        </div>
        {props.beside}
      </div>
      <div className="mt-6 grid gap-x-7 border-t border-line pt-3 desk:grid-cols-2">
        <div className="min-w-0">{props.left}</div>
        <div className="min-w-0">
          {props.right}
          <section className="mt-6" aria-label={props.history}>
            <h2 className="mb-1 font-semibold">{props.history}</h2>
            <Happenings desk={desk} />
          </section>
        </div>
      </div>
    </>
  );
}
