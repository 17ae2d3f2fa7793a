import { createContext, useContext } from "react";
import type { EstateSummary, PriceBook } from "./api/client";
import * as format from "./format";

export const EstateContext = createContext<EstateSummary | null>(null);

/** The estate of the page, and formats in its currency and unit. */
export function useEstate() {
  const estate = useContext(EstateContext);
  if (!estate) throw new Error("There is no estate around this component.");
  const { currency, unit } = estate.priceBook;
  return {
    estate,
    prices: estate.priceBook,
    money: (amount: number) => format.money(amount, currency),
    /** For amounts that stand one below the other. */
    moneyColumn: (amounts: number[]) => format.moneyColumn(amounts, currency),
    price: (amount: number) => format.price(amount, currency),
    /** Below a cent as prices are, in all its figures. */
    exactly: (amount: number) =>
      amount !== 0 && Math.abs(amount) < 0.01 ? format.price(amount, currency) : format.money(amount, currency),
    moneyChange: (amount: number) => format.moneyChange(amount, currency),
    bytes: (size: number) => format.bytes(size, unit),
    tierName: (id: string) => tierOf(estate.priceBook, id).name,
    regionName: (id: string) => estate.priceBook.regions.find((r) => r.id === id)?.name ?? id,
    schemeName: (id: string) => estate.priceBook.schemes.find((s) => s.id === id)?.name ?? id,
  };
}

/** A tier with its place from warm to cold. */
export function tierOf(prices: PriceBook, id: string) {
  const place = prices.tiers.findIndex((t) => t.id === id);
  return { name: prices.tiers[place]?.name ?? id, place, tiers: prices.tiers.length };
}
