import type { PricedTerm } from "../api/client";
import { useEstate } from "../estate-context";
import { count } from "../format";
import { TierName } from "../strip/tiers";

/** Enough that the product can be followed: three figures of what is below 1, and none behind the point from 100 on. */
export const decimals = (quantity: number) =>
  Math.abs(quantity) >= 100 || quantity === 0 ? 0 : Math.max(2, Math.ceil(2 - Math.log10(Math.abs(quantity))));

/** A price put on a quantity, in the cells of a row: what it is for, both of them, and the amount. */
export function TermCells({ term: t }: { term: PricedTerm }) {
  const { exactly, price } = useEstate();
  return (
    <>
      <td className="pr-3">{t.what}</td>
      <td className="text-right whitespace-nowrap">
        {count(t.quantity, decimals(t.quantity))} {t.per === 1 ? t.unit : `÷ ${count(t.per)}`} × {price(t.price)}
        {Math.abs(t.factor - 1) > 1e-9 && ` × ${count(t.factor, 3)}`}
      </td>
      <td className="pl-4 text-right whitespace-nowrap @max-md:col-start-2 @max-md:row-start-1">{exactly(t.amount)}</td>
    </>
  );
}

/** What makes an amount: every quantity with its price, and where that price holds; in two lines where there is little room. */
export function TermTable({ terms }: { terms: PricedTerm[] }) {
  const { regionName } = useEstate();
  return (
    <div className="@container">
      <table className="mt-1 w-full text-sm">
        <tbody>
          {terms.map((t) => (
            <tr
              key={`${t.charge} ${t.region} ${t.tier} ${t.what} ${t.quantity}`}
              className="border-b border-hairline align-baseline @max-md:grid @max-md:grid-cols-[minmax(0,1fr)_auto]"
            >
              <th scope="row" className="py-0.5 pr-3 text-left font-normal @max-md:whitespace-nowrap">
                {regionName(t.region)}
                {t.tier && (
                  <>
                    , <TierName id={t.tier} />
                  </>
                )}
              </th>
              <TermCells term={t} />
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Opens what makes an amount that stands before it; nothing for an amount of nothing. */
export function WhatMakesIt({ amount, terms }: { amount: number; terms: PricedTerm[] }) {
  const { money } = useEstate();
  if (amount === 0) return null;
  return (
    <details className="mt-1 text-sm">
      <summary className="cursor-pointer text-ink-soft">What makes {money(amount)}</summary>
      <TermTable terms={terms} />
    </details>
  );
}
