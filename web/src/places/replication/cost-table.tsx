import type { YearChange } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Figure } from "../../ui/controls";

/** What the whole estate costs a year, before and after a change of several buckets. */
export function CostTable({ cost }: { cost: YearChange[] }) {
  const { money, moneyChange } = useEstate();
  if (cost.length === 0) return null;
  return (
    <section>
      <h3 className="mb-1 text-base">The estate's cost a year</h3>
      <table className="w-full text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline">
            <th className="text-left font-normal">year</th>
            <th className="font-normal">before</th>
            <th className="font-normal">after</th>
            <th className="font-normal">change</th>
          </tr>
        </thead>
        <tbody>
          {cost.map((c) => {
            const change = c.estateChange;
            return (
              <tr key={c.year} className="border-b border-hairline">
                <th scope="row" className="text-left font-normal" title={`${month(c.from)} to ${month(c.to)}`}>
                  {c.year === 1 ? "first" : c.year === 3 ? "third" : "tenth"}
                </th>
                <td>
                  <Figure projected>{money(c.estateBefore)}</Figure>
                </td>
                <td>
                  <Figure projected>{money(c.estateAfter)}</Figure>
                </td>
                <td className={Math.abs(change) < 0.005 ? "" : change < 0 ? "text-good" : "text-bad"}>{moneyChange(change)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-1 text-ink-soft">
        Of the first year's change {moneyChange(cost[0]?.bucketChange ?? 0)} in the source, the rest elsewhere.
      </p>
    </section>
  );
}
