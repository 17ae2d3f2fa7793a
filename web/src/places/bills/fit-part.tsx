import { useMutation } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { type BillReading, type FitBy, readBillPrices } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { tone } from "../../money/year-table";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { wayWords } from "./ways";

const found: Record<Exclude<FitBy, "rows">, string> = {
  "one-factor": "all bands by one factor",
  nothing: "nothing of it lies there",
};

const per: Record<string, string> = { storage: "a unit and month", recall: "a unit", transfer: "a unit" };

/** The prices that meet the bill best, how well they do, and the bill beside the meter. */
export function FitPart({ bill }: { bill: BillReading }) {
  const { money, moneyChange, price, tierName, regionName, prices: book } = useEstate();
  const navigate = useNavigate();
  const take = useMutation({
    mutationFn: () => readBillPrices(bill.card.id),
    onSuccess: (fitted) => void navigate("/prices", { state: { draft: fitted } }),
  });
  const { prices, charges } = bill.fit;
  const difference = (amount: number) => (Math.abs(amount) < 0.005 ? "" : moneyChange(amount));
  return (
    <section aria-label="Fitted prices" className="mt-5">
      <div className="flex flex-wrap items-baseline gap-x-6 border-b border-hairline-strong pb-1">
        <h3 className="font-serif text-xl">Fitted prices</h3>
        <span className="ml-auto">
          <Button kind="primary" disabled={prices.length === 0 || take.isPending} onClick={() => take.mutate()}>
            Open them as a draft of the prices
          </Button>
        </span>
      </div>
      {take.error && <ErrorNote error={take.error} />}
      {charges.length === 0 ? (
        <p className="py-3 text-ink-soft">
          Nothing of the bill is recognised yet: say below which buckets and charges its lines are.
        </p>
      ) : (
        <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Fitted prices in numbers">
          <table className="w-full text-right text-sm">
            <thead className="text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 text-left font-normal">charge</th>
                {["billed", "by your prices", "by the fitted", "farthest off", "your price", "fitted"].map((name) => (
                  <th key={name} className="pl-4 font-normal">
                    {name}
                  </th>
                ))}
                <th className="pl-4 text-left font-normal">how</th>
              </tr>
            </thead>
            <tbody>
              {charges.flatMap((of) => {
                const by = of.charge === "early-leave" ? "storage" : of.charge;
                const same = prices.filter(
                  (p) =>
                    p.region === of.region && p.to === of.to && p.tier === of.tier && p.charge === by && p.speed === of.speed,
                );
                const own = of.charge === "early-leave" ? same.slice(0, 1) : same;
                return own.map((p, i) => (
                  <tr
                    key={`${of.region} ${of.to} ${of.tier} ${of.charge} ${of.speed} ${p.upTo}`}
                    className={`align-top ${i === own.length - 1 ? "border-b border-hairline" : ""}`}
                  >
                    {i === 0 && (
                      <>
                        <th scope="rowgroup" rowSpan={own.length} className="py-0.5 text-left font-normal">
                          {of.charge},{" "}
                          {of.tier
                            ? `${tierName(of.tier)}, ${regionName(of.region)}`
                            : `${regionName(of.region)} to ${regionName(of.to ?? "")}`}
                          {of.speed && `, ${wayWords(of.charge, of.speed, book)}`}
                        </th>
                        <td rowSpan={own.length} className="pl-4">
                          {money(of.billed)}
                        </td>
                        <td rowSpan={own.length} className={`pl-4 ${tone(of.pricedOff)}`}>
                          {difference(of.pricedOff)}
                        </td>
                        <td rowSpan={own.length} className={`pl-4 ${tone(of.fittedOff)}`}>
                          {difference(of.fittedOff)}
                        </td>
                        <td rowSpan={own.length} className="pl-4" title={`of ${count(of.rows)} months of buckets`}>
                          {of.farthestOff >= 0.005 && money(of.farthestOff)}
                        </td>
                      </>
                    )}
                    <td className="pl-4">{price(p.was)}</td>
                    <td className={`pl-4 font-semibold ${tone((p.fitted - p.was) * 1e6)}`}>{price(p.fitted)}</td>
                    <td className="pl-4 text-left text-ink-soft">
                      {of.charge === "early-leave" ? "the first band of storage" : (per[of.charge] ?? "a thousand")}
                      {own.length > 1 && (p.upTo == null ? ", above that" : `, up to ${count(p.upTo)}`)}
                      {p.how !== "rows" && `; ${found[p.how]}`}
                    </td>
                  </tr>
                ));
              })}
            </tbody>
          </table>
        </div>
      )}
      <p className="mt-1 text-sm text-ink-soft">
        Least squares over the bill's months and buckets, with the bands of your price book. Differences are against the bill.
        Early leaving costs what the first band of storage does. A recall is fitted at the speed that its item is mapped to; a
        transfer to the region of its item, or where all that a bucket is charged for goes one way.
      </p>
      <table className="mt-4 text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">month</th>
            {["billed", "recognised", "metered here"].map((name) => (
              <th key={name} className="pl-8 font-normal">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {bill.months.map((m) => (
            <tr key={m.month} className="border-b border-hairline">
              <th scope="row" className="py-0.5 text-left font-normal">
                {month(m.month)}
              </th>
              <td className="pl-8">{money(m.billed)}</td>
              <td className="pl-8">{money(m.mapped)}</td>
              <td className="pl-8">
                {m.metered !== 0 && <Link to={`/why?month=${m.month}&of=charged`}>{money(m.metered)}</Link>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
