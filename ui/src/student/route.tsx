import { useTranslation } from 'react-i18next';
import { Link } from 'wouter';
import type { CourseView } from '../api/client';
import { amount } from '../kit/format';
import { subjectTab } from '../kit/marks';
import { StopMark } from './stopmark';
import type { Book } from '../shared/words';

type Stop = CourseView['stops'][number];

const high = 58; // of a stop

/** Where a course comes from and where it leads, as lines between stops: a column a step. On a phone it runs down. */
export function Route({ book, view, base }: { book: Book; view: CourseView; base: string }) {
  const { t } = useTranslation();
  const steps = [...new Set(view.stops.map((s) => s.step))].sort((a, b) => a - b);
  const columns = steps.map((step) => view.stops.filter((s) => s.step === step));
  const rows = Math.max(...columns.map((c) => c.length));
  const place = (stop: Stop) => {
    const column = steps.indexOf(stop.step);
    return { column, row: columns[column]?.indexOf(stop) ?? 0 };
  };
  const hue = subjectTab(book.course(view.course)?.subject ?? '').hue;
  const width = 100 / steps.length;
  return (
    <div className="relative" style={{ color: hue }}>
      <svg
        aria-hidden="true"
        className="absolute inset-x-0 top-0 w-full max-desk:hidden rtl:-scale-x-100"
        style={{ height: rows * high }}
        viewBox={`0 0 100 ${rows * high}`}
        preserveAspectRatio="none"
        fill="none"
        stroke="currentColor"
      >
        {view.legs.map(({ from, to }) => {
          const [a, b] = [view.stops[from], view.stops[to]];
          if (!a || !b) return null;
          const [p, q] = [place(a), place(b)];
          const [x1, y1, x2, y2] = [p.column * width, p.row * high + 29, q.column * width, q.row * high + 29];
          const mid = x1 + (x2 - x1) * 0.75;
          const firm = b.standing === 'earned' || b.standing === 'taken';
          return (
            <path
              key={`${from} ${to}`}
              vectorEffect="non-scaling-stroke"
              strokeWidth={firm ? 2.6 : 1.5}
              strokeDasharray={b.standing === 'planned' || b.standing === 'open' ? '2 4' : undefined}
              d={`M${x1 + 0.6} ${y1}H${Math.min(mid, x2)}C${mid + width * 0.12} ${y1} ${mid} ${y2} ${x2} ${y2}`}
            />
          );
        })}
      </svg>
      <ol className="desk:grid" style={{ gridTemplateColumns: `repeat(${steps.length}, minmax(0, 1fr))` }}>
        {steps.map((step, i) => (
          <li key={step}>
            <h3 className="text-sm text-soft max-desk:mt-2">
              {t(step === 0 ? 'route.here' : step < 0 ? 'route.before' : 'route.after', { count: Math.abs(step) })}
            </h3>
            <ul className="relative desk:-mt-5">
              {columns[i]?.map((stop) => (
                <li key={stop.course} className="flex items-center gap-2 max-desk:min-h-11 desk:block desk:pt-5" style={{ minHeight: high }}>
                  <span className="desk:block desk:h-4">
                    <StopMark kind={stop.standing} />
                  </span>
                  <span className="leading-tight text-ink">
                    {stop.step === 0 ? (
                      <b className="font-semibold">{book.title(stop.course)}</b>
                    ) : (
                      <Link href={`${base}${encodeURIComponent(stop.course)}`} className="inked-link">
                        {book.title(stop.course)}
                      </Link>
                    )}
                    <span className="block text-sm text-soft">{stopWords(t, stop)}</span>
                  </span>
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ol>
      {view.more !== undefined && <p className="mt-1 text-sm text-soft">{t('route.more', { count: view.more })}</p>}
    </div>
  );
}

function stopWords(t: ReturnType<typeof useTranslation>['t'], stop: Stop) {
  if (stop.noWay) return t('route.noWay');
  return [
    t(`standing.${stop.standing}`, { grade: stop.grade }),
    stop.mark !== undefined && t('route.mark', { mark: amount(stop.mark) }),
    stop.standing !== 'taken' && stop.year,
  ]
    .filter(Boolean)
    .join(' · ');
}
