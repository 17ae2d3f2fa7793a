import { expect, test } from "vitest";
import type { PriceBook, TierPrice } from "../../api/client";
import {
  amountsOn,
  pathOf,
  withDay,
  withOffer,
  withoutDay,
  withoutRegion,
  withoutTier,
  withPrice,
  withRegion,
  withTier,
  withTransfer,
  withTransferOut,
} from "./price-lists";

const tier = (id: string, writes: number): TierPrice => ({
  tier: id,
  storage: [{ price: 1 }],
  writes,
  reads: 0,
  movesIn: 0,
  recallRequests: 0,
  recall: 0,
});

const book: PriceBook = {
  currency: "EUR",
  unit: "GB",
  month: "calendar",
  tiers: [],
  schemes: [],
  regions: [
    { id: "near", name: "Near", prices: [tier("warm", 1), tier("cold", 2)] },
    { id: "far", name: "Far", prices: [tier("warm", 3)] },
  ],
  transfers: [{ from: "near", to: "far", price: 0.5 }],
};

const writes = (of: PriceBook, from: string | null, region: string, id: string) =>
  amountsOn(of, from)
    .regions.find((r) => r.id === region)
    ?.prices.find((p) => p.tier === id)?.writes;

test("amounts of a day are the ones before it with its own in their place", () => {
  const later = withPrice(withPrice(book, "2027-03-01", "near", tier("cold", 7)), "2027-02-01", "near", tier("warm", 9));
  expect(later.changes?.map((c) => c.from)).toEqual(["2027-02-01", "2027-03-01"]);
  expect([null, "2027-01-31", "2027-02-01", "2027-03-01"].map((d) => writes(later, d, "near", "warm"))).toEqual([1, 1, 9, 9]);
  expect([null, "2027-02-28", "2027-03-01"].map((d) => writes(later, d, "near", "cold"))).toEqual([2, 2, 7]);
  expect(writes(later, "2027-03-01", "far", "warm")).toBe(3);
  expect(later.regions).toEqual(book.regions);
  expect(withoutDay(later, "2027-02-01").changes?.length).toBe(1);
});

test("what is written now changes nothing of days to come", () => {
  const later = withPrice(withPrice(book, "2027-02-01", "far", tier("warm", 9)), null, "far", tier("warm", 4));
  expect(writes(later, null, "far", "warm")).toBe(4);
  expect(writes(later, "2027-02-01", "far", "warm")).toBe(9);
});

test("transfers and what leaves are of a day too", () => {
  const later = withTransferOut(withTransfer(book, "2027-02-01", { from: "near", to: "far" }, 0.7), "2027-02-01", "far", [
    { price: 0.1 },
  ]);
  const then = amountsOn(later, "2027-02-01");
  expect(then.transfers?.[0]?.price).toBe(0.7);
  expect(then.regions[1]?.transferOut).toEqual([{ price: 0.1 }]);
  expect(amountsOn(later, null).transfers?.[0]?.price).toBe(0.5);
});

test("a tier that is offered no more, or a region that goes, is gone from days to come too", () => {
  const later = withTransfer(
    withPrice(book, "2027-02-01", "near", tier("cold", 7)),
    "2027-02-01",
    { from: "near", to: "far" },
    1,
  );
  const stopped = withoutTier(withTier(later, "cold", "Cold"), "cold");
  expect(stopped.changes?.[0]?.regions?.[0]?.prices).toEqual([]);
  expect(stopped.regions[0]?.prices.map((p) => p.tier)).toEqual(["warm"]);
  expect(stopped.tiers).toEqual([]);
  const lone = withoutRegion(later, "far");
  expect([lone.regions.length, lone.transfers?.length, lone.changes?.[0]?.transfers?.length]).toEqual([1, 0, 0]);
  expect(withOffer(withRegion(book, "new", "New"), "new", "warm", true).regions[2]?.prices[0]?.storage).toEqual([{ price: 0 }]);
});

test("problems are found where they are said", () => {
  const later = withPrice(withDay(book, "2027-02-01"), "2027-02-01", "far", tier("warm", 9));
  expect(pathOf(later, null, "near", "cold")).toBe("$.regions[0].prices[1]");
  expect(pathOf(later, "2027-02-01", "far", "warm")).toBe("$.changes[0].regions[0].prices[0]");
  expect(pathOf(later, "2027-02-01", "near", "cold")).toBeNull();
});
