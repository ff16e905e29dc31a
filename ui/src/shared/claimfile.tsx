import { type Entry, type Place, studentPath } from '../api/client';

type Claim = NonNullable<Entry['claims']>[number];

/** The file next to a claim, to be kept: it is never shown by the browser. */
export function ClaimFile({ place, claim }: { place: Place; claim: Claim }) {
  if (!claim.file) return null;
  return (
    <a href={`${studentPath(place)}/claims/${claim.id}/file`} download={claim.file} className="inline-flex min-h-6 items-center inked-link">
      {claim.file}
    </a>
  );
}
