import type { Charge, PriceBook } from "../../api/client";

/** What a charge can be told by beside its tier: the speeds of a recall, the regions that a transfer leads to. */
export function waysOf(charge: Charge | null | undefined, prices: PriceBook): { id: string; words: string }[] {
  switch (charge) {
    case "recall": {
      const all = prices.regions.flatMap((r) => r.prices).flatMap((p) => p.recallSpeeds ?? []);
      return [...new Map(all.map((s) => [s.id, { id: s.id, words: `at ${s.name}` }])).values()];
    }
    case "transfer":
      return prices.regions.map((r) => ({ id: r.id, words: `to ${r.name}` }));
    default:
      return [];
  }
}

/** One of them in words. */
export const wayWords = (charge: Charge, way: string, prices: PriceBook) =>
  waysOf(charge, prices).find((w) => w.id === way)?.words ?? way;
