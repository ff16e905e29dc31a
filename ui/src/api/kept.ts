// What this browser keeps for someone who has lost the connection: changes that wait, and, for this window alone, what was last shown.

/** Changes in their order, with the version on which the first of them was made, and whether someone else has changed the sheet since. */
export interface Kept<Item> {
  items: Item[];
  base: number;
  moved?: boolean;
}

const prefix = 'waiting ';

/** Where what someone changes on a sheet, or on a draft next to it, waits. */
export const keptKey = (username: string, at: { school: string; year: number; student: string; draft?: number }) =>
  username && `${prefix}${JSON.stringify([username, at.school, at.year, at.student, at.draft ?? 0])}`;

export function readKept<Item>(name: string): Kept<Item> {
  try {
    const kept = JSON.parse(localStorage.getItem(name) ?? '') as Kept<Item>;
    if (Array.isArray(kept.items)) return kept;
  } catch {
    // There is nothing, or nothing that can be read.
  }
  return { items: [], base: 0 };
}

export function putKept<Item>(name: string, kept: Kept<Item>) {
  if (kept.items.length) localStorage.setItem(name, JSON.stringify(kept));
  else localStorage.removeItem(name);
  dispatchEvent(new Event('kept'));
}

const waiting = () => Object.keys(localStorage).filter((name) => name.startsWith(prefix));

/** Whether a change of anybody waits in this browser. */
export const anyWaits = () => waiting().length > 0;

/** What was last shown in this window. */
export const shown = {
  read: () => sessionStorage.getItem('shown'),
  put: (text: string) => sessionStorage.setItem('shown', text),
  forget: () => sessionStorage.removeItem('shown'),
};

/** Forgets everything, when someone signs out. */
export function forgetKept() {
  for (const name of waiting()) localStorage.removeItem(name);
  shown.forget();
}
