/** What is not known, each as three numbers: at least, likely, at most. */
export const notKnown = [
  { name: "growth", label: "Growth", unit: "points a year more", scale: 0.01, usual: [-0.05, 0, 0.1] },
  { name: "reading", label: "Reading", unit: "times as often", scale: 1, usual: [0.7, 1, 1.5] },
  { name: "prices", label: "Prices", unit: "per cent a year", scale: 0.01, usual: [-0.02, 0, 0.03] },
] as const;

type Name = (typeof notKnown)[number]["name"];

export type Question = Record<Name, string> & { seed: number; scenario?: string };

/** What an address asks; the usual where it says nothing. */
export function questionOf(params: URLSearchParams): Question {
  const scenario = params.get("scenario");
  const typed = Object.fromEntries(notKnown.map((a) => [a.name, params.get(a.name) ?? a.usual.join(",")])) as Record<
    Name,
    string
  >;
  return { ...typed, seed: Number(params.get("seed") ?? 1) || 1, ...(scenario ? { scenario } : {}) };
}

/** Such as "Growth -5, 0 or 10 points a year more". */
export const inWords = (question: Question) =>
  notKnown
    .map(({ name, label, unit, scale }) => {
      const [low, likely, high] = question[name].split(",").map((n) => Number((Number(n) / scale).toPrecision(6)));
      return `${label.toLowerCase()} ${low} to ${high}, likely ${likely} ${unit}`;
    })
    .join("; ");
