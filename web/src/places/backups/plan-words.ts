import type { BackupPlan, Cadence, PointRetention, Verdict, WorkloadSource } from "../../api/client";
import { count, day } from "../../format";

export const weekdays = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] as const;

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);

/** How often, in words. */
export function cadenceWords(every: Cadence): string {
  if (every.days != null) return every.days === 1 ? "every day" : `every ${every.days} days`;
  if (every.monthDay != null) return `on day ${every.monthDay} of each month`;
  return (every.weekdays ?? []).map(capital).join(", ");
}

/** At what times, in words that follow how often; nothing where none are said. */
export function timesWords(plan: BackupPlan): string {
  const at = plan.at ?? [];
  if (at.length === 0) return "";
  return ` at ${at.length > 4 ? `${at.length} times from ${at[0]}` : at.join(", ")} ${plan.zone ?? "UTC"}`;
}

/** What is really read. */
export const sourceWords = (source: WorkloadSource) =>
  source.bucket != null ? `${source.bucket}/${source.prefix ?? ""}` : (source.folder ?? "");

const monthsAYear = 12;

/** Days, months or years, in words. */
export const spanWords = ({ days, months }: { days?: number | null; months?: number | null }) =>
  days != null
    ? many(days, "day")
    : (months ?? 0) % monthsAYear === 0
      ? many((months ?? 0) / monthsAYear, "year")
      : many(months ?? 0, "month");

const many = (n: number, word: string) => `${count(n, 0)} ${word}${n === 1 ? "" : "s"}`;

/** How long, in words. */
export function retentionWords(keep: PointRetention): string {
  if (keep.days != null || keep.months != null) return spanWords(keep) + sealed(keep);
  if (keep.until != null) return `until ${day(keep.until)}${sealed(keep)}`;
  const parts = [
    [keep.daily, "daily"],
    [keep.weekly, "weekly"],
    [keep.monthly, "monthly"],
    [keep.yearly, "yearly"],
  ] as const;
  const kept = parts
    .filter(([n]) => (n ?? 0) > 0)
    .map(([n, word]) => `${n} ${word}`)
    .join(", ");
  return kept + sealed(keep);
}

const sealed = (keep: PointRetention) => (keep.sealed ? ", sealed" : "");

export const planName = (plan: BackupPlan) => plan.name ?? plan.id;

export const verdictWords: Record<Verdict, string> = { met: "met", missed: "missed", "not-agreed": "not agreed" };

/** Hours as people say them. */
export const hours = (n: number) =>
  n > 0 && n < 1 / 120
    ? "under a minute"
    : n >= 48
      ? `${count(n / 24, n % 24 === 0 ? 0 : 1)} days`
      : n >= 1 || n === 0
        ? `${count(n, n % 1 === 0 ? 0 : 1)} h`
        : `${count(n * 60, 0)} min`;

/** Seconds likewise. */
export const duration = (seconds: number) =>
  seconds > 0 && seconds < 0.05
    ? "an instant"
    : seconds < 60
      ? `${count(seconds, seconds < 10 ? 1 : 0)} s`
      : seconds < 3600
        ? `${count(seconds / 60, 0)} min`
        : hours(seconds / 3600);
