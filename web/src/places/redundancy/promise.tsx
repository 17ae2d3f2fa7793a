import type { SchemePromise } from "../../api/client";
import { count } from "../../format";

const plural = (n: number, word: string) => `${n} ${n === 1 ? word : `${word}s`}`;

/** What a scheme survives, in a line. */
export function survives(p: SchemePromise): string {
  const parts = [
    p.devicesSurvived > 0 && plural(p.devicesSurvived, "device"),
    p.zonesSurvived > 0 && plural(p.zonesSurvived, "zone"),
    p.regionsSurvived > 0 && plural(p.regionsSurvived, "region"),
  ].filter(Boolean);
  return parts.length === 0 ? "survives nothing" : `survives ${parts.join(", ")}`;
}

/** With the destruction of whole zones and regions counted. */
export const nines = (p: SchemePromise) => `${count(p.ninesAYearWithPlaces, 1)} nines`;

/** Large spans of time in words: years up to a thousand, then with their power of ten. */
export function years(n: number | null): string {
  if (n === null) return "longer than any number of years";
  if (n < 1000) return `${count(n, n < 10 ? 1 : 0)} years`;
  const [size, word] =
    n < 1e6 ? [1e3, "thousand"] : n < 1e9 ? [1e6, "million"] : n < 1e12 ? [1e9, "billion"] : [1e12, "trillion"];
  return n / size < 1e4
    ? `${count(n / size, n / size < 10 ? 1 : 0)} ${word} years`
    : `${n.toExponential(1).replace("e+", " × 10^")} years`;
}

/** A share of time as what is missing of a year. */
export function unreadable(share: number): string {
  const minutes = (1 - share) * 365.25 * 24 * 60;
  if (minutes < 1) return `${count(minutes * 60, 0)} seconds a year`;
  if (minutes < 120) return `${count(minutes, 0)} minutes a year`;
  return `${count(minutes / 60, 1)} hours a year`;
}

export function seconds(s: number): string {
  if (s < 1) return `${count(s * 1000, 0)} ms`;
  if (s < 120) return `${count(s, 1)} s`;
  return s < 7200 ? `${count(s / 60, 1)} min` : `${count(s / 3600, 1)} h`;
}
