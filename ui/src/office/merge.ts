/** A value as JSON has it. */
export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** What two people have changed in the same place, of which the reader's own stands; a step of the way is a key, or an id in a list. */
export type Clash = { way: string[]; mine?: Json; theirs?: Json };

const same = (a: Json | undefined, b: Json | undefined) => JSON.stringify(a) === JSON.stringify(b);

type Keyed = { [key: string]: Json };

const isKeyed = (v: Json | undefined): v is Keyed => typeof v === 'object' && v !== null && !Array.isArray(v);

/** A list of entries with ids, by id; undefined where it is none. */
function byId(v: Json | undefined): Keyed | undefined {
  if (!Array.isArray(v)) return undefined;
  const out: Keyed = {};
  for (const x of v) {
    if (!isKeyed(x) || typeof x.id !== 'string' || x.id in out) return undefined;
    out[x.id] = x;
  }
  return out;
}

/**
 * The reader's changes of what stood, put on what someone else has made of it in the meantime. Where only one of the two has changed something, that
 * stands; where both have, the reader's, and it is listed.
 */
export function merge(
  stood: Json | undefined,
  mine: Json | undefined,
  theirs: Json | undefined,
  way: string[] = [],
): { value: Json | undefined; clashes: Clash[] } {
  if (same(mine, stood)) return { value: theirs, clashes: [] };
  if (same(theirs, stood) || same(mine, theirs)) return { value: mine, clashes: [] };
  if (isKeyed(mine) && isKeyed(theirs)) return parts(isKeyed(stood) ? stood : {}, mine, theirs, way);
  const [was, here, there] = [byId(stood ?? []), byId(mine), byId(theirs)];
  if (was && here && there) {
    const { value, clashes } = parts(was, here, there, way);
    const list = value as Keyed;
    const moved = !same(
      Object.keys(here).filter((id) => id in was),
      Object.keys(was).filter((id) => id in here),
    );
    const order = moved ? [...Object.keys(here), ...Object.keys(there)] : [...Object.keys(there), ...Object.keys(here)];
    return { value: [...new Set(order)].flatMap((id) => (id in list ? [list[id] as Json] : [])), clashes };
  }
  return { value: mine, clashes: [{ way, mine, theirs }] };
}

function parts(stood: Keyed, mine: Keyed, theirs: Keyed, way: string[]): { value: Json; clashes: Clash[] } {
  const value: Keyed = {};
  const clashes: Clash[] = [];
  for (const key of new Set([...Object.keys(theirs), ...Object.keys(mine)])) {
    const part = merge(stood[key], mine[key], theirs[key], [...way, key]);
    clashes.push(...part.clashes);
    if (part.value !== undefined) value[key] = part.value;
  }
  return { value, clashes };
}

/** A value with another one at the end of a way; undefined takes it away. */
export function withAt(value: Json, [step, ...rest]: string[], to: Json | undefined): Json {
  if (step === undefined) return to ?? null;
  if (Array.isArray(value)) {
    const at = value.findIndex((x) => isKeyed(x) && x.id === step);
    if (rest.length > 0) return value.map((x, i) => (i === at ? withAt(x, rest, to) : x));
    if (to === undefined) return value.filter((_, i) => i !== at);
    return at < 0 ? [...value, to] : value.map((x, i) => (i === at ? to : x));
  }
  if (!isKeyed(value)) return value;
  if (rest.length > 0) return { ...value, [step]: withAt(value[step] ?? {}, rest, to) };
  return to === undefined ? Object.fromEntries(Object.entries(value).filter(([key]) => key !== step)) : { ...value, [step]: to };
}

/** Rows without ids: those that someone else has now, without what the reader took away, and with what the reader added. */
export function mergeRows<Row>(stood: Row[], mine: Row[], theirs: Row[]): Row[] {
  const known = (list: Row[]) => new Set(list.map((row) => JSON.stringify(row)));
  const [was, here, there] = [known(stood), known(mine), known(theirs)];
  return [
    ...theirs.filter((row) => here.has(JSON.stringify(row)) || !was.has(JSON.stringify(row))),
    ...mine.filter((row) => !was.has(JSON.stringify(row)) && !there.has(JSON.stringify(row))),
  ];
}
