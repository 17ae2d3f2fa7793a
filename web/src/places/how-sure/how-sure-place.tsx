import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readScenarios } from "../../api/client";
import { keys } from "../../api/keys";
import { count, month } from "../../format";
import { ApiError } from "../../refusal";
import { useAddress } from "../../ui/address";
import { Field, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useSettled } from "../../ui/use-settled";
import { DriverBars } from "./driver-bars";
import { FanChart } from "./fan-chart";
import { type FanOf, readFanOf } from "./fan-of";
import { bandAmounts } from "./future-amount";
import { notKnown, questionOf } from "./not-known";
import { type Range, RangeFields } from "./range-fields";

/** How sure the forecast is: what is not known, as three numbers each, and the bill of a thousand futures. */
export function HowSurePlace() {
  usePageTitle("How sure");
  const { params, set } = useAddress();
  const typed = questionOf(params);
  const { seed, scenario } = typed;
  const question = useSettled(JSON.stringify(typed));
  const scenarios = useQuery({ queryKey: keys.scenarios, queryFn: readScenarios });
  const fan = useQuery({
    queryKey: keys.fan(question),
    queryFn: ({ signal }) => readFanOf(JSON.parse(question), signal),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const problems = fan.error instanceof ApiError ? fan.error.problems : [];
  const errorAt = (name: string) => problems.find((p) => p.path === `?${name}`)?.message;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-1 pt-5">
        <h1 className="text-3xl">How sure</h1>
        <p className="text-ink-soft">Three numbers for what is not known; a thousand futures drawn from them.</p>
        {!scenario && (
          <Link to={`/on-paper?${params}`} className="ml-auto text-sm">
            On paper
          </Link>
        )}
      </div>
      <div className="mt-3 grid grid-cols-[22rem_minmax(0,1fr)] gap-x-10 gap-y-4 max-lg:grid-cols-1">
        <div className="min-w-0">
          <table className="w-full">
            <thead className="text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="text-left font-normal">not known</th>
                {["at least", "likely", "at most"].map((name) => (
                  <th key={name} className="pl-2 text-right font-normal">
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {notKnown.map(({ name, label, unit, scale }) => (
                <RangeFields
                  key={name}
                  label={label}
                  unit={unit}
                  scale={scale}
                  range={typed[name].split(",").map(Number) as Range}
                  error={errorAt(name)}
                  onChange={(range) => set(name, range.join(","))}
                />
              ))}
            </tbody>
          </table>
          <div className="mt-3 flex flex-wrap gap-x-6 gap-y-2">
            <Field label="Of">
              {(ids) => (
                <Select
                  {...ids}
                  className="max-w-56"
                  value={scenario ?? ""}
                  options={[
                    { value: "", label: "the estate as it stands" },
                    ...(scenarios.data?.value.scenarios ?? []).map((s) => ({ value: s.id, label: s.name })),
                  ]}
                  onChange={(e) => set("scenario", e.target.value || null)}
                />
              )}
            </Field>
            <Field label="Seed">
              {(ids) => (
                <NumberInput
                  {...ids}
                  className="w-20"
                  value={seed}
                  onChange={(next) => set("seed", String(Math.trunc(next ?? 1)))}
                />
              )}
            </Field>
          </div>
          {fan.data && (
            <section className="mt-6" aria-label="What moves it">
              <h2 className="font-serif text-xl">What moves it</h2>
              <p className="mt-1 mb-2 text-sm text-ink-soft">
                The sum of all months when one goes from its tenth to its nine tenths, and the others stand in their middle.
              </p>
              <DriverBars fan={fan.data} />
            </section>
          )}
        </div>
        <div className="min-w-0" data-stale={fan.isPlaceholderData}>
          {fan.error && problems.length === 0 && <ErrorNote error={fan.error} />}
          {fan.isPending && <p className="py-10 text-ink-soft">Drawing futures…</p>}
          {fan.data && (
            <>
              <FanChart fan={fan.data} />
              <YearBands fan={fan.data} />
            </>
          )}
        </div>
      </div>
    </div>
  );
}

function YearBands({ fan }: { fan: FanOf }) {
  const all = { from: fan.months[0] ?? "", to: fan.months[fan.months.length - 1] ?? "" };
  const rows = [
    ...fan.years.map((y) => ({
      key: String(y.number),
      name: `year ${y.number}`,
      span: { from: y.from, to: y.to },
      money: y.money,
      isYear: true,
    })),
    { key: "all", name: "all months", span: all, money: fan.total, isYear: false },
  ];
  return (
    <table className="mt-3 w-full text-right text-sm">
      <caption className="pb-1 text-left text-ink-soft">
        Not exceeded in one, five and nine of ten of {count(fan.runs, 0)} futures, seed {fan.seed}. A year's bounds are of its
        sum, not the sums of its months'. An amount opens as the future that comes nearest to it.
      </caption>
      <thead className="text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="text-left font-normal">year</th>
          <th className="font-normal">P10</th>
          <th className="font-normal">P50</th>
          <th className="font-normal">P90</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.key} className={row.isYear ? "border-b border-hairline" : "font-semibold"}>
            <th
              scope="row"
              className={`py-0.5 text-left ${row.isYear ? "font-normal" : ""}`}
              title={`${month(row.span.from)} to ${month(row.span.to)}`}
            >
              {row.name}
            </th>
            {bandAmounts({ scenario: fan.scenario, band: row.money, ...row.span }).map((amount) => (
              <td key={amount.key}>{amount}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
