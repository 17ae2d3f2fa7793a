import type { PriceBook, PriceChange, RegionPrices, StorageBand, TierPrice } from "../../api/client";

/** The day from which amounts hold: null for now. */
export type From = string | null;

/** The book with the amounts that hold from a day on. */
export function amountsOn(book: PriceBook, from: From): PriceBook {
  let now = book;
  for (const change of book.changes ?? []) if (from !== null && change.from <= from) now = withChange(now, change);
  return now;
}

const withChange = (book: PriceBook, change: PriceChange): PriceBook => ({
  ...book,
  regions: book.regions.map((region) => {
    const other = change.regions?.find((r) => r.id === region.id);
    return {
      ...region,
      prices: region.prices.map((p) => other?.prices?.find((o) => o.tier === p.tier) ?? p),
      transferOut: other?.transferOut?.length ? other.transferOut : (region.transferOut ?? []),
    };
  }),
  transfers: (book.transfers ?? []).map((t) => ({
    ...t,
    price: change.transfers?.find((o) => o.from === t.from && o.to === t.to)?.price ?? t.price,
  })),
});

/** The book with another price of a tier, now or from a day on. */
export const withPrice = (book: PriceBook, from: From, region: string, price: TierPrice): PriceBook =>
  from === null
    ? {
        ...book,
        regions: book.regions.map((r) =>
          r.id === region ? { ...r, prices: r.prices.map((p) => (p.tier === price.tier ? price : p)) } : r,
        ),
      }
    : inRegion(book, from, region, (r) => ({
        ...r,
        prices: [...(r.prices ?? []).filter((p) => p.tier !== price.tier), price],
      }));

/** The same with other bands of what leaves a region. */
export const withTransferOut = (book: PriceBook, from: From, region: string, transferOut: StorageBand[]): PriceBook =>
  from === null
    ? { ...book, regions: book.regions.map((r) => (r.id === region ? { ...r, transferOut } : r)) }
    : inRegion(book, from, region, (r) => ({ ...r, transferOut }));

/** The same with another price of what is carried from one region to another. */
export const withTransfer = (book: PriceBook, from: From, line: { from: string; to: string }, price: number): PriceBook =>
  from === null
    ? {
        ...book,
        transfers: (book.transfers ?? []).map((t) => (t.from === line.from && t.to === line.to ? { ...t, price } : t)),
      }
    : onDay(book, from, (change) => ({
        ...change,
        transfers: [
          ...(change.transfers ?? []).filter((t) => t.from !== line.from || t.to !== line.to),
          { from: line.from, to: line.to, price },
        ],
      }));

/** The book in which a region offers one tier more, at no price yet, or one less; of days to come, too. */
export function withOffer(book: PriceBook, region: string, tier: string, offered: boolean): PriceBook {
  const free = { tier, storage: [{ price: 0 }], writes: 0, reads: 0, movesIn: 0, recallRequests: 0, recall: 0 };
  const without = <R extends { id: string; prices?: TierPrice[] }>(of: R): R =>
    of.id === region ? { ...of, prices: (of.prices ?? []).filter((p) => p.tier !== tier) } : of;
  return {
    ...book,
    regions: book.regions.map((r) => (offered && r.id === region ? { ...r, prices: [...r.prices, free] } : without(r))),
    changes: (book.changes ?? []).map((c) => ({ ...c, regions: (c.regions ?? []).map(without) })),
  };
}

/** The book with one tier more, the coldest. */
export const withTier = (book: PriceBook, id: string, name: string): PriceBook => ({
  ...book,
  tiers: [...book.tiers, { id, name, minimumStayDays: 0, minimumObjectBytes: 0, overheadBytes: 0, indexBytes: 0, waitHours: 0 }],
});

/** The book with one tier less, offered nowhere. */
export function withoutTier(book: PriceBook, tier: string): PriceBook {
  let now = book;
  for (const region of book.regions) now = withOffer(now, region.id, tier, false);
  return { ...now, tiers: now.tiers.filter((t) => t.id !== tier) };
}

export const withRegion = (book: PriceBook, id: string, name: string): PriceBook => ({
  ...book,
  regions: [...book.regions, { id, name, prices: [] }],
});

/** The book with one region less, and without the lines from and to it. */
export const withoutRegion = (book: PriceBook, region: string): PriceBook => ({
  ...book,
  regions: book.regions.filter((r) => r.id !== region),
  transfers: (book.transfers ?? []).filter((t) => t.from !== region && t.to !== region),
  changes: (book.changes ?? []).map((c) => ({
    ...c,
    regions: (c.regions ?? []).filter((r) => r.id !== region),
    transfers: (c.transfers ?? []).filter((t) => t.from !== region && t.to !== region),
  })),
});

export const withDay = (book: PriceBook, day: string): PriceBook => onDay(book, day, (change) => change);

export const withoutDay = (book: PriceBook, day: string): PriceBook => ({
  ...book,
  changes: (book.changes ?? []).filter((c) => c.from !== day),
});

/** Where a problem with a tier's price is said; null where the day says nothing of it. */
export function pathOf(book: PriceBook, from: From, region: string, tier: string): string | null {
  const at = (regions: RegionPrices[] | undefined, path: string) => {
    const r = regions?.findIndex((o) => o.id === region) ?? -1;
    const p = regions?.[r]?.prices?.findIndex((o) => o.tier === tier) ?? -1;
    return p < 0 ? null : `${path}.regions[${r}].prices[${p}]`;
  };
  if (from === null) return at(book.regions, "$");
  const c = (book.changes ?? []).findIndex((o) => o.from === from);
  return c < 0 ? null : at(book.changes?.[c]?.regions, `$.changes[${c}]`);
}

function onDay(book: PriceBook, day: string, change: (of: PriceChange) => PriceChange): PriceBook {
  const changes = book.changes ?? [];
  const known = changes.find((c) => c.from === day);
  const all = known ? changes.map((c) => (c === known ? change(c) : c)) : [...changes, change({ from: day })];
  return { ...book, changes: all.sort((a, b) => (a.from < b.from ? -1 : 1)) };
}

const inRegion = (book: PriceBook, day: string, region: string, change: (of: RegionPrices) => RegionPrices): PriceBook =>
  onDay(book, day, (of) => {
    const regions = of.regions ?? [];
    const known = regions.find((r) => r.id === region);
    return {
      ...of,
      regions: known ? regions.map((r) => (r === known ? change(r) : r)) : [...regions, change({ id: region })],
    };
  });
