import { useTranslation } from 'react-i18next';
import type { Catalog, Year } from '../api/client';
import type { RevisionView } from '../api/desks';
import { Button } from '../kit/controls';
import { Reading } from '../shared/reading';
import { Labelled, Remove, field } from './fields';

type Row = Record<string, string>;
const kinds = ['test', 'audition', 'application', 'form', 'meeting', 'other'];

/** What courses bring with them outside the sheet, a row of errands.csv each. */
export function Errands(props: { at: Year; rows: Row[]; catalog: Catalog; problems: RevisionView['problems']; onRows: (rows: Row[]) => void }) {
  const { t } = useTranslation();
  const { rows, catalog, onRows } = props;
  const set = (i: number, key: string, value: string) => onRows(rows.map((r, k) => (k === i ? { ...r, [key]: value } : r)));
  const title = (code: string | undefined) => catalog.courses.find((c) => c.code === code)?.title ?? code ?? '';
  return (
    <>
      <p className="mb-2 max-w-3xl text-sm text-soft">{t('policy.errandsNote')}</p>
      <ul>
        {rows.map((row, i) => {
          const bad = (key: string) => props.problems.find((p) => p.file === 'errands.csv' && p.line === i + 2 && p.column === key)?.what;
          const input = (key: string, wide = 'w-44', more: { placeholder?: string; mono?: boolean } = {}) => (
            <Labelled label={t(`policy.errand.${key}`)}>
              <input
                value={row[key] ?? ''}
                maxLength={1000}
                placeholder={more.placeholder}
                spellCheck={!more.mono}
                aria-invalid={bad(key) ? true : undefined}
                onChange={(event) => set(i, key, event.target.value)}
                className={`${field} block ${wide} ${more.mono ? 'font-mono text-sm' : ''} ${bad(key) ? 'border-ochre' : ''}`}
              />
              {bad(key) && key !== 'settledBy' && (
                <span lang="en" className="block text-ochre">
                  {bad(key)}
                </span>
              )}
            </Labelled>
          );
          return (
            <li key={i} className="border-t border-line py-2">
              <div className="flex flex-wrap items-end gap-2">
                <Labelled label={t('policy.errand.courseCode')}>
                  <select value={row.courseCode ?? ''} onChange={(event) => set(i, 'courseCode', event.target.value)} className={`${field} block w-52`}>
                    <option value="" />
                    {catalog.courses.map((c) => (
                      <option key={c.code} value={c.code}>
                        {c.title} ({c.code})
                      </option>
                    ))}
                  </select>
                  {bad('courseCode') && (
                    <span lang="en" className="block text-ochre">
                      {bad('courseCode')}
                    </span>
                  )}
                </Labelled>
                <Labelled label={t('policy.errand.kind')}>
                  <select value={row.kind ?? ''} onChange={(event) => set(i, 'kind', event.target.value)} className={`${field} block`}>
                    {kinds.map((k) => (
                      <option key={k} value={k}>
                        {t(`errands.kind.${k}`)}
                      </option>
                    ))}
                  </select>
                </Labelled>
                {input('title', 'w-64')}
                {input('due', 'w-44', { placeholder: '2027-05-12T09:00' })}
                <span className="ms-auto">
                  <Remove label={row.title || title(row.courseCode)} onRemove={() => onRows(rows.filter((_, k) => k !== i))} />
                </span>
              </div>
              <div className="mt-1 flex flex-wrap items-end gap-2">
                {input('place')}
                {input('note', 'w-64')}
                {input('settledBy', 'w-52', { placeholder: 'permission audition', mono: true })}
                {input('becomes', 'w-40', { placeholder: 'ALG2,GEO1', mono: true })}
              </div>
              <Reading at={props.at} id={`settled-${i}`} text={row.settledBy ?? ''} />
            </li>
          );
        })}
      </ul>
      <Button className="mt-2" onClick={() => onRows([...rows, { kind: 'form', title: t('policy.newErrand') }])}>
        {t('policy.addErrand')}
      </Button>
    </>
  );
}
