import type { BucketMark } from "../../api/client";

/** What buckets can be looked for, in words; `short` is what a row says. */
export const marks: Record<BucketMark, { label: string; short: string; grave: boolean }> = {
  "step-costs-more": { label: "rules that cost more than they save", short: "rule costs more than it saves", grave: true },
  "late-copies": { label: "late copies", short: "copies late", grave: true },
  "no-copy-elsewhere": { label: "no copy elsewhere", short: "no copy elsewhere", grave: false },
  warnings: { label: "warnings", short: "warnings", grave: false },
  "no-lifecycle": { label: "no lifecycle rule", short: "", grave: false },
  "no-retention": { label: "no retention", short: "", grave: false },
};

export const markIds = Object.keys(marks) as BucketMark[];
