import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { type Assumption, type Difference, draftScenario, type MonthPart, type Scenario, type TellBy } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Opens, type WhichAmount } from "../../money/opens";
import { Waterfall } from "../../money/waterfall";
import { tone } from "../../money/year-table";
import { useAddress } from "../../ui/address";
import { Figure } from "../../ui/controls";
import { useSettled } from "../../ui/use-settled";
import { Choice } from "../forecast/choice";
import { words } from "./assumption-words";
import { useNames } from "./use-names";

const tellings: { value: TellBy; label: string }[] = [
  { value: "bucket", label: "by bucket" },
  { value: "charge", label: "by charge" },
  { value: "tier", label: "by tier" },
  { value: "region", label: "by region" },
  { value: "tenant", label: "by tenant" },
  { value: "year", label: "by year" },
  { value: "month", label: "by month" },
];

const spans = [
  { value: "1", label: "year 1", first: 0, count: 12 },
  { value: "3", label: "year 3", first: 24, count: 12 },
  { value: "10", label: "year 10", first: 108, count: 12 },
  { value: "all", label: "ten years", first: 0, count: 120 },
];

/** What of a scenario is asked, as the address says. */
export function useAsked() {
  const { params, set } = useAddress();
  const by = tellings.find((t) => t.value === params.get("by"))?.value ?? "bucket";
  const span = spans.find((s) => s.value === params.get("span")) ?? spans[3];
  return { by, span: span as (typeof spans)[number], set };
}

/** A scenario looked at as it is typed, when the hand rests: the answer together with what was asked, which may be typed on already. */
export function useScenarioReading(scenario: Scenario | undefined) {
  const { by, span } = useAsked();
  const asked = { months: 120, first: span.first, count: span.count, by };
  const typed = JSON.stringify(scenario ?? null);
  const rested = useSettled(typed);
  // Another scenario is no typing: it is asked for at once.
  const question = (JSON.parse(rested) as Scenario | null)?.id === scenario?.id ? rested : typed;
  return useQuery({
    queryKey: keys.scenarioDraft(question, asked),
    queryFn: async ({ signal }) => {
      const of: Scenario = JSON.parse(question);
      return { ...(await draftScenario(of, asked, signal)), of };
    },
    enabled: question !== "null",
    placeholderData: keepPreviousData,
    retry: false,
  });
}

type DifferenceProps = {
  difference: Difference;
  scenario: Scenario;
  /** Whether it is stored as it is shown: only then its amounts open. */
  stored: boolean;
};

/** Where the difference comes from: step by step, and as a table that adds up both ways. */
export function DifferencePart({ difference, scenario, stored }: DifferenceProps) {
  const { by, span, set } = useAsked();
  const told = useNames();
  const names = (scenario.assumptions ?? []).map((a) => words(a, told));
  return (
    <section aria-label="Difference" className="min-w-0">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-hairline-strong pb-1 text-sm">
        <h2 className="font-serif text-xl">The difference</h2>
        <Choice
          label="Over which months"
          value={span.value}
          options={spans.map(({ value, label }) => ({ value, label }))}
          disabled={[]}
          onChange={(next) => set("span", next)}
        />
        <span className="text-ink-soft">
          {month(difference.from, "short")} to {month(difference.to, "short")}
        </span>
      </div>
      <Waterfall
        before={{ label: "As it stands", amount: difference.totals[0] ?? 0 }}
        steps={difference.changes.map((change, i) => ({ label: `${i + 1}  ${names[i] ?? ""}`, change }))}
        after={{ label: scenario.name, amount: difference.totals.at(-1) ?? 0 }}
        picture="difference"
      />
      <div className="mt-3 flex items-center gap-6 text-sm">
        <Choice label="Told" value={by} options={tellings} disabled={[]} onChange={(next) => set("by", next)} />
      </div>
      <DifferenceTable
        difference={difference}
        names={names}
        by={by}
        assumptions={scenario.assumptions ?? []}
        under={stored ? { scenario: scenario.id } : { assume: scenario.assumptions ?? [] }}
      />
    </section>
  );
}

type Line = Difference["lines"][number];

/** Under what an amount opens. */
type Under = Pick<WhichAmount, "scenario" | "assume" | "change">;

type TableProps = { difference: Difference; names: string[]; by: TellBy; assumptions: Assumption[]; under: Under };

function DifferenceTable({ difference, names, by, assumptions, under }: TableProps) {
  const { money, moneyChange } = useEstate();
  const opened = ({ key, from, to }: Line, of: number, label: string, as: Under, figure: ReactNode) =>
    key === "" || of === 0 ? (
      figure
    ) : (
      <Opens why={{ month: from, to, ...partOf(by, key), ...as }} label={label}>
        {figure}
      </Opens>
    );
  const amount = (row: Line, name: string, of: number, as: Under) =>
    opened(row, of, `${money(of)}: ${name}`, as, <Figure projected>{money(of)}</Figure>);
  const changed = (row: Line, of: number, step: number) =>
    opened(
      row,
      of,
      `${moneyChange(of)}: ${row.name}, ${names[step]}`,
      { change: "last", assume: assumptions.slice(0, step + 1) },
      of === 0 ? "" : moneyChange(of),
    );
  const rows = [
    ...difference.lines,
    {
      key: "in all",
      name: "in all",
      before: difference.totals[0] ?? 0,
      changes: difference.changes,
      after: difference.totals.at(-1) ?? 0,
      from: difference.from,
      to: difference.to,
    },
  ];
  return (
    <div className="max-h-[40rem] overflow-auto" tabIndex={0} role="region" aria-label="The difference in numbers">
      <table className="w-full text-right text-sm">
        <thead className="sticky top-0 bg-paper text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">{by}</th>
            <th className="pl-4 font-normal">as it stands</th>
            {names.map((name, i) => (
              <th key={i} className="pl-4 font-normal" title={name}>
                {i + 1}
              </th>
            ))}
            <th className="pl-4 font-normal">what if</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={row.key} className={at === rows.length - 1 ? "font-semibold" : "border-b border-hairline"}>
              <th scope="row" className={`whitespace-nowrap py-0.5 text-left ${at === rows.length - 1 ? "" : "font-normal"}`}>
                {by === "month" && row.key !== "in all" ? month(row.name, "short") : row.name}
              </th>
              <td className="pl-4">{amount(row, `${row.name}, as it stands`, row.before, {})}</td>
              {row.changes.map((change, i) => (
                <td key={i} className={`pl-4 ${tone(change)}`}>
                  {changed(row, change, i)}
                </td>
              ))}
              <td className="pl-4">{amount(row, `${row.name}, what if`, row.after, under)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Which part of its months a line of the difference is. */
const partOf = (by: TellBy, key: string): MonthPart =>
  key === "in all" || by === "year" || by === "month" ? {} : by === "tenant" && key === "*" ? { bucket: "*" } : { [by]: key };
