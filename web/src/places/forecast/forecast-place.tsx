import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type ForecastSeries, readForecast, type SplitBy } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Opens } from "../../money/opens";
import { useAsOf } from "../../rail/as-of";
import { useAddress } from "../../ui/address";
import { Figure, inputLook } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { OverBudget } from "../budgets/over-budget";
import { Choice } from "./choice";
import { ForecastTable } from "./forecast-table";
import { StackChart } from "./stack-chart";

const splits: { value: SplitBy; label: string }[] = [
  { value: "tier", label: "by tier" },
  { value: "charge", label: "by charge" },
  { value: "region", label: "by region" },
  { value: "bucket", label: "by bucket" },
  { value: "tenant", label: "by tenant" },
];

export type Shown = "money" | "bytes";

const fileNames: Record<string, string> = { csv: "CSV", xlsx: "Workbook", parquet: "Parquet", "focus.csv": "FOCUS" };

/** Money and bytes by month for up to thirty years, stacked, with the same numbers as a table. */
export function ForecastPlace() {
  usePageTitle("Forecast");
  const { params, set } = useAddress();
  const by = splits.find((s) => s.value === params.get("by"))?.value ?? "tier";
  const shown: Shown = params.get("show") === "bytes" && by !== "charge" ? "bytes" : "money";
  const years = Math.min(30, Math.max(1, Number(params.get("years") ?? 10) || 10));
  const forecast = useQuery({
    queryKey: ["forecast", years, by],
    queryFn: () => readForecast(years * 12, by),
    placeholderData: keepPreviousData,
  });
  if (forecast.error && !forecast.data) return <ErrorPage what="Forecast" error={forecast.error} />;
  if (!forecast.data) return null;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-10 gap-y-3 py-5">
        <h1 className="text-3xl">Forecast</h1>
        <span className="no-print grid grid-flow-col grid-rows-2 gap-x-5 text-sm">
          <Link to="/what-if">What if</Link>
          <Link to="/how-sure">How sure</Link>
          <Link to="/budgets">Budgets</Link>
          <Link to="/landscape">How it ripens</Link>
          <Link to="/full-restore">Everything back</Link>
          <Link to="/on-paper">On paper</Link>
          <OverBudget />
        </span>
        <YearFigures series={forecast.data} />
      </div>
      <div className="no-print flex flex-wrap items-center gap-x-8 gap-y-2 border-b border-hairline-strong pb-2 text-sm">
        <Choice
          label="What is shown"
          value={shown}
          options={[
            { value: "money", label: "money" },
            { value: "bytes", label: "bytes" },
          ]}
          disabled={by === "charge" ? ["bytes"] : []}
          onChange={(value) => set("show", value)}
        />
        <Choice label="Stacked" value={by} options={splits} disabled={[]} onChange={(value) => set("by", value)} />
        <label className="flex flex-wrap items-center gap-2">
          Horizon
          <input
            type="range"
            min={1}
            max={30}
            value={years}
            onChange={(e) => set("years", e.target.value)}
            className="w-40 accent-(--accent)"
          />
          <input
            type="number"
            min={1}
            max={30}
            aria-label="Horizon in years"
            value={years}
            onChange={(e) => set("years", e.target.value)}
            className={`${inputLook} w-14 text-right`}
          />
          years
        </label>
        <span className="ml-auto flex gap-3">
          Every row:
          {["csv", "xlsx", "parquet", "focus.csv"].map((format) => (
            <a key={format} href={`/api/forecast/rows.${format}?months=${years * 12}`} download>
              {fileNames[format]}
            </a>
          ))}
        </span>
      </div>
      <Reading series={shown === "bytes" ? ofBytes(forecast.data) : forecast.data} shown={shown} by={by} />
    </div>
  );
}

/** Without lines that hold no bytes. */
const ofBytes = (series: ForecastSeries) => ({ ...series, lines: series.lines.filter((l) => l.bytes) });

function Reading({ series, shown, by }: { series: ForecastSeries; shown: Shown; by: SplitBy }) {
  const { at } = useAsOf(series.months);
  return (
    <>
      <StackChart series={series} shown={shown} by={by} asOf={at} />
      <ForecastTable series={series} shown={shown} by={by} />
    </>
  );
}

/** What one, three and ten years cost; the years that the horizon holds. */
function YearFigures({ series }: { series: ForecastSeries }) {
  const { money, bytes } = useEstate();
  return series.years
    .filter((y) => [1, 3, 10, 20, 30].includes(y.number))
    .map((y) => (
      <p key={y.number}>
        <span className="block font-serif text-2xl leading-none">
          <Opens why={{ month: y.from, to: y.to }} label={`${money(y.money)} in year ${y.number}`}>
            <Figure projected>{money(y.money)}</Figure>
          </Opens>
        </span>
        <span className="text-sm text-ink-soft" title={`${month(y.from)} to ${month(y.to)}`}>
          year {y.number}, {bytes(y.bytesAtEnd)} at its end
        </span>
      </p>
    ));
}
