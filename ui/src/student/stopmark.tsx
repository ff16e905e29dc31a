/** How someone stands to a course on their way; the words next to it say the same. */
export type StopKind = 'earned' | 'taken' | 'requested' | 'alternate' | 'planned' | 'failed' | 'open' | 'stopped' | 'lacking';

export function StopMark({ kind }: { kind: StopKind }) {
  const ring = <circle cx="8" cy="8" r="5.4" fill="var(--paper)" stroke="currentColor" strokeWidth="1.8" />;
  return (
    <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true" className="inline-block shrink-0 align-[-3px]">
      {kind === 'earned' && <circle cx="8" cy="8" r="6" fill="currentColor" />}
      {kind === 'taken' && (
        <>
          {ring}
          <path d="M8 2.6a5.4 5.4 0 0 0 0 10.8z" fill="currentColor" />
        </>
      )}
      {kind === 'requested' && (
        <>
          <circle cx="8" cy="8" r="6.6" fill="var(--paper)" stroke="currentColor" strokeWidth="2" />
          <circle cx="8" cy="8" r="2.8" fill="currentColor" />
        </>
      )}
      {(kind === 'planned' || kind === 'alternate') && ring}
      {kind === 'failed' && <path d="M11.8 4.2a5.4 5.4 0 1 0 0 7.6" fill="var(--paper)" stroke="currentColor" strokeWidth="1.8" />}
      {kind === 'open' && <circle cx="8" cy="8" r="3.4" fill="var(--paper)" stroke="currentColor" strokeWidth="1.1" />}
      {kind === 'lacking' && <circle cx="8" cy="8" r="6" fill="var(--paper)" stroke="var(--ochre)" strokeWidth="1.6" strokeDasharray="3.2 2.5" />}
      {kind === 'stopped' && (
        <g stroke="var(--ochre)" strokeWidth="1.3">
          <rect x="1.7" y="1.7" width="12.6" height="12.6" fill="var(--paper)" />
          <path d="M2 8 8 2M2 14 14 2M8 14 14 8" />
        </g>
      )}
    </svg>
  );
}
