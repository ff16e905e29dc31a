import { useTranslation } from 'react-i18next';
import { amount, whole } from '../kit/format';
import type { Run } from './run';

/** How value and bound have closed in on each other: ink the best found, dashed the most that is proven possible. */
export function ProgressChart({ run }: { run: Run }) {
  const { t } = useTranslation();
  const { curve } = run;
  const [w, h] = [300, 120];
  const last = curve.at(-1);
  if (!last) return null;
  const end = Math.max(last.s, 0.1);
  const from = Math.min(...curve.map((p) => p.v));
  const to = Math.max(...curve.map((p) => p.b), from + 1);
  const x = (s: number) => (s / end) * (w - 8) + 4;
  const y = (v: number) => h - 20 - ((v - from) / (to - from)) * (h - 34);
  const line = (of: (p: (typeof curve)[number]) => number) => curve.map((p, i) => `${i === 0 ? 'M' : 'L'}${x(p.s).toFixed(1)} ${y(of(p)).toFixed(1)}`).join('');
  return (
    <figure className="max-w-full">
      <svg
        width={w}
        height={h}
        role="img"
        aria-label={t('place.curve', { seconds: amount(Math.round(end * 10) / 10), value: whole(last.v), bound: whole(last.b) })}
        className="max-w-full"
      >
        <path d={`M4 ${h - 16}H${w - 4}`} stroke="var(--edge)" />
        <path d={line((p) => p.b)} fill="none" stroke="var(--ink)" strokeWidth="1.3" strokeDasharray="4 3" />
        <path d={line((p) => p.v)} fill="none" stroke="var(--ink)" strokeWidth="2" />
        <text x="4" y={h - 3} fontSize="12" fill="var(--soft)">
          0 s
        </text>
        <text x={w - 4} y={h - 3} fontSize="12" textAnchor="end" fill="var(--soft)">
          {amount(Math.round(end * 10) / 10)} s
        </text>
      </svg>
      <figcaption className="text-sm text-soft">{t('place.curveNote', { value: whole(last.v), bound: whole(last.b) })}</figcaption>
    </figure>
  );
}
