import { Link } from "react-router";
import type { ObjectCharged } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { count, month } from "../../../format";
import { decimals } from "../../../money/priced-terms";
import { TierName } from "../../../strip/tiers";

type ChargedProps = { bucket: string; charged: ObjectCharged };

/** What an object was charged so far, which opens to what it was charged for; a month's line to what made its price. */
export function ObjectChargedSoFar({ bucket, charged }: ChargedProps) {
  const { exactly, price } = useEstate();
  if (charged.amount === 0) return exactly(0);
  return (
    <details>
      <summary className="cursor-pointer">{exactly(charged.amount)}</summary>
      <table className="mt-1 w-full text-sm">
        <tbody>
          <tr className="border-b border-hairline">
            <th scope="row" className="py-0.5 pr-3 text-left font-normal" colSpan={3}>
              Written, read and moved, when it happened
            </th>
            <td className="text-right whitespace-nowrap">{exactly(charged.requests)}</td>
          </tr>
          {charged.storage.length > 0 && (
            <tr>
              <th scope="rowgroup" className="pt-1 text-left font-normal text-ink-soft" colSpan={4}>
                Stored in
              </th>
            </tr>
          )}
          {charged.storage.map((s) => (
            <tr key={`${s.month} ${s.tier}`} className="border-b border-hairline">
              <th scope="row" className="py-0.5 pr-3 text-left font-normal whitespace-nowrap">
                <Link to={`/why?month=${s.month}&bucket=${bucket}&tier=${s.tier}&charge=storage&of=charged`}>
                  {month(s.month)}
                </Link>
              </th>
              <td className="pr-3">
                <TierName id={s.tier} />
              </td>
              <td className="text-right whitespace-nowrap">
                {count(s.unitMonths, decimals(s.unitMonths))} × {price(s.price)}
              </td>
              <td className="pl-3 text-right whitespace-nowrap">{exactly(s.amount)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
