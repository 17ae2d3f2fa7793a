import { Link } from "react-router";
import type { PriceBook } from "../../api/client";
import { useEstate } from "../../estate-context";
import { NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { amountsOn, type From, withTransfer } from "./price-lists";

type TransferProps = { book: PriceBook; from: From; onChange: (book: PriceBook) => void };

/** What a unit carried from one region to another costs, on the day that is looked at. */
export function TransferPrices({ book, from, onChange }: TransferProps) {
  const { regionName, prices } = useEstate();
  const lines = amountsOn(book, from).transfers ?? [];
  return (
    <section className="mt-6">
      <h2 className="text-xl">From region to region</h2>
      <p className="text-sm text-ink-soft">
        Per {prices.unit} carried; what is not named is free. How fast a line is, stands under{" "}
        <Link to="/replication">Replication</Link>.
      </p>
      <table className="mt-1">
        <tbody>
          {lines.map((t) => (
            <tr key={`${t.from} ${t.to}`} className="border-b border-hairline">
              <th className="py-1 pr-8 text-left font-normal">
                {regionName(t.from)} → {regionName(t.to)}
              </th>
              <td>
                <NumberInput
                  aria-label={`From ${regionName(t.from)} to ${regionName(t.to)}`}
                  className="w-24"
                  value={t.price}
                  onChange={(v) => onChange(withTransfer(book, from, t, orNull(v)))}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
