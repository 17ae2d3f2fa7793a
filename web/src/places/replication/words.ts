import type { CopyRule } from "../../api/client";
import { count } from "../../format";

/** A time in the largest unit that says something: 40 s, 12 min, 3.5 h, 4 days. */
export function span(hours: number): string {
  const seconds = hours * 3600;
  if (seconds === 0) return "0";
  if (seconds < 1) return "under 1 s";
  if (seconds < 60) return `${count(seconds, seconds < 10 ? 1 : 0)} s`;
  if (seconds < 3600) return `${count(seconds / 60, 0)} min`;
  if (hours < 48) return `${count(hours, hours < 10 ? 1 : 0)} h`;
  return `${count(hours / 24, hours < 240 ? 1 : 0)} days`;
}

/** What a rule takes, in words. */
export function scope(rule: CopyRule): string {
  const tags = Object.entries(rule.tags ?? {}).map(([name, value]) => `${name}=${value}`);
  const under = rule.prefix ? `what lies under ${rule.prefix}` : "everything";
  return tags.length > 0 ? `${under} with ${tags.join(" and ")}` : under;
}

/** "name=value, name=value" as tags; null for none. What cannot be read is kept as a name without a value, for the server to refuse. */
export function readTags(text: string): Record<string, string> | null {
  const parts = text
    .split(",")
    .map((part) => part.trim())
    .filter((part) => part !== "");
  if (parts.length === 0) return null;
  return Object.fromEntries(
    parts.map((part) => {
      const [name, ...rest] = part.split("=");
      return [name?.trim() ?? "", rest.join("=").trim()];
    }),
  );
}

export const writeTags = (tags: Record<string, string> | null | undefined) =>
  Object.entries(tags ?? {})
    .map(([name, value]) => `${name}=${value}`)
    .join(", ");
