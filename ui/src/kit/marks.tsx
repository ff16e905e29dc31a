/** The marks of state. They never stand alone: words say the same next to them. */
export type MarkKind = 'settled' | 'half' | 'missing' | 'stopped';

export function Mark({ kind }: { kind: MarkKind }) {
  return (
    <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true" className="inline-block shrink-0 align-[-1px]">
      {kind === 'settled' && <circle cx="5.5" cy="5.5" r="4.5" fill="currentColor" />}
      {kind === 'half' && (
        <>
          <circle cx="5.5" cy="5.5" r="4.5" fill="none" stroke="currentColor" strokeWidth="1.4" />
          <path d="M5.5 1a4.5 4.5 0 0 0 0 9z" fill="currentColor" />
        </>
      )}
      {kind === 'missing' && <circle cx="5.5" cy="5.5" r="4.3" fill="none" stroke="var(--ochre)" strokeWidth="1.6" />}
      {kind === 'stopped' && (
        <g stroke="var(--ochre)" strokeWidth="1.3">
          <rect x="0.7" y="0.7" width="9.6" height="9.6" fill="none" />
          <path d="M1 5.5 5.5 1M1 10 10 1M5.5 10 10 5.5" />
        </g>
      )}
    </svg>
  );
}

/** A subject area's two letters and hue, the same wherever it appears. */
export function subjectTab(subject: string) {
  const words = subject.split(/\s+/);
  const letters =
    words.length > 1
      ? words
          .slice(0, 2)
          .map((w) => w[0] ?? '')
          .join('')
      : subject.slice(0, 2);
  let sum = 0;
  for (const c of subject) sum = (sum * 31 + c.charCodeAt(0)) % 997;
  const known = ['English', 'Mathematics', 'Science', 'Social Studies', 'Arts', 'Physical Education', 'Languages', 'Practical Arts'];
  const at = known.indexOf(subject);
  return { letters: letters.toUpperCase(), hue: `var(--hue-${at >= 0 ? at : sum % 8})` };
}

export function SubjectTab({ subject }: { subject: string }) {
  const { letters, hue } = subjectTab(subject);
  return (
    <abbr title={subject} className="w-6 shrink-0 text-xs font-semibold tracking-wide no-underline" style={{ color: hue }}>
      {letters}
    </abbr>
  );
}
