import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useLocation } from "react-router";
import {
  type BudgetReading,
  readVariance,
  readVarianceLine,
  type VarianceBy,
  type VarianceParts,
  type VarianceTable,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { Opens } from "../../money/opens";
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
  const { params, setAll } = useAddress();
  const { months, card, today } = reading;
  const by = tellings.find((t) => t.value === params.get("by"))?.value ?? "bucket";
  const line = params.get("line");
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
  const section = useRef<HTMLElement>(null);
  const { hash, search } = useLocation();
  // Whoever asks for it from the table above does not see it; what opens in it comes into sight by itself.
  useEffect(() => {
    if (hash === "#why" && search !== "" && line === null) section.current?.scrollIntoView();
  }, [hash, search, line]);
  const options = months.map((m) => ({ value: m.month, label: month(m.month, "short") }));
  return (
    <section ref={section} aria-label="Variance" className="mt-8 min-w-0 scroll-mt-16" data-stale={variance.isPlaceholderData}>
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
            <Choice
              label="Told"
              value={by}
              options={tellings}
              disabled={[]}
              onChange={(next) => setAll({ by: next, line: null })}
            />
          </div>
          <Table table={variance.data} by={by} />
          {line !== null && <Opened card={card} asked={asked} line={line} table={variance.data} />}
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
  const { params, set } = useAddress();
  const opened = params.get("line");
  const rows = [...table.lines, { key: "in all", name: "in all", parts: table.inAll }];
  const nameOf = (row: (typeof rows)[number]) => (by === "month" && row.key !== "in all" ? month(row.key) : row.name);
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="The variance in numbers">
      <table className="w-full text-right text-sm">
        <Heads first={by} />
        <tbody>
          {rows.map((row, at) => (
            <tr key={row.key} className={at === rows.length - 1 ? "font-semibold" : "border-b border-hairline"}>
              <th scope="row" className={`whitespace-nowrap py-0.5 text-left ${at === rows.length - 1 ? "" : "font-normal"}`}>
                {row.key === "" || row.key === "in all" ? (
                  nameOf(row)
                ) : (
                  <button
                    type="button"
                    aria-expanded={opened === row.key}
                    className="underline decoration-hairline-strong underline-offset-4 hover:decoration-current"
                    onClick={() => set("line", opened === row.key ? null : row.key)}
                  >
                    {nameOf(row)}
                  </button>
                )}
              </th>
              <Amounts of={row.parts} />
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The heads of a table of variances: what a row is, and the way from planned to in fact. */
function Heads({ first }: { first: string }) {
  return (
    <thead className="text-ink-soft">
      <tr className="border-b border-hairline-strong">
        <th className="py-1 text-left font-normal">{first}</th>
        {["planned", ...parts.map((p) => p.part), "in fact"].map((name) => (
          <th key={name} className="pl-4 font-normal">
            {name}
          </th>
        ))}
      </tr>
    </thead>
  );
}

function Amounts({ of }: { of: VarianceParts }) {
  const { money, moneyChange } = useEstate();
  return (
    <>
      <td className="pl-4 whitespace-nowrap">{money(of.planned)}</td>
      {parts.map(({ part }) => (
        <td key={part} className={`pl-4 whitespace-nowrap ${tone(of[part])}`}>
          {Math.abs(of[part]) < 0.005 ? "" : moneyChange(of[part])}
        </td>
      ))}
      <td className="pl-4 whitespace-nowrap">{money(of.actual)}</td>
    </>
  );
}

type OpenedProps = {
  card: BudgetReading["card"];
  asked: { by: VarianceBy; from?: string; to?: string };
  line: string;
  table: VarianceTable;
};

/** What makes one line: quantities that were planned and that came, each at what a unit of it cost. */
function Opened({ card, asked, line, table }: OpenedProps) {
  const { money, price, tierName } = useEstate();
  const query = { ...asked, key: line };
  const { data, error } = useQuery({
    queryKey: keys.varianceLine(card.id, query),
    queryFn: ({ signal }) => readVarianceLine(card.id, query, signal),
    retry: false,
  });
  const name = table.lines.find((l) => l.key === line)?.name ?? line;
  const charged = data?.charged;
  const section = useRef<HTMLElement>(null);
  useEffect(() => {
    if (data && table) section.current?.scrollIntoView({ block: "start" });
  }, [data, table]);
  if (error) return <ErrorNote error={error} />;
  const made = (quantity: number, perUnit: number | null | undefined, amount: number, unit: string) =>
    perUnit == null ? (
      money(amount)
    ) : (
      <>
        {count(quantity, Math.abs(quantity) < 100 ? 3 : 0)} {unit} × {price(perUnit)}
      </>
    );
  return (
    <section ref={section} aria-label={`What makes ${name}`} className="mt-4 scroll-mt-16">
      <h3 className="font-serif text-lg">What makes {asked.by === "month" ? month(line) : name}</h3>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={`What makes ${name}, in numbers`}>
        <table className="w-full text-right text-sm">
          <Heads first="for" />
          <tbody>
            {(data?.details ?? []).map((d) => {
              const what = [
                ...(asked.by === "bucket" ? [] : [d.bucket || "Agreements"]),
                d.charge,
                ...(d.tier ? [tierName(d.tier)] : []),
              ].join(", ");
              return (
                <tr key={`${d.bucket} ${d.region} ${d.tier} ${d.charge}`} className="border-b border-hairline align-top">
                  <th scope="row" className="py-0.5 text-left font-normal">
                    {charged && d.parts.actual !== 0 ? (
                      <Opens
                        why={{
                          month: charged,
                          bucket: d.bucket || "*",
                          charge: d.charge,
                          ...(d.tier && { tier: d.tier }),
                          of: "charged",
                        }}
                        label={what}
                      >
                        {what}
                      </Opens>
                    ) : (
                      what
                    )}
                    <span className="block text-ink-soft">
                      planned {made(d.planned, d.plannedPrice, d.parts.planned, d.unit)}; in fact{" "}
                      {made(d.actual, d.actualPrice, d.parts.actual, d.unit)}
                    </span>
                  </th>
                  <Amounts of={d.parts} />
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {data && !charged && (
        <p className="mt-1 text-sm text-ink-soft">
          Over a single whole month that is over, each opens further, down to prices and days.
        </p>
      )}
    </section>
  );
}
