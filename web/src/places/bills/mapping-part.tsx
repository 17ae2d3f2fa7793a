import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type BilledItem, type BillReading, type Charge, mapBill } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useCapped } from "../../ui/use-capped";
import { waysOf } from "./ways";

const charges: Charge[] = ["storage", "early-leave", "writes", "reads", "moves", "recall", "transfer", "watching"];

/** What the bill's resources and items are here; what is chosen holds at once. */
export function MappingPart({ bill }: { bill: BillReading }) {
  const { estate, money } = useEstate();
  const queries = useQueryClient();
  const map = useMutation({
    // One after the other: a number is typed digit by digit, and the last one has to stay.
    scope: { id: `bill-${bill.card.id}` },
    mutationFn: (mapping: Parameters<typeof mapBill>[1]) => mapBill(bill.card.id, mapping),
    onSuccess: (after) => {
      queries.setQueryData(keys.bill(bill.card.id), after);
      void queries.invalidateQueries({ queryKey: keys.rowsOfBill(bill.card.id) });
    },
  });
  const resources = useCapped(bill.resources, 40);
  const items = useCapped(bill.items, 40);
  return (
    <section aria-label="What its lines are" className="mt-6">
      <h3 className="border-b border-hairline-strong pb-1 font-serif text-xl">What its lines are</h3>
      {map.error && <ErrorNote error={map.error} />}
      <div className="grid grid-cols-[minmax(0,5fr)_minmax(0,8fr)] gap-x-10 gap-y-4 max-lg:grid-cols-1">
        <table className="w-full self-start text-sm">
          <thead className="text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">resource</th>
              <th className="pl-4 text-right font-normal">billed</th>
              <th className="pl-4 text-left font-normal">is the bucket</th>
            </tr>
          </thead>
          <tbody>
            {resources.shown.map((r) => (
              <tr key={r.resource} className="border-b border-hairline">
                <th scope="row" className="py-0.5 text-left font-normal wrap-anywhere">
                  {r.resource || "nothing in particular"}
                </th>
                <td className="pl-4 text-right">{money(r.amount)}</td>
                <td className="pl-4">
                  <Select
                    aria-label={`Bucket of ${r.resource || "nothing in particular"}`}
                    value={r.bucket ?? ""}
                    options={[
                      { value: "", label: "none of them" },
                      ...estate.buckets.map((name) => ({ value: name, label: name })),
                    ]}
                    onChange={(e) =>
                      map.mutate({ resources: [{ resource: r.resource, bucket: e.target.value || null }], items: [] })
                    }
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <table className="w-full self-start text-sm">
          <thead className="text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">item</th>
              <th className="pl-4 text-right font-normal">billed</th>
              <th className="pl-4 text-left font-normal">is</th>
              <th className="pl-4 text-right font-normal">units in one of theirs</th>
            </tr>
          </thead>
          <tbody>
            {items.shown.map((item) => (
              <Item
                key={`${item.item} ${item.unit}`}
                item={item}
                onChange={(next) => map.mutate({ resources: [], items: [next] })}
              />
            ))}
          </tbody>
        </table>
      </div>
      {resources.more}
      {items.more}
    </section>
  );
}

type Named = Pick<BilledItem, "item" | "unit" | "tier" | "charge" | "times" | "way">;

function Item({ item, onChange }: { item: BilledItem; onChange: (next: Named) => void }) {
  const { money, prices } = useEstate();
  const { item: name, unit, tier, charge, times, way } = item;
  const named = { item: name, unit, tier, charge, times, way };
  const ways = waysOf(charge, prices);
  const about = `${name || "nothing in particular"}, ${unit || "no unit"}`;
  return (
    <tr className="border-b border-hairline">
      <th scope="row" className="min-w-32 py-0.5 text-left font-normal wrap-anywhere">
        {name || "nothing in particular"}
        <span className="text-ink-soft">
          {" "}
          {count(item.quantity)} {unit}
        </span>
      </th>
      <td className="pl-4 text-right">{money(item.amount)}</td>
      <td className="pl-4">
        <Select
          aria-label={`Charge of ${about}`}
          value={charge ?? ""}
          options={[{ value: "", label: "left aside" }, ...charges.map((c) => ({ value: c, label: c }))]}
          onChange={(e) => onChange({ ...named, charge: (e.target.value || null) as Charge | null, way: null })}
        />
        <Select
          aria-label={`Tier of ${about}`}
          value={tier ?? ""}
          options={[{ value: "", label: "no tier" }, ...prices.tiers.map((t) => ({ value: t.id, label: t.name }))]}
          onChange={(e) => onChange({ ...named, tier: e.target.value || null })}
        />
        {ways.length > 0 && (
          <Select
            aria-label={`${charge === "recall" ? "Speed" : "Region"} of ${about}`}
            className="max-w-44"
            value={way ?? ""}
            options={[
              { value: "", label: charge === "recall" ? "at the ordinary speed" : "the one way there is" },
              ...ways.map((w) => ({ value: w.id, label: w.words })),
            ]}
            onChange={(e) => onChange({ ...named, way: e.target.value || null })}
          />
        )}
      </td>
      <td className="pl-4 text-right">
        <NumberInput
          aria-label={`Units of ${about}`}
          className="w-24"
          digits={6}
          placeholder={item.namedTimes == null ? "not known" : count(item.namedTimes, 6)}
          value={times}
          onChange={(next, isEmpty) => (next !== null || isEmpty) && next !== times && onChange({ ...named, times: next })}
        />
      </td>
    </tr>
  );
}
