import type { AgeAxis } from "../api/client";

/** Ages that the axis names. */
export const ticks = [
  { age: 0, label: "new" },
  { age: 7, label: "1 week" },
  { age: 30, label: "1 month" },
  { age: 90, label: "3 months" },
  { age: 365, label: "1 year" },
  { age: 1096, label: "3 years" },
  { age: 2557, label: "7 years" },
  { age: 3652, label: "" },
];

/** Positions of ages on a width: linear up to about the knee, logarithmic beyond; ages past the end stay at the end. */
export function ageScale(axis: Pick<AgeAxis, "knee" | "oldest">, width: number) {
  const span = Math.log1p(axis.oldest / axis.knee);
  return {
    at: (age: number) => (Math.log1p(Math.min(Math.max(age, 0), axis.oldest) / axis.knee) / span) * width,
    /** The whole day nearest to a position. */
    age: (x: number) => Math.round(axis.knee * Math.expm1((Math.min(Math.max(x, 0), width) / width) * span)),
  };
}

export type AgeScale = ReturnType<typeof ageScale>;
