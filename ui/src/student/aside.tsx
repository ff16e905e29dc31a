import { lazy, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import { studentPath } from '../api/client';
import { day } from '../kit/format';
import { Late } from '../kit/late';
import { Mark } from '../kit/marks';
import type { Desk } from './desk';
import { Explain } from './explain';

const Remarks = lazy(() => import('../shared/remarks').then((m) => ({ default: m.Remarks })));

/** The school's own words for the student's grade. */
export const welcomeOf = ({ book, sheet }: Desk) => book.catalog.welcome.filter((w) => w.grades.length === 0 || w.grades.includes(sheet.student.grade));

/** What is to be done outside the sheet, what happens when, and whom to ask. */
export function Aside({ desk }: { desk: Desk }) {
  const { t, i18n } = useTranslation();
  const { book, sheet } = desk;
  const { stages, contacts, errands } = book.catalog;
  const words = welcomeOf(desk);
  const [open, setOpen] = useState(false); // what was asked and said
  return (
    <div className="mt-4 grid gap-x-8 gap-y-3 text-sm desk:grid-cols-2 desk:ps-7">
      {sheet.errands.length > 0 && (
        <section aria-labelledby="errands">
          <h2 id="errands" className="mb-1 font-semibold">
            {t('errands.head')} <span className="font-normal text-soft">· {t('errands.note')}</span>{' '}
            {!sheet.draft && (
              <Link href="/errands" className="font-normal inked-link">
                {t('errands.all')}
              </Link>
            )}
          </h2>
          <ul>
            {sheet.errands.map((x) => {
              const errand = errands[x.errand];
              if (!errand) return null;
              return (
                <li key={x.errand} className="flex items-baseline gap-2 border-t border-line py-1">
                  <Mark kind={x.settled ? 'settled' : 'missing'} />
                  <span className="flex-1">
                    {errand.title} <span className="text-soft">· {book.title(x.course)}</span>
                    {[errand.place, errand.note].filter(Boolean).map((text) => (
                      <span key={text} className="block text-soft">
                        {text}
                      </span>
                    ))}
                    {x.replacedBy && <span className="block">{t('errands.replaced', { course: book.title(x.replacedBy) })}</span>}
                  </span>
                  <span className="text-soft">
                    {x.settled ? t('errands.settled') : errand.due ? t('errands.by', { due: day(errand.due) }) : t('errands.open')}
                  </span>
                </li>
              );
            })}
          </ul>
        </section>
      )}
      {stages.length > 0 && (
        <section aria-labelledby="stages">
          <h2 id="stages" className="mb-1 font-semibold">
            {t('stages.head')}
          </h2>
          <ul>
            {stages.map((s) => (
              <li key={s.from + s.text} className="flex gap-3 border-t border-line py-1">
                <span className="w-32 shrink-0 text-soft">{day(s.from)}</span>
                <span>{s.text}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {!sheet.draft && sheet.status.answered && (
        <Late>
          <Remarks book={book} sheet={sheet} kinds={[]} head={t('page.answers')} />
        </Late>
      )}
      {!sheet.draft && (
        <details onToggle={(event) => setOpen(event.currentTarget.open)}>
          <summary className="min-h-7 cursor-pointer font-semibold">{t('remark.head')}</summary>
          <Late>{open && <Remarks book={book} sheet={sheet} kinds={['wrong', 'later', 'question']} />}</Late>
        </details>
      )}
      <div>
        {sheet.status.keptAt && words.length > 0 && (
          <p>
            <Explain label={t('hint.words', { grade: sheet.student.grade })} words={words.map((w) => w.text)} />
          </p>
        )}
        <a
          className="inline-flex min-h-7 items-center inked-link"
          href={`${studentPath(desk.place)}/worksheet.pdf?language=${i18n.language}`}
          download="worksheet.pdf"
        >
          {t('submit.worksheet')}
        </a>
      </div>
      {contacts.length > 0 && (
        <section aria-labelledby="contacts">
          <h2 id="contacts" className="mb-1 font-semibold">
            {t('contacts.head')}
          </h2>
          <ul>
            {contacts.map((c) => (
              <li key={c.for + (c.name ?? '')} className="border-t border-line py-1">
                {c.name} <span className="text-soft">· {t(`contacts.${c.for}`)}</span>
                <span className="block">
                  {c.phone && (
                    <a className="me-3 inline-flex min-h-6 items-center inked-link" href={`tel:${c.phone.replace(/\s/g, '')}`}>
                      {c.phone}
                    </a>
                  )}
                  {c.mail && (
                    <a className="me-3 inline-flex min-h-6 items-center inked-link" href={`mailto:${c.mail}`}>
                      {c.mail}
                    </a>
                  )}
                  {c.book && (
                    <a className="inline-flex min-h-6 items-center inked-link" href={c.book} rel="noreferrer">
                      {t('contacts.book')}
                    </a>
                  )}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
