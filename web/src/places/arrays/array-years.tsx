import { Fragment, useState } from "react";
import type { ArrayYear, PricedTerm } from "../../api/client";
import { useEstate } from "../../estate-context";
import { OpenAmount, TermRow } from "../../money/open-amount";

/** What both sides cost in some years, before and after a draft; every amount opens. */
export function ArrayYears({ years }: { years: ArrayYear[] }) {
  const { money, moneyChange } = useEstate();
  const [opened, open] = useState<string | null>(null);
  return (
    <table className="mt-3 w-full">
      <caption className="pb-1 text-left font-serif">What both sides cost</caption>
      <thead className="text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="text-left font-normal">year</th>
          <th className="text-right font-normal">array</th>
          <th className="text-right font-normal">buckets</th>
          <th className="text-right font-normal">together</th>
        </tr>
      </thead>
      <tbody>
        {years.map((y) => {
          const amounts = amountsOf(y);
          const shown = amounts.find((a) => `${y.year} ${a.of}` === opened);
          return (
            <Fragment key={y.year}>
              <tr className="border-b border-hairline">
                <th className="py-1 text-left font-normal">{y.year}</th>
                {amounts.map((a) => (
                  <td key={a.of} className="text-right" title={a.of === "array" ? `${money(y.arrayBefore)} before` : undefined}>
                    <OpenAmount
                      id={`${y.year} ${a.of}`}
                      label={`year ${y.year}, ${a.of}`}
                      text={a.of === "array" ? money(a.amount) : moneyChange(a.amount)}
                      terms={a.terms}
                      opened={opened}
                      onOpen={open}
                    />
                  </td>
                ))}
              </tr>
              {shown && <TermRow columns={4} terms={shown.terms} />}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}

function amountsOf(y: ArrayYear): { of: string; amount: number; terms: PricedTerm[] }[] {
  const noMore = { ...y.heldBefore, what: "on it before", quantity: -y.heldBefore.quantity, amount: -y.heldBefore.amount };
  return [
    { of: "array", amount: y.arrayAfter, terms: [y.heldAfter] },
    { of: "buckets", amount: y.estateChange, terms: y.estateTerms },
    { of: "together", amount: y.change, terms: y.change === 0 ? [] : [y.heldAfter, noMore, ...y.estateTerms] },
  ];
}
