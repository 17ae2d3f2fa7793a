import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type AsideBecause, type BillReading, readBillRows } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { TierName } from "../../strip/tiers";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { wayWords } from "./ways";

const page = 25;

const because: Record<AsideBecause, string> = {
  "no-bucket": "left aside: its resource is no bucket",
  "no-charge": "left aside: its item is no charge in a tier",
  "no-unit": "left aside: nobody says how much one of its units is",
};

const many = (quantity: number) => count(quantity, Math.abs(quantity) < 100 ? 3 : 0);

/** What the bill says, row by row, beside what each row is read as. */
export function RowsPart({ bill }: { bill: BillReading }) {
  const { money, prices } = useEstate();
  const [aside, setAside] = useState(false);
  const [limit, setLimit] = useState(page);
  const rows = useQuery({
    queryKey: keys.billRows(bill.card.id, aside, limit),
    queryFn: () => readBillRows(bill.card.id, aside, limit),
    placeholderData: keepPreviousData,
  });
  return (
    <section aria-label="Its rows" className="mt-6">
      <div className="flex flex-wrap items-baseline gap-x-6 border-b border-hairline-strong pb-1">
        <h3 className="font-serif text-xl">Its rows, as they are read</h3>
        <span className="ml-auto">
          <Field label="Shown is">
            {(ids) => (
              <Select
                {...ids}
                value={aside ? "aside" : "all"}
                options={[
                  { value: "all", label: "every row" },
                  { value: "aside", label: "what is left aside" },
                ]}
                onChange={(e) => setAside(e.target.value === "aside")}
              />
            )}
          </Field>
        </span>
      </div>
      {rows.error && <ErrorNote error={rows.error} />}
      {rows.data && rows.data.inAll === 0 && <p className="py-3 text-ink-soft">Nothing is left aside.</p>}
      {rows.data && rows.data.inAll > 0 && (
        <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Rows of the bill">
          <table className="w-full text-sm" data-stale={rows.isPlaceholderData}>
            <thead className="text-left text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 font-normal">month</th>
                <th className="pl-4 font-normal">resource</th>
                <th className="pl-4 font-normal">item</th>
                <th className="pl-4 text-right font-normal">quantity</th>
                <th className="pl-4 text-right font-normal">billed</th>
                <th className="pl-4 font-normal">is read as</th>
              </tr>
            </thead>
            <tbody>
              {rows.data.rows.map(({ billed, as, aside: why, way }) => (
                <tr
                  key={`${billed.month} ${billed.resource} ${billed.item} ${billed.unit}`}
                  className="border-b border-hairline align-baseline"
                >
                  <td className="py-0.5 whitespace-nowrap">{month(billed.month)}</td>
                  <td className="pl-4 wrap-anywhere">{billed.resource || "nothing in particular"}</td>
                  <td className="pl-4 wrap-anywhere">{billed.item || "nothing in particular"}</td>
                  <td className="pl-4 text-right whitespace-nowrap">
                    {many(billed.quantity)} {billed.unit}
                  </td>
                  <td className="pl-4 text-right whitespace-nowrap">{money(billed.amount)}</td>
                  <td className="pl-4">
                    {as ? (
                      <>
                        {as.bucket}: {many(as.quantity)} {as.unit}, {as.charge}, <TierName id={as.tier} />
                        {way && `, ${wayWords(as.charge, way, prices)}`}
                      </>
                    ) : (
                      <span className="text-ink-soft">{why && because[why]}</span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {rows.data && rows.data.inAll > rows.data.rows.length && limit < 1000 && (
        <Button className="mt-2" onClick={() => setLimit(Math.min(limit * 4, 1000))}>
          Show more of {count(rows.data.inAll)}
        </Button>
      )}
      {rows.data && rows.data.inAll > 1000 && limit >= 1000 && (
        <p className="mt-1 text-sm text-ink-soft">
          These are 1,000 of {count(rows.data.inAll)}; <code>ripen bill-rows</code> prints all of them.
        </p>
      )}
    </section>
  );
}
