import type { ForecastSeries, MonthPart, SplitBy } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Opens, type WhichAmount } from "../../money/opens";
import type { Shown } from "./forecast-place";

/** The chart's numbers, a row a month, with a total for every twelve; on paper, months of the first year only. */
export function ForecastTable({ series, shown, by }: { series: ForecastSeries; shown: Shown; by: SplitBy }) {
  const { money, bytes } = useEstate();
  const words = shown === "money" ? money : bytes;
  const values = (line: ForecastSeries["lines"][number]) => (shown === "money" ? line.money : (line.bytes ?? []));
  const totals = shown === "money" ? series.money : series.bytes;
  return (
    <section
      tabIndex={0}
      aria-label={`Forecast of ${shown} by month`}
      className="mt-4 max-h-[28rem] overflow-auto border-t border-hairline-strong print:max-h-none print:overflow-visible"
    >
      <table className="w-full text-right text-sm">
        <thead className="sticky top-0 bg-paper">
          <tr>
            <th scope="col" className="py-1 pr-4 text-left font-semibold">
              Month
            </th>
            {series.lines.map((line) => (
              <th key={line.key} scope="col" className="px-3 font-semibold">
                {line.name}
              </th>
            ))}
            <th scope="col" className="pl-3 font-semibold">
              All
            </th>
          </tr>
        </thead>
        {series.years.map((year, y) => (
          <tbody key={year.number}>
            {series.months.slice(y * 12, y * 12 + 12).map((name, i) => (
              <tr key={name} className={`border-t border-hairline ${y > 0 ? "print:hidden" : ""}`}>
                <th scope="row" className="py-0.5 pr-4 text-left font-normal whitespace-nowrap">
                  {month(name, "short")}
                </th>
                {series.lines.map((line) => (
                  <td key={line.key} className="px-3">
                    <Cell
                      of={values(line)[y * 12 + i] ?? 0}
                      words={words}
                      why={shown === "money" && line.key !== "" ? { month: name, ...partOf(by, line.key) } : null}
                      what={`${line.name}, ${month(name)}`}
                    />
                  </td>
                ))}
                <td className="pl-3">
                  <Cell
                    of={totals[y * 12 + i] ?? 0}
                    words={words}
                    why={shown === "money" ? { month: name } : null}
                    what={month(name)}
                  />
                </td>
              </tr>
            ))}
            <tr className="border-t border-hairline-strong bg-paper-deep font-semibold">
              <th scope="row" className="py-0.5 text-left font-semibold">
                {shown === "money" ? `Year ${year.number}` : `End of year ${year.number}`}
              </th>
              {series.lines.map((line) => (
                <td key={line.key} className="px-3">
                  <Cell
                    of={
                      (shown === "money" ? line.yearMoney?.[y] : line.bytes?.[Math.min(y * 12 + 11, series.months.length - 1)]) ??
                      0
                    }
                    words={words}
                    why={shown === "money" && line.key !== "" ? { month: year.from, to: year.to, ...partOf(by, line.key) } : null}
                    what={`${line.name}, year ${year.number}`}
                  />
                </td>
              ))}
              <td className="pl-3">
                <Cell
                  of={shown === "money" ? year.money : year.bytesAtEnd}
                  words={words}
                  why={shown === "money" ? { month: year.from, to: year.to } : null}
                  what={`year ${year.number}`}
                />
              </td>
            </tr>
          </tbody>
        ))}
      </table>
    </section>
  );
}

/** Which part of the money a line is; what is agreed for no region or tier, and for no bucket in particular, is a line of its own. */
const partOf = (by: SplitBy, key: string): MonthPart => (by === "tenant" && key === "*" ? { bucket: "*" } : { [by]: key });

type CellProps = { of: number; words: (of: number) => string; why: WhichAmount | null; what: string };

function Cell({ of, words, why, what }: CellProps) {
  return why === null || of === 0 ? (
    words(of)
  ) : (
    <Opens why={why} label={`${words(of)}: ${what}`}>
      {words(of)}
    </Opens>
  );
}
