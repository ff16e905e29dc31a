import { useTranslation } from 'react-i18next';
import type { components } from '../api/schema.gen';
import { type Book, termName } from './words';
import { subjectTab } from '../kit/marks';

export type GivenSection = components['schemas']['GivenSection'];

/** The week that a student is given: periods down, terms across; a section all year spans the terms, and what is open is drawn as open. */
export function Week({ book, given }: { book: Book; given: GivenSection[] }) {
  const { t } = useTranslation();
  const { terms } = book.catalog;
  const last = Math.max(0, ...given.flatMap((g) => g.periods), Math.round(book.catalog.periods));
  const loose = given.filter((g) => g.periods.length === 0);
  const name = (g: GivenSection) => `${book.title(g.course)}${g.days.length ? ` (${t('result.days', { days: g.days.join(', ') })})` : ''}`;
  return (
    <>
      <table className="w-full table-fixed border-collapse text-sm">
        <caption className="sr-only">{t('result.week')}</caption>
        <thead>
          <tr>
            <th scope="col" className="w-8 text-start font-normal text-soft">
              <span className="sr-only">{t('result.period')}</span>
            </th>
            {terms.map((_, i) => (
              <th key={i} scope="col" className="text-start font-semibold">
                {termName(t, book, i)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {Array.from({ length: last }, (_, k) => k + 1).map((period) => {
            const here = given.filter((g) => g.periods.includes(period));
            const cells: { span: number; list: GivenSection[] }[] = [];
            for (let i = 0; i < terms.length; i++) {
              const list = here.filter((g) => g.terms.includes(terms[i] ?? ''));
              const before = cells.at(-1);
              if (before && list.length > 0 && before.list.length === list.length && list.every((g) => before.list.includes(g))) before.span++;
              else cells.push({ span: 1, list });
            }
            return (
              <tr key={period}>
                <th scope="row" className="py-0.5 text-start align-top font-normal text-soft">
                  {period}
                </th>
                {cells.map((cell, i) => (
                  <td key={i} colSpan={cell.span} className="p-0.5 align-top">
                    {cell.list.length === 0 ? (
                      <div className="rounded border border-dashed border-edge px-2 py-1 text-soft">{t('result.open')}</div>
                    ) : (
                      cell.list.map((g) => (
                        <div
                          key={g.section}
                          className="mb-0.5 rounded border border-line bg-card px-2 py-1"
                          style={{ borderInlineStart: `4px solid ${subjectTab(book.course(g.course)?.subjects[0] ?? '').hue}` }}
                        >
                          <span className="font-semibold">{name(g)}</span>{' '}
                          <span className="text-soft">{[g.teacher, g.alternate && t('result.alternate')].filter(Boolean).join(' · ')}</span>
                        </div>
                      ))
                    )}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
      {loose.length > 0 && (
        <p className="mt-1 text-sm text-soft">
          {t('result.loose')} {loose.map(name).join(t('listComma'))}
        </p>
      )}
    </>
  );
}

/** What was not given: why, and what came in. */
export function NotGiven({ book, lacking }: { book: Book; lacking: components['schemas']['Lacking'][] }) {
  const { t } = useTranslation();
  return (
    <ul>
      {lacking.map((l) => (
        <li key={l.course} className="border-t border-line py-1">
          <b className="font-semibold">{book.title(l.course)}</b>{' '}
          <span className="text-soft">
            {t('result.wish', { n: l.rank })} · {t(`result.why.${l.why}`)}
          </span>
          <span className={`block text-sm ${l.instead ? '' : 'text-ochre'}`}>
            {l.instead ? t('result.instead', { course: book.title(l.instead) }) : t('result.nothing')}
          </span>
        </li>
      ))}
    </ul>
  );
}
