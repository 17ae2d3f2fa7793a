import type { Assumption, MonthPart, YearChange } from "../api/client";
import { useEstate } from "../estate-context";
import { month } from "../format";
import { Figure } from "../ui/controls";
import { Opens } from "./opens";

export const yearNames: Record<number, string> = { 1: "first", 3: "third", 10: "tenth" };

/** Green for less, red for more, neither for what rounds to nothing. */
export const tone = (change: number) => (Math.abs(change) < 0.005 ? "" : change < 0 ? "text-good" : "text-bad");

type YearTableProps = {
  caption: string;
  cost: YearChange[];
  /** Whose money: the bucket's (or those that change), or the whole estate's. */
  of: "bucket" | "estate";
  /** Without it only what is, which a draft without changes costs. */
  changed?: boolean;
  /** Whose money as it stands opens; without it none does. */
  opens?: MonthPart;
  /** What opens the money afterwards; without it that does not. */
  assume?: Assumption[] | undefined;
};

/** The first, third and tenth year, before and after. */
export function YearTable({ caption, cost, of, changed = true, opens, assume }: YearTableProps) {
  const { moneyColumn, moneyChange } = useEstate();
  const money = moneyColumn(
    cost.flatMap((c) => (of === "bucket" ? [c.bucketBefore, c.bucketAfter] : [c.estateBefore, c.estateAfter])),
  );
  const opened = ({ year, from, to }: YearChange, amount: number, assuming: Assumption[] | undefined) => {
    const figure = <Figure projected>{money(amount)}</Figure>;
    return opens === undefined || assuming === undefined || amount === 0 ? (
      figure
    ) : (
      <Opens
        why={{ month: from, to, ...opens, assume: assuming }}
        label={`${money(amount)} in year ${year}${assuming.length > 0 ? ", afterwards" : ""}`}
      >
        {figure}
      </Opens>
    );
  };
  return (
    <table className="w-full text-right text-sm">
      <caption className="mb-1 text-left font-serif text-base">{caption}</caption>
      <thead className="text-ink-soft">
        <tr className="border-b border-hairline">
          <th className="text-left font-normal">year</th>
          {changed && <th className="font-normal">before</th>}
          <th className="font-normal">{changed ? "after" : "cost"}</th>
          {changed && <th className="font-normal">change</th>}
        </tr>
      </thead>
      <tbody>
        {cost.map((c) => {
          const [before, after, change] =
            of === "bucket" ? [c.bucketBefore, c.bucketAfter, c.bucketChange] : [c.estateBefore, c.estateAfter, c.estateChange];
          return (
            <tr key={c.year} className="border-b border-hairline" data-testid={`cost-year-${c.year}`}>
              <th scope="row" className="text-left font-normal" title={`${month(c.from)} to ${month(c.to)}`}>
                {yearNames[c.year] ?? c.year}
              </th>
              {changed && <td>{opened(c, before, [])}</td>}
              <td>{opened(c, after, changed ? assume : [])}</td>
              {changed && <td className={tone(change)}>{moneyChange(change)}</td>}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
