import { useEffect, useMemo, useRef, useState } from 'react';
import { useTranslation } from 'react-i18next';
import { Link, useLocation, useSearchParams } from 'wouter';
import { type Effect, type Todo, placeOf } from '../api/client';
import { type Clause, clashWords, clauses } from '../shared/words';
import { closedWords } from './closed';
import { Alternates } from './alternates';
import { useSingleKeys } from '../kit/keys';
import { Late } from '../kit/late';
import { Aside, welcomeOf } from './aside';
import { ChangeRequests, Reminded, Result, Summer, TalkBand } from './floating';
import { Board } from './board';
import { Recommended } from './recommended';
import { Finder } from './finder';
import { Ledger } from './ledger';
import type { Desk, Filter } from './desk';

/** The student's year: what is still to do, the board, alternates, ledger and finder. */
export function YearPage({ desk }: { desk: Desk }) {
  const { t } = useTranslation();
  const { book, sheet } = desk;
  const [filter, setFilter] = useState<Filter>({});
  const [open, setOpen] = useState<string>(); // the course whose details are shown
  const [preview, setPreview] = useState<Effect>(); // of the course that is pointed at in the finder
  const search = useRef<HTMLInputElement>(null);
  const list = useMemo(() => clauses(t, book, sheet), [t, book, sheet]);

  useSingleKeys({ '/': () => search.current?.focus() });

  // A link from elsewhere that leads to the place where something is mended.
  const [params] = useSearchParams();
  const [, go] = useLocation();
  const wanted = params.get('mend');
  const instead = params.get('instead');
  useEffect(() => {
    if (!instead) return;
    go('/', { replace: true });
    look({ instead });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the page is reached by such a link
  }, [instead]);
  useEffect(() => {
    const clause = wanted ? list.find((c) => c.key === wanted) : undefined;
    if (!wanted) return;
    go('/', { replace: true });
    if (clause) mend(clause.todo);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when the page is reached by such a link
  }, [wanted]);

  function look(next: Filter) {
    setFilter(next);
    const field = search.current;
    // On a touch screen the keyboard would cover what is to be looked at.
    if (matchMedia('(pointer: coarse)').matches) field?.closest('aside')?.scrollIntoView({ block: 'start' });
    else field?.focus();
  }
  function mend(todo: Todo) {
    if (todo.kind === 'ruleShort' && todo.rule) look({ rule: todo.rule });
    else if (todo.kind === 'link' && todo.needs) look({ text: book.title(todo.needs) });
    else if (todo.course) setOpen(todo.course);
    else if (todo.kind === 'ruleOver' || todo.kind === 'overload') {
      // To what is too many: the last of it that may be taken off.
      const rule = book.rule(todo.rule ?? '');
      const counted = todo.kind === 'overload' ? sheet.packing.fill : rule?.courses.length ? rule.courses : undefined;
      const entries = [...(rule?.on === 'alternates' ? sheet.alternates : sheet.requests)].reverse();
      setOpen(entries.find((e) => !e.fixed && (!counted || counted.includes(e.course)))?.course);
    }
  }
  return (
    <main id="page" className="grid gap-x-7 px-4 pt-3 pb-10 desk:grid-cols-[minmax(0,62fr)_minmax(0,38fr)] desk:px-6">
      <div className="min-w-0">
        <Welcome desk={desk} />
        <Headline desk={desk} list={list} onMend={mend} />
        {!sheet.draft && sheet.status.reminded && (
          <Late fallback={null}>
            <Reminded place={placeOf(sheet)} zone={book.catalog.zone} at={sheet.status.reminded} />
          </Late>
        )}
        {sheet.placed && (
          <Late fallback={null}>
            <Result book={book} sheet={sheet} />
          </Late>
        )}
        {sheet.talk?.length && (
          <Late fallback={null}>
            <TalkBand book={book} sheet={sheet} />
          </Late>
        )}
        {sheet.status.changeRequests.length > 0 && (
          <Late>
            <ChangeRequests book={book} sheet={sheet} place={desk.place} />
          </Late>
        )}
        {sheet.status.state === 'sentBack' && !sheet.status.changeRequests.some((r) => r.answer === sheet.status.message) && (
          <p className="mb-2 rounded border p-2 hatch">
            <span className="rounded bg-card px-1 text-ochre">
              {t('todo.sentBack', { who: sheet.student.counselor ?? t('theCounselor'), message: sheet.status.message })}
            </span>{' '}
            {sheet.status.about?.map((code) => (
              <button key={code} type="button" className="me-2 min-h-7 rounded bg-card px-1 inked-link" onClick={() => setOpen(code)}>
                {book.title(code)}
              </button>
            ))}
          </p>
        )}
        {sheet.clash && (
          <p data-testid="clash" className="mb-2 border-s-2 border-ochre ps-3 text-ochre">
            {clashWords(t, book, sheet)}
          </p>
        )}
        <Board desk={desk} open={open} preview={preview} onOpen={setOpen} onFind={look} />
        <Recommended desk={desk} onPoint={setPreview} />
        <Alternates desk={desk} open={open} onOpen={setOpen} onFind={look} />
        <Late>{(sheet.round ?? sheet.summer[0]) && <Summer desk={desk} onOpen={setOpen} onFind={look} />}</Late>
        <Ledger desk={desk} preview={preview} onFind={look} />
        <Aside desk={desk} />
      </div>
      <Finder desk={desk} filter={filter} onFilter={setFilter} onOpen={setOpen} onPoint={setPreview} search={search} />
    </main>
  );
}

/** The school's own words for the grade: until the first change as they are, later they are next to the dates. */
function Welcome({ desk }: { desk: Desk }) {
  const { sheet } = desk;
  const words = welcomeOf(desk);
  if (words.length === 0 || sheet.status.keptAt) return null;
  return words.map((w) => (
    <p key={w.text} className="mb-2 max-w-3xl whitespace-pre-line text-soft">
      {w.text}
    </p>
  ));
}

function Headline(props: { desk: Desk; list: Clause[]; onMend: (todo: Todo) => void }) {
  const { t } = useTranslation();
  const { sheet } = props.desk;
  const offer = sheet.acts.submit.allowed;
  const closed = closedWords(t, sheet);
  if (closed) return <h1 className="mb-3">{closed}</h1>;
  if (props.list.length === 0)
    return (
      <h1 className="mb-3">
        {t('todo.none')}{' '}
        {offer && (
          <Link href="/hand-in" className="inked-link">
            {t('todo.noneSubmit')}
          </Link>
        )}
      </h1>
    );
  return (
    <div className="mb-3">
      <h1 data-testid="todo">
        {t('todo.head')}
        {props.list.map((clause, i) => (
          <span key={clause.key}>
            {i > 0 && (i === props.list.length - 1 ? t('list', { head: '', last: '' }) : t('listComma'))}
            <a
              href={`/?mend=${encodeURIComponent(clause.key)}`}
              className="inked-link"
              onClick={(event) => {
                event.preventDefault();
                props.onMend(clause.todo);
              }}
            >
              {clause.text}
            </a>
          </span>
        ))}
        {t('todo.full')}
      </h1>
      {offer && (
        <p>
          <Link href="/hand-in" className="inked-link">
            {t('todo.waiting', { who: sheet.student.counselor ?? t('theCounselor') })}
          </Link>
        </p>
      )}
    </div>
  );
}
