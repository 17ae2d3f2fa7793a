/** A part that both sides changed, each to something else. */
export type Conflict = { part: string; base: unknown; mine: unknown; theirs: unknown };

export type Merge<T> = { merged: T; conflicts: Conflict[]; theirParts: string[] };

export type Choice = "mine" | "theirs";

/**
 * What `mine` and `theirs` make together when both began from `base`. A part that only one side changed is taken from that side; a list of
 * things with ids is merged thing by thing. Where both changed a part differently, mine stands until somebody chooses.
 */
export function merge<T extends object>(base: T, mine: T, theirs: T, choices: Record<string, Choice> = {}): Merge<T> {
  const result: Merge<Record<string, unknown>> = { merged: {}, conflicts: [], theirParts: [] };
  const [b, m, t] = [base, mine, theirs] as Record<string, unknown>[];
  for (const part of new Set([...Object.keys(m ?? {}), ...Object.keys(t ?? {})])) {
    const sides = { base: b?.[part], mine: m?.[part], theirs: t?.[part] };
    if (isKeyed(sides.base) && isKeyed(sides.mine) && isKeyed(sides.theirs)) {
      const list = mergeKeyed(part, sides as Sides<Keyed[]>, choices);
      result.merged[part] = list.merged;
      result.conflicts.push(...list.conflicts);
      result.theirParts.push(...list.theirParts);
    } else {
      const one = mergeOne(part, sides, choices);
      result.merged[part] = one.merged;
      result.conflicts.push(...one.conflicts);
      result.theirParts.push(...one.theirParts);
    }
  }
  return result as Merge<T>;
}

type Sides<V> = { base: V; mine: V; theirs: V };
type Keyed = { id: string };

function mergeOne(part: string, { base, mine, theirs }: Sides<unknown>, choices: Record<string, Choice>): Merge<unknown> {
  const none = { conflicts: [], theirParts: [] };
  if (same(mine, theirs)) return { merged: mine, ...none };
  if (same(base, theirs)) return { merged: mine, ...none };
  if (same(base, mine)) return { merged: theirs, conflicts: [], theirParts: [part] };
  return { merged: choices[part] === "theirs" ? theirs : mine, conflicts: [{ part, base, mine, theirs }], theirParts: [] };
}

function mergeKeyed(part: string, { base, mine, theirs }: Sides<Keyed[]>, choices: Record<string, Choice>): Merge<Keyed[]> {
  const of = (list: Keyed[], id: string) => list.find((item) => item.id === id);
  const ids = [...new Set([...mine, ...theirs].map((item) => item.id))];
  const all: Merge<Keyed[]> = { merged: [], conflicts: [], theirParts: [] };
  for (const id of ids) {
    const one = mergeOne(`${part} ${id}`, { base: of(base, id), mine: of(mine, id), theirs: of(theirs, id) }, choices);
    if (one.merged !== undefined) all.merged.push(one.merged as Keyed);
    all.conflicts.push(...one.conflicts);
    all.theirParts.push(...one.theirParts);
  }
  return all;
}

/** A list of things that all have an id, and each another one. */
function isKeyed(value: unknown): value is Keyed[] {
  return (
    Array.isArray(value) &&
    value.every((item) => typeof item === "object" && item !== null && typeof (item as Keyed).id === "string") &&
    new Set(value.map((item) => (item as Keyed).id)).size === value.length
  );
}

/** Whether both say the same; what is missing and what is null are one. */
export function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(plain(a)) === JSON.stringify(plain(b));
}

function plain(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(plain);
  if (typeof value !== "object" || value === null) return value ?? null;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, v]) => v !== null && v !== undefined)
      .toSorted(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, plain(v)]),
  );
}
