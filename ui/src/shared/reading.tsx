import { useDeferredValue, useEffect, useState } from 'react';
import i18next, { type TFunction } from 'i18next';
import { useTranslation } from 'react-i18next';
import type { Year } from '../api/client';
import { type ReadPart, useReading } from '../api/desks';
import './staff';

/** Words in a list: a, b and c; or a, b or c. */
const list = (words: string[], type: 'conjunction' | 'disjunction') => new Intl.ListFormat(i18next.language, { type }).format(words);

/** What a condition asks for, read back in words; or what is wrong with it, and where. */
export function Reading({ at, text, id }: { at: Year; text: string; id: string }) {
  const { t } = useTranslation();
  const [settled, setSettled] = useState(text);
  const deferred = useDeferredValue(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(deferred), 300);
    return () => clearTimeout(timer);
  }, [deferred]);
  const reading = useReading(at, settled);
  if (text.trim() === '' || !reading.data) return null;
  const { reads, fault, unknown } = reading.data;
  return (
    <p id={id} className="mt-0.5 text-sm text-soft" aria-live="polite">
      {reads && t('reading.asks', { what: partWords(t, reads) })}
      {unknown && <span className="text-ochre"> {t('reading.unknown', { count: unknown.length, codes: list(unknown, 'conjunction') })}</span>}
      {fault && (
        <span className="text-ochre">
          {t('reading.at', { n: fault.at })} {t(`reading.fault.${fault.kind}`, { name: fault.name, found: fault.found ?? t('reading.end') })}
        </span>
      )}
    </p>
  );
}

/** A part of a condition in words; parts of parts stand in parentheses. */
function partWords(t: TFunction, part: ReadPart, within = false): string {
  if (part.need) {
    const n = part.need;
    return t(n.at === undefined || n.kind === 'grade' ? `need.${n.kind}` : `need.${n.kind}At`, { name: n.title ?? n.name ?? '', at: n.at });
  }
  const parts = (part.parts ?? []).map((p) => partWords(t, p, true));
  const words =
    part.of === parts.length
      ? list(parts, 'conjunction')
      : part.of === 1
        ? list(parts, 'disjunction')
        : t('reading.some', { count: part.of ?? 0, all: parts.length, parts: parts.join('; ') });
  return within ? `(${words})` : words;
}

/** What a condition can ask for, one line each. */
export function Leaves() {
  const { t } = useTranslation();
  return (
    <ul className="mt-1 list-disc ps-5">
      {(['passed', 'alongside', 'grade', 'score', 'program', 'permission', 'credits', 'recommended', 'joined'] as const).map((leaf) => (
        <li key={leaf}>{t(`reading.leaf.${leaf}`)}</li>
      ))}
    </ul>
  );
}
