import { type ReactNode, useEffect, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation, useRouter, useSearchParams } from 'wouter';
import { type ConditionPart, type CourseView, type Effect } from '../api/client';
import { useCourse } from '../api/workspace';
import { errorWords } from '../shared/errors';
import { Button, Refusal } from '../kit/controls';
import { amount, money } from '../kit/format';
import { useSingleKeys } from '../kit/keys';
import { Mark, SubjectTab } from '../kit/marks';
import { inUnit, join, needWords } from '../shared/words';
import { effectWords, mayWords, proofWords, spanWords } from './effectwords';
import { verdictMarks } from './course';
import { type Desk, mayChange } from './desk';
import { Route } from './route';
import { CourseDialog } from './floating';
import './laterwords';

/** One course, as a prospectus has it, with what it asks of this student and what it would do; next to it up to two others. */
export default function CoursePage({ desk, code }: { desk: Desk; code: string }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const [params, setParams] = useSearchParams();
  const [, go] = useLocation();
  const [open, setOpen] = useState(false);
  const view = useCourse(sheet, code);
  const c = book.course(code);
  const others = (params.get('with') ?? '').split(',').filter((x) => book.course(x) && x !== code);
  useSingleKeys({
    a: () => document.querySelector<HTMLButtonElement>('[data-act=alternate]')?.click(),
    c: () => document.querySelector<HTMLSelectElement>('[data-act=compare]')?.focus(),
  });
  useEffect(() => {
    function key(event: KeyboardEvent) {
      if (event.key === 'Escape' && !document.querySelector('[role=dialog]')) window.history.back();
    }
    window.addEventListener('keydown', key);
    return () => window.removeEventListener('keydown', key);
  }, []);
  if (!c)
    return (
      <main id="page" className="p-6">
        <h1>{t('page.noCourse', { code })}</h1>
        <Link href="/" className="inked-link">
          {t('page.back')}
        </Link>
      </main>
    );
  const head = c.variantOf || c.code;
  const variants = book.catalog.courses.filter((x) => (x.variantOf || x.code) === head);
  const entry = [...sheet.requests, ...sheet.summer, ...sheet.alternates].find((e) => e.course === code);
  const counselor = sheet.student.counselor ?? t('theCounselor');
  const errands = sheet.errands.filter((x) => x.course === code).map((x) => book.catalog.errands[x.errand]);
  const facts = [
    c.code,
    inUnit(t, book, c.credits),
    c.summer ? t('finder.summer') : spanWords(t, book, c),
    c.summer ? '' : c.load === 0 ? t('page.noLoad') : t('page.load', { count: c.load, n: amount(c.load) }),
  ];
  const withOthers = (list: string[]) => setParams(list.length ? { with: list.join(',') } : {}, { replace: true });
  return (
    <main id="page" className="grid gap-x-10 px-4 pt-4 pb-12 desk:grid-cols-[minmax(0,58fr)_minmax(0,42fr)] desk:px-6">
      <article className="min-w-0">
        <p className="flex items-center gap-1 text-sm text-soft">
          <SubjectTab subject={c.subject} /> {c.subjects.join(', ')}
        </p>
        <h1>{c.title}</h1>
        <p className="max-w-2xl">
          <b className="font-semibold">{facts.filter(Boolean).join(' · ')}.</b>{' '}
          {c.grades.length > 0 && t('effect.grades', { count: c.grades.length, grades: join(t, c.grades.map(String)) })}{' '}
          {c.teachers?.length ? `${t('finder.taught', { who: join(t, c.teachers) })}. ` : ''}
          {c.fee ? `${t('course.fee', { fee: money(c.fee, book.catalog.currency) })}. ` : ''}
          {errands.map((x) => x && `${x.title}. `)}
        </p>
        {variants.length > 1 && (
          <Section title={t('page.as')}>
            <fieldset>
              <legend className="sr-only">{t('page.as')}</legend>
              {variants.map((v) => (
                <label key={v.code} className="flex min-h-8 items-baseline gap-2">
                  <input
                    type="radio"
                    name="as"
                    className="size-4 translate-y-0.5 accent-ink"
                    checked={v.code === code}
                    onChange={() => go(`/course/${encodeURIComponent(v.code)}${others.length ? `?with=${others.join(',')}` : ''}`, { replace: true })}
                  />
                  <span>
                    <b className="font-semibold">{v.title}</b>{' '}
                    <span className="text-sm text-soft">
                      {v.code} · {inUnit(t, book, v.credits)}
                    </span>
                  </span>
                </label>
              ))}
            </fieldset>
          </Section>
        )}
        <Section title={t('page.about')}>
          <p dir="auto" className="max-w-2xl">
            {c.description || t('page.noText', { who: counselor })}
          </p>
        </Section>
        {c.note && (
          <Section title={t('page.note')}>
            <p dir="auto" className="max-w-2xl">
              {c.note}
            </p>
          </Section>
        )}
        <Section title={t('course.evidence')}>
          {view.data ? (
            <>
              <p className="font-semibold">{mayWords(t, view.data.asks, counselor, view.data.waived)}</p>
              {view.data.asks && <Part book={desk.book} part={view.data.asks} t={t} />}
              {view.data.claims?.map((claim) => (
                <p key={claim.id} className="mt-1 text-soft">
                  “{claim.note}” {claim.by}
                </p>
              ))}
            </>
          ) : (
            <Pending view={view} />
          )}
        </Section>
        {(view.data?.legs.length ?? 0) > 0 && view.data && (
          <Section title={t('page.route')}>
            <Route book={book} view={view.data} base="/course/" />
          </Section>
        )}
      </article>
      <aside aria-label={t('page.if')} className="min-w-0 max-desk:mt-4 desk:border-s desk:border-line desk:ps-8">
        {entry ? (
          <section>
            <h2 className="mb-1 font-semibold">{t('page.on')}</h2>
            <p>
              {sheet.alternates.includes(entry)
                ? t('alternates.rank', { rank: entry.rank, count: sheet.alternates.length })
                : sheet.summer.includes(entry)
                  ? t('finder.onSummer')
                  : t('course.rank', { rank: entry.rank, count: sheet.requests.length })}
            </p>
            <Button className="mt-2" onClick={() => setOpen(true)}>
              {t('finder.openIt')}
            </Button>
            {open && (
              <CourseDialog desk={desk} entry={entry} onClose={() => setOpen(false)} onFind={(f) => go(`/?instead=${encodeURIComponent(f.instead ?? '')}`)} />
            )}
          </section>
        ) : null}
        {view.data?.effect ? <Adding desk={desk} view={view.data} effect={view.data.effect} /> : !entry && <Pending view={view} />}
        <Copy desk={desk} code={code} />
        <Beside desk={desk} code={code} others={others} onOthers={withOthers} />
      </aside>
    </main>
  );
}

function Pending({ view }: { view: ReturnType<typeof useCourse> }) {
  const { t } = useTranslation();
  if (!view.error) return <p className="text-soft">{t('page.reckoning')}</p>;
  return (
    <div>
      <Refusal text={errorWords(t, view.error)} />
      <Button className="mt-2" onClick={() => void view.refetch()}>
        {t('error.retry')}
      </Button>
    </div>
  );
}

/** A section with its head in the margin, as a prospectus has it. */
function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="grid gap-x-6 border-t border-line py-3 first-of-type:mt-3 desk:grid-cols-[8.5rem_minmax(0,1fr)]">
      <h2 className="text-sm text-soft">{title}</h2>
      <div className="min-w-0">{children}</div>
    </section>
  );
}

/** A condition as an indented outline: each thing it asks for, and what this student has of it. */
function Part({ book, part, t }: { book: Desk['book']; part: ConditionPart; t: ReturnType<typeof useTranslation>['t'] }) {
  if (part.proof)
    return (
      <p className="flex items-baseline gap-2 py-0.5">
        <Mark kind={verdictMarks[part.verdict]} />
        <span>
          <b className="font-semibold">{needWords(t, book, part.proof)}</b> <span className="text-soft">· {proofWords(t, book, part.proof)}</span>
        </span>
      </p>
    );
  const parts = part.parts ?? [];
  return (
    <div>
      <p className="text-sm text-soft">
        {part.of === parts.length
          ? t('asks.all', { count: parts.length })
          : part.of === 1
            ? t('asks.one', { count: parts.length })
            : t('asks.some', { count: parts.length, of: part.of })}
      </p>
      <ul className="border-s border-line ps-3">
        {parts.map((p, i) => (
          <li key={i}>
            <Part book={book} part={p} t={t} />
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What requesting the course would do to the year, to each list, and when it cannot be given. */
function Adding({ desk, view, effect }: { desk: Desk; view: CourseView; effect: Effect }) {
  const { t } = useTranslation();
  const { book, sheet, change } = desk;
  const c = book.course(view.course);
  const { strong, plain } = effectWords(t, book, sheet, effect);
  const may = mayChange(desk, view.course) && effect.possible;
  const alternate = sheet.alternates.find((a) => a.course === view.course);
  const credits = [...(effect.rules ?? []), ...(effect.moves ?? [])].filter((m) => {
    const rule = book.rule(m.rule);
    return rule?.measure === 'credits' && rule.courses.length === 0;
  });
  return (
    <section>
      <h2 className="mb-1 font-semibold">{t('page.if')}</h2>
      <dl className="grid gap-x-4 gap-y-1.5 desk:grid-cols-[7.5rem_minmax(0,1fr)]">
        <dt className="text-sm text-soft">{t('page.year')}</dt>
        <dd>
          {credits.map((m) => {
            const now = sheet.rules.find((r) => r.id === m.rule);
            return (
              <b key={m.rule} className="font-semibold">
                {t('page.credits', { from: inUnit(t, book, now?.measured ?? 0), to: amount(m.to) })}{' '}
              </b>
            );
          })}
          {[...strong, ...plain].join(' ')}
        </dd>
        {book.catalog.audits.map((audit) => {
          const feeds = view.feeds.filter((f) => f.list === audit.id);
          const label = (id: string) => audit.entries.find((e) => e.id === id)?.label ?? id;
          return (
            <div key={audit.id} className="contents">
              <dt className="text-sm text-soft">{audit.label}</dt>
              <dd>
                {feeds.length === 0
                  ? t('page.noFeed')
                  : feeds.map((f) => (
                      <span key={f.entry} className="block">
                        {t(f.full ? 'page.feedFull' : 'page.feed', {
                          label: label(f.entry),
                          from: amount(f.from),
                          to: amount(f.from + f.more),
                          need: amount(f.need),
                        })}
                      </span>
                    ))}
              </dd>
            </div>
          );
        })}
      </dl>
      {may && (
        <div className="mt-3 flex flex-wrap gap-2 max-desk:sticky max-desk:bottom-0 max-desk:-mx-4 max-desk:border-t max-desk:border-line max-desk:bg-card max-desk:p-3">
          <Button tone="chief" disabled={desk.busy || effect.refused !== undefined} onClick={() => change({ act: 'request', course: view.course })}>
            {t('page.request')}
          </Button>
          {!alternate && !c?.summer && (
            <Button data-act="alternate" aria-keyshortcuts="A" disabled={desk.busy} onClick={() => change({ act: 'alternate', course: view.course })}>
              {t('course.asAlternate', { n: sheet.nextAlternate.rank })}
            </Button>
          )}
        </div>
      )}
    </section>
  );
}

/** A link to the course that a parent of this student can open. */
function Copy({ desk, code }: { desk: Desk; code: string }) {
  const { t } = useTranslation();
  const [copied, setCopied] = useState<boolean>();
  const { place } = desk;
  const link = `${window.location.origin}/child/${encodeURIComponent(place.school)}/${encodeURIComponent(place.student)}/course/${encodeURIComponent(code)}`;
  return (
    <p className="mt-3 text-sm text-soft">
      <button
        type="button"
        className="min-h-6 inked-link"
        onClick={() => {
          navigator.clipboard.writeText(link).then(
            () => setCopied(true),
            () => setCopied(false),
          );
        }}
      >
        {t('page.link')}
      </button>{' '}
      <span role="status">{copied && t('page.copied')}</span>
      {copied === false && (
        <input readOnly aria-label={t('page.link')} value={link} className="mt-1 block w-full rounded border border-edge bg-card px-2 py-1" />
      )}
    </p>
  );
}

/** The course beside up to two others, line by line; what is the same is set in grey. */
function Beside({ desk, code, others, onOthers }: { desk: Desk; code: string; others: string[]; onOthers: (list: string[]) => void }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const [a = '', b = ''] = others;
  const views = [useCourse(sheet, code).data, useCourse(sheet, a).data, useCourse(sheet, b).data];
  const all = [code, ...others.slice(0, 2)];
  const subject = book.course(code)?.subject;
  const choices = [...book.catalog.courses]
    .filter((c) => !all.includes(c.code))
    .sort((x, y) => Number(y.subject === subject) - Number(x.subject === subject) || x.title.localeCompare(y.title));
  const { base } = useRouter();
  const cells = (what: (course: string, view: CourseView | undefined) => string) => all.map((course, i) => what(course, views[i]));
  const course = (x: string) => book.course(x);
  const lines: [string, string[]][] = [
    [t('beside.credits'), cells((x) => inUnit(t, book, course(x)?.credits ?? 0))],
    [
      t('beside.when'),
      cells((x) => {
        const c = course(x);
        return c ? (c.summer ? t('finder.summer') : spanWords(t, book, c)) : '';
      }),
    ],
    [t('beside.load'), cells((x) => amount(course(x)?.load ?? 0))],
    [t('beside.asks'), cells((_, v) => (v ? asksWords(t, book, v) : '…'))],
    [t('beside.fee'), cells((x) => (course(x)?.fee ? money(course(x)?.fee ?? 0, book.catalog.currency) : t('beside.none')))],
    [
      t('beside.opens'),
      cells((_, v) => {
        const next = v?.stops.filter((s) => s.step === 1).map((s) => book.title(s.course)) ?? [];
        return v ? (next.length ? join(t, next) : t('beside.opensNothing')) : '…';
      }),
    ],
    [
      t('beside.sheet'),
      cells((_, v) => {
        if (!v) return '…';
        if (!v.effect) return t('beside.on');
        const { strong, plain } = effectWords(t, book, sheet, v.effect);
        return [...strong, ...plain].join(' ');
      }),
    ],
  ];
  return (
    <section className="mt-4 border-t border-line pt-3">
      <h2 className="font-semibold">
        {t('beside.head')} <span className="font-normal text-soft">· {t('beside.note')}</span>
      </h2>
      {others.length > 0 && (
        <div className="overflow-x-auto">
          <table className="mt-1 w-full table-fixed text-sm">
            <thead>
              <tr className="border-b border-edge align-bottom">
                <td className="w-20" />
                {all.map((x, i) => (
                  <th key={x} scope="col" className="p-1.5 text-start font-semibold">
                    {i === 0 ? (
                      book.title(x)
                    ) : (
                      <>
                        <a href={`${base}/course/${encodeURIComponent(x)}`} className="flex min-h-6 items-center inked-link">
                          {book.title(x)}
                        </a>
                        <button
                          type="button"
                          className="block min-h-6 font-normal text-soft inked-link"
                          onClick={() => onOthers(others.filter((o) => o !== x))}
                        >
                          {t('course.remove')}
                          <span className="sr-only"> {book.title(x)}</span>
                        </button>
                      </>
                    )}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {lines.map(([label, values]) => (
                <tr key={label} className="border-t border-line align-top">
                  <th scope="row" className="p-1.5 ps-0 text-start font-normal text-soft">
                    {label}
                  </th>
                  {values.map((value, i) => (
                    <td key={all[i]} className={`p-1.5 ${i > 0 && value === values[0] ? 'text-soft' : ''}`}>
                      {value}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {others.length < 2 && (
        <label className="mt-2 flex flex-wrap items-center gap-2 text-sm">
          {t('beside.add')}
          <select
            data-act="compare"
            className="min-h-9 w-64 max-w-full min-w-0 rounded border border-edge bg-card px-2"
            value=""
            onChange={(event) => onOthers([...others, event.target.value])}
          >
            <option value="">{t('beside.choose')}</option>
            {choices.map((c) => (
              <option key={c.code} value={c.code}>
                {c.title}
              </option>
            ))}
          </select>
        </label>
      )}
    </section>
  );
}

/** All that a condition asks for, in a line. */
function asksWords(t: ReturnType<typeof useTranslation>['t'], book: Desk['book'], view: CourseView) {
  const leaves: string[] = [];
  const walk = (part: ConditionPart) => {
    if (part.proof) leaves.push(needWords(t, book, part.proof));
    part.parts?.forEach(walk);
  };
  if (!view.asks) return t('beside.asksNothing');
  walk(view.asks);
  const part = view.asks;
  const several = part.parts?.length ?? 0;
  const head =
    several > 1 && part.of !== several ? `${part.of === 1 ? t('asks.one', { count: several }) : t('asks.some', { count: several, of: part.of })}: ` : '';
  return head + join(t, leaves);
}
