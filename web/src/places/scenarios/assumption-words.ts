import type { Assumption } from "../../api/client";
import { count, day } from "../../format";

/** What names are told by: those of the estate. */
export type Names = {
  tierName: (id: string) => string;
  regionName: (id: string) => string;
  schemeName: (id: string) => string;
  offerName: (id: string) => string;
};

/** What is no number yet is told as such. */
const many = (of: number, digits: number) => (typeof of === "number" ? count(of, digits) : "?");

const times = (factor: number) => `${many(factor, 3)} times`;

/** A change in per cent, with its sign. */
export const percent = (factor: number) =>
  typeof factor === "number" ? `${factor >= 1 ? "+" : "−"}${count(Math.abs(factor - 1) * 100, 2)} %` : "? %";

export const chargeWords: Record<string, string> = {
  storage: "storage",
  writes: "writes",
  reads: "reads",
  moves: "moves",
  recall: "recalls",
  transfer: "transfers",
  watching: "watching",
  fixed: "fixed amounts",
  commitment: "what is promised",
  devices: "devices",
};

/** An assumption in one line. */
export function words(of: Assumption, names: Names): string {
  if (of.growth) {
    const { bucket, prefix, arrivals = 1, yearlyGrowth = 0 } = of.growth;
    const points = `${yearlyGrowth < 0 ? "−" : "+"}${many(typeof yearlyGrowth === "number" ? Math.abs(yearlyGrowth) * 100 : yearlyGrowth, 2)} points of growth a year`;
    const what = [...(arrivals !== 1 ? [`${times(arrivals)} as much arrives`] : []), ...(yearlyGrowth !== 0 ? [points] : [])];
    return `${where(bucket)}${prefix ? ` ${prefix}` : ""}: ${what.length > 0 ? what.join(", ") : "arrives as it does"}`;
  }
  if (of.reading) return `${where(of.reading.bucket)}: read ${times(of.reading.times)} as often`;
  if (of.prices) {
    const { from, region, tier, charge, times: factor } = of.prices;
    const what = [
      charge ? (chargeWords[charge] ?? charge) : "all prices by use",
      ...(tier ? [names.tierName(tier)] : []),
      ...(region ? [names.regionName(region)] : []),
    ];
    return `${what.join(", ")} ${percent(factor)}${from ? ` from ${day(from)}` : ""}`;
  }
  if (of.offer) return `prices of the offer ${names.offerName(of.offer)}`;
  if (of.priceBook) return "price book: as in a draft of it";
  if (of.place) {
    const { bucket, region, scheme, tier } = of.place;
    const what = [
      ...(region ? [`in ${names.regionName(region)}`] : []),
      ...(scheme ? [`kept as ${names.schemeName(scheme)}`] : []),
      ...(tier ? [`landing in ${names.tierName(tier)}`] : []),
    ];
    return `${where(bucket)}: ${what.length > 0 ? what.join(", ") : "where it is"}`;
  }
  if (of.bucket) return `${of.bucket.as.name}: as in a draft of it`;
  if (of.packsAge) {
    const { target, steps = [] } = of.packsAge;
    const ages = steps.map((s) => `to ${names.tierName(s.tier)} at day ${many(s.age, 0)}`);
    return `packs of ${target}: ${ages.length > 0 ? ages.join(", ") : "stay where they land"}`;
  }
  return of.plan ? `plan ${of.plan.name}: as in a draft of it` : "";
}

const where = (bucket: string | null | undefined) => bucket || "all buckets";
