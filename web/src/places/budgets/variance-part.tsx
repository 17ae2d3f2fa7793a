import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type BudgetReading, readVariance, type VarianceBy, type VarianceParts, type VarianceTable } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Waterfall } from "../../money/waterfall";
import { tone } from "../../money/year-table";
import { useAddress } from "../../ui/address";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { Choice } from "../forecast/choice";

const tellings: { value: VarianceBy; label: string }[] = [
  { value: "bucket", label: "by bucket" },
  { value: "charge", label: "by charge" },
  { value: "tier", label: "by tier" },
  { value: "region", label: "by region" },
  { value: "tenant", label: "by tenant" },
  { value: "month", label: "by month" },
];

type Part = "volume" | "mix" | "timing" | "price";

const parts: { part: Part; meaning: string }[] = [
  { part: "volume", meaning: "more or less of it than planned" },
  { part: "mix", meaning: "it lay in other tiers or regions" },
  { part: "timing", meaning: "it came in other months" },
  { part: "price", meaning: "a unit cost something else" },
];

/** Why the money is another than planned, over months that one chooses. */
export function VariancePart({ reading }: { reading: BudgetReading }) {
  const { params, set, setAll } = useAddress();
  const { months, card, today } = reading;
  const by = tellings.find((t) => t.value === params.get("by"))?.value ?? "bucket";
  const known = (name: string) => months.find((m) => m.month === params.get(name))?.month;
  const [from, to] = [known("from"), known("to")];
  const asked = { by, ...(from && { from }), ...(to && { to }) };
  const variance = useQuery({
    queryKey: keys.variance(card.id, asked),
    queryFn: ({ signal }) => readVariance(card.id, asked, signal),
    placeholderData: keepPreviousData,
  });
  // Whatever is chosen first, the earlier one is the first.
  const choose = (one = card.first, other = card.first) => {
    const [first = one, last = other] = [one, other].sort();
    setAll({ from: first, to: last });
  };
  const options = months.map((m) => ({ value: m.month, label: month(m.month, "short") }));
  return (
    <section aria-label="Variance" className="mt-8 min-w-0" data-stale={variance.isPlaceholderData}>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-1 border-b border-hairline-strong pb-1 text-sm">
        <h2 className="font-serif text-xl">Why it differs</h2>
        <Field label="From">
          {(ids) => (
            <Select
              {...ids}
              value={variance.data?.from ?? ""}
              options={options}
              onChange={(e) => choose(e.target.value, variance.data?.to)}
            />
          )}
        </Field>
        <Field label="To">
          {(ids) => (
            <Select
              {...ids}
              value={variance.data?.to ?? ""}
              options={options}
              onChange={(e) => choose(variance.data?.from, e.target.value)}
            />
          )}
        </Field>
        {variance.data && variance.data.to >= today.slice(0, 7) && (
          <p className="text-ink-soft">Months that are not over count with what is to come.</p>
        )}
      </div>
      {variance.error && <ErrorNote error={variance.error} />}
      {variance.data && (
        <>
          <Waterfall
            before={{ label: "Planned", amount: variance.data.inAll.planned }}
            steps={parts.map(({ part, meaning }) => ({
              label: `${part}: ${meaning}`,
              change: variance.data.inAll[part],
            }))}
            after={{ label: "In fact", amount: variance.data.inAll.actual }}
            picture="variance"
          />
          <div className="mt-2 text-sm">
            <Choice label="Told" value={by} options={tellings} disabled={[]} onChange={(next) => set("by", next)} />
          </div>
          <Table table={variance.data} by={by} />
          <p className="mt-2 text-sm text-ink-soft">
            Of all that a bucket pays one charge for: the plan is scaled to the whole quantity in fact (volume), then to that of
            each tier (mix), then moved to its months (timing), all at planned prices; what is left is price. What was not planned
            is volume at what it cost.
          </p>
        </>
      )}
    </section>
  );
}

function Table({ table, by }: { table: VarianceTable; by: VarianceBy }) {
  const { money } = useEstate();
  const rows = [...table.lines, { key: "in all", name: "in all", parts: table.inAll }];
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="The variance in numbers">
      <table className="w-full text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">{by}</th>
            {["planned", ...parts.map((p) => p.part), "in fact"].map((name) => (
              <th key={name} className="pl-4 font-normal">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={row.key} className={at === rows.length - 1 ? "font-semibold" : "border-b border-hairline"}>
              <th scope="row" className={`whitespace-nowrap py-0.5 text-left ${at === rows.length - 1 ? "" : "font-normal"}`}>
                {by === "month" && row.key !== "in all" ? month(row.key) : row.name}
              </th>
              <td className="pl-4">{money(row.parts.planned)}</td>
              {parts.map(({ part }) => (
                <Change key={part} of={row.parts} part={part} />
              ))}
              <td className="pl-4">{money(row.parts.actual)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Change({ of, part }: { of: VarianceParts; part: Part }) {
  const { moneyChange } = useEstate();
  const change = of[part];
  return <td className={`pl-4 ${tone(change)}`}>{Math.abs(change) < 0.005 ? "" : moneyChange(change)}</td>;
}
