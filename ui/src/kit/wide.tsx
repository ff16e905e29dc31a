import type { ReactNode } from 'react';

/** A part of a page under a heading, whose table scrolls sideways where there is no room for it. */
export function Wide({ id, head, note, children }: { id: string; head: string; note: string; children: ReactNode }) {
  return (
    <section aria-labelledby={id} className="mt-4">
      <h2 id={id} className="font-semibold">
        {head} <span className="font-normal text-soft">· {note}</span>
      </h2>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-labelledby={id}>
        {children}
      </div>
    </section>
  );
}
