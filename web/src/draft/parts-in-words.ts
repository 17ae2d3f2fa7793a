/** A part of a document in a line, for setting two beside each other: names and values, no brackets. */
export function inWords(part: unknown): string {
  if (part === undefined || part === null) return "nothing";
  if (Array.isArray(part)) return part.length === 0 ? "none" : part.map(inWords).join("; ");
  if (typeof part !== "object") return String(part);
  return Object.entries(part)
    .filter(([, value]) => value !== null && value !== undefined && value !== "" && !(Array.isArray(value) && value.length === 0))
    .map(([name, value]) => `${apart(name)} ${inWords(value)}`)
    .join(", ");
}

/** "expireAt" as "expire at". */
export const apart = (name: string) => name.replaceAll(/([a-z])([A-Z])/g, "$1 $2").toLowerCase();
