import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type Fan, type ForecastSeries, readCheapest, readForecast, readRunningBudgets } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, month } from "../../format";
import { Opens } from "../../money/opens";
import { useAddress } from "../../ui/address";
import { Button, Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { DriverBars } from "../how-sure/driver-bars";
import { FanChart } from "../how-sure/fan-chart";
import { readFanOf } from "../how-sure/fan-of";
import { bandAmounts, bounds } from "../how-sure/future-amount";
import { inWords, questionOf } from "../how-sure/not-known";
import { StackChart } from "./stack-chart";

const months = 120;
const mostSchedules = 6;

/** What a budget meeting asks for, on two sheets: the number, its range, its reasons, and what could be saved. */
export function OnPaperPlace() {
  usePageTitle("On paper");
  const { estate, prices, money } = useEstate();
  const { params } = useAddress();
  // The sheets are of the estate as it stands: a scenario's range beside its number would mix two estates.
  const { scenario: _, ...question } = questionOf(params);
  const series = useQuery({ queryKey: ["forecast", months / 12, "tier"], queryFn: () => readForecast(months, "tier") });
  const charges = useQuery({ queryKey: ["forecast", 1, "charge"], queryFn: () => readForecast(12, "charge") });
  const buckets = useQuery({ queryKey: ["forecast", 1, "bucket"], queryFn: () => readForecast(12, "bucket") });
  const asked = JSON.stringify(question);
  const fan = useQuery({ queryKey: keys.fan(asked), queryFn: ({ signal }) => readFanOf(question, signal), retry: false });
  const running = useQuery({ queryKey: keys.runningBudgets, queryFn: readRunningBudgets });
  const advice = useQuery({ queryKey: keys.cheapest(null), queryFn: () => readCheapest(null) });
  const wrong = [series, charges, buckets, fan, running, advice].find((q) => q.error)?.error;
  if (wrong) return <ErrorNote error={wrong} />;
  if (!series.data || !charges.data || !buckets.data || !fan.data || !running.data || !advice.data)
    return <p className="px-6 py-10 text-ink-soft">Counting, and drawing futures…</p>;
  const year = series.data.years[0];
  const sure = fan.data.years[0]?.money;
  const [low, , high] = year && sure ? bandAmounts({ scenario: null, band: sure, from: year.from, to: year.to }) : [];
  return (
    <div className="mx-auto max-w-[182mm] px-6 pb-24 print:px-0 print:pb-0">
      <div className="no-print flex items-baseline gap-4 pt-5">
        <Button kind="primary" onClick={() => window.print()}>
          Print, or save as PDF
        </Button>
        <span className="text-sm text-ink-soft">
          Two sheets of A4. Ranges are those of <Link to={`/how-sure?${params}`}>How sure</Link>.
        </span>
      </div>
      <h1 className="pt-5 text-3xl print:pt-0">What {estate.name} will cost</h1>
      <p className="mt-1 text-ink-soft">
        As of {day(estate.today)}, in {prices.currency}.
      </p>
      {year && sure && (
        <p className="mt-4">
          <span className="font-serif text-4xl">
            <Opens why={{ month: year.from, to: year.to }} label={`${money(year.money)} in the first year`}>
              <Figure projected>{money(year.money)}</Figure>
            </Opens>
          </span>{" "}
          from {month(year.from)} to {month(year.to)}; in eight of ten futures between {low} and {high}.
        </p>
      )}
      {running.data.map((b) => (
        <p key={b.id} className={b.month.isAbove ? "text-bad" : ""}>
          Against <Link to={`/budgets/${b.id}`}>“{b.name}”</Link>: {month(b.month.month)} is likely to end at{" "}
          {money(b.month.expected)}, its limit is {money(b.month.limit)}.
        </p>
      ))}
      <h2 className="mt-4 text-xl">By tier, ten years</h2>
      <StackChart series={series.data} shown="money" by="tier" asOf={0} />
      <Years series={series.data} fan={fan.data} />
      <section className="print:break-before-page">
        <h2 className="mt-6 text-xl print:mt-0">How sure that is</h2>
        <p className="text-sm text-ink-soft">
          {count(fan.data.runs)} futures, seed {fan.data.seed}: {inWords(question)}.
        </p>
        <FanChart fan={fan.data} />
        <h3 className="mt-2 mb-1 font-serif">What moves it</h3>
        <DriverBars fan={fan.data} />
        <div className="mt-5 grid grid-cols-2 gap-x-8">
          <Most title="The next twelve months, by charge" series={charges.data} by="charge" />
          <Most title="The next twelve months, by bucket" series={buckets.data} by="bucket" />
        </div>
        <h2 className="mt-5 text-xl">What could be saved</h2>
        <p>
          <Link to="/cheapest">
            <strong>{money(advice.data.saving)}</strong> a year
          </Link>{" "}
          by the cheapest schedules; {money(advice.data.savedAlready)} are saved already against leaving everything where it
          lands.
        </p>
        <table className="mt-1 w-full text-right text-sm">
          <tbody>
            {advice.data.buckets
              .filter((b) => b.saving > 1e-9)
              .slice(0, mostSchedules)
              .map((b) => (
                <tr key={b.draft.name} className="border-b border-hairline">
                  <th scope="row" className="py-0.5 text-left font-normal">
                    {b.draft.name}
                  </th>
                  <td>
                    <Link to={`/cheapest?${new URLSearchParams({ why: b.draft.name, prefix: b.schedules[0]?.prefix ?? "" })}`}>
                      {money(b.saving)} a year
                    </Link>
                  </td>
                </tr>
              ))}
          </tbody>
        </table>
      </section>
    </div>
  );
}

/** What years cost, and between which bounds as far as futures were drawn. */
function Years({ series, fan }: { series: ForecastSeries; fan: Fan }) {
  const { money, bytes } = useEstate();
  return (
    <table className="mt-3 w-full text-right text-sm">
      <thead className="text-ink-soft">
        <tr className="border-b border-hairline-strong">
          {["year", "to", "costs", "P10", "P50", "P90", "holds at its end"].map((name, i) => (
            <th key={name} className={`font-normal ${i < 2 ? "text-left" : ""}`}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {series.years.map((y) => {
          const sure = fan.years.find((f) => f.number === y.number)?.money;
          return (
            <tr key={y.number} className="border-b border-hairline">
              <th scope="row" className="py-0.5 text-left font-normal">
                {y.number}
              </th>
              <td className="text-left">{month(y.to, "short")}</td>
              <td>
                <Opens why={{ month: y.from, to: y.to }} label={`${money(y.money)} in year ${y.number}`}>
                  <Figure projected>{money(y.money)}</Figure>
                </Opens>
              </td>
              {(sure ? bandAmounts({ scenario: null, band: sure, from: y.from, to: y.to }) : ["–", "–", "–"]).map((amount, i) => (
                <td key={bounds[i]}>{amount}</td>
              ))}
              <td>{bytes(y.bytesAtEnd)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The lines of a year, the dearest first. */
function Most({ title, series, by }: { title: string; series: ForecastSeries; by: "charge" | "bucket" }) {
  const { money } = useEstate();
  const ofYear = (line: ForecastSeries["lines"][number]) => line.yearMoney?.[0] ?? 0;
  const year = series.years[0];
  const lines = series.lines.toSorted((a, b) => ofYear(b) - ofYear(a));
  return (
    <table className="w-full text-right text-sm">
      <caption className="pb-0.5 text-left font-serif text-base">{title}</caption>
      <tbody>
        {lines.map((line) => (
          <tr key={line.key} className="border-b border-hairline">
            <th scope="row" className="py-0.5 text-left font-normal">
              {line.name}
            </th>
            <td>
              {year && line.key !== "" && ofYear(line) !== 0 ? (
                <Opens why={{ month: year.from, to: year.to, [by]: line.key }} label={`${money(ofYear(line))}: ${line.name}`}>
                  {money(ofYear(line))}
                </Opens>
              ) : (
                money(ofYear(line))
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
