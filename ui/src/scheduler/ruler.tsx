import type { Asked, Demand } from './asked';

/** How wide a ruler is, in CSS pixels, at a desk. */
export const usableWidth = 330;

/** The shades of grades, the lowest the lightest. */
export const gradeShade = (i: number, of: number) =>
  `color-mix(in srgb, var(--ink) ${100 - Math.round((55 * (of - 1 - i)) / Math.max(1, of - 1))}%, var(--paper))`;

/** A course on a ruler whose marks are sections: requests by grade, those that nothing covers hatched at the end, alternates beyond, and what is planned around it. */
export function Ruler({ c, d, scale, planned }: { c: Asked; d: Demand; scale: number; planned: number }) {
  const grades = [...new Set(d.courses.flatMap((x) => x.grades.map((g) => g.grade)))].sort((a, b) => a - b);
  const bare = c.uncovered ?? 0;
  const starts = c.grades.map((_, i) => c.grades.slice(0, i).reduce((sum, g) => sum + g.n, 0));
  const marks = Math.ceil(usableWidth / (d.size * scale));
  return (
    <svg width={usableWidth} height="24" aria-hidden="true" className="hidden shrink-0 desk:block">
      {marks < 120 && Array.from({ length: marks }, (_, i) => <path key={i} d={`M${i * d.size * scale + 0.5} 0v24`} stroke="var(--line)" />)}
      {c.grades.map((g, i) => (
        <rect
          key={g.grade}
          x={(starts[i] ?? 0) * scale}
          y="7"
          width={Math.max(0, g.n * scale)}
          height="10"
          fill={gradeShade(grades.indexOf(g.grade), grades.length)}
        />
      ))}
      {bare > 0 && (
        <>
          <rect x={(c.requests - bare) * scale} y="7" width={bare * scale} height="10" fill="var(--ochre-b)" stroke="var(--ochre)" />
          <path
            d={Array.from({ length: Math.ceil((bare * scale) / 4) }, (_, i) => `M${(c.requests - bare) * scale + i * 4} 17l4 -10`).join('')}
            stroke="var(--ochre)"
            strokeWidth="1"
          />
        </>
      )}
      {(c.alternates ?? 0) > 0 && <rect x={c.requests * scale} y="9" width={(c.alternates ?? 0) * scale} height="6" fill="var(--wash)" stroke="var(--line)" />}
      {planned > 0 && <rect x="0.75" y="3.75" width={planned * d.size * scale} height="16.5" fill="none" stroke="var(--ink)" strokeWidth="1.4" />}
    </svg>
  );
}
