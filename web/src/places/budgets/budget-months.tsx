import { Link } from "react-router";
import type { BudgetMonth, BudgetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { day, month } from "../../format";
import { Opens } from "../../money/opens";
import { tone } from "../../money/year-table";
import { Figure } from "../../ui/controls";

/** The numbers of the chart, and on which morning what was told. */
export function BudgetMonths({ reading }: { reading: BudgetReading }) {
  const { months, inAll, card, today, opens } = reading;
  const running = today.slice(0, 7);
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="The months in numbers">
      <table className="w-full text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">month</th>
            {["planned", "limit", "charged", "to come", "in the end", "against the plan"].map((name) => (
              <th key={name} className="pl-4 font-normal">
                {name}
              </th>
            ))}
            <th className="pl-6 text-left font-normal">alarm</th>
          </tr>
        </thead>
        <tbody>
          {months.map((m, i) => (
            <tr key={m.month} className="border-b border-hairline">
              <th scope="row" className="whitespace-nowrap py-0.5 text-left font-normal">
                <Link to={`/why?month=${m.month}${m.month === running ? "&of=charged" : ""}`}>{month(m.month)}</Link>
              </th>
              <Amounts of={m} opens={opens[i]} name={month(m.month)} planned={{ by: "month", line: m.month }} />
              <td className="pl-6 text-left text-bad">{told(m.month)}</td>
            </tr>
          ))}
          <tr className="font-semibold">
            <th scope="row" className="py-0.5 text-left">
              in all
            </th>
            <Amounts of={inAll} opens={opens.at(-1)} name="in all" planned={{ by: "month" }} />
            <td />
          </tr>
        </tbody>
      </table>
    </div>
  );

  function told(of: string) {
    const alarm = card.alarms.find((a) => a.month === of);
    return alarm && day(alarm.day);
  }
}

type AmountsProps = {
  of: BudgetMonth;
  opens: BudgetReading["opens"][number] | undefined;
  /** Of the month, or of all. */
  name: string;
  /** How what was planned is told under "Why it differs". */
  planned: Record<string, string>;
};

const over = ({ from, to }: { from: string; to: string }) => ({ month: from, ...(to !== from && { to }) });

/** What was planned opens in the variance, what was charged and what is to come by themselves. */
function Amounts({ of, opens, name, planned }: AmountsProps) {
  const { money, moneyChange } = useEstate();
  return (
    <>
      <td className="pl-4">
        <Link
          to={{ search: `?${new URLSearchParams({ ...opens?.planned, ...planned })}`, hash: "#why" }}
          aria-label={`Why ${money(of.planned)} were planned, ${name}`}
          className="decoration-hairline-strong hover:decoration-current"
          preventScrollReset
        >
          {money(of.planned)}
        </Link>
      </td>
      <td className="pl-4">{money(of.limit)}</td>
      <td className="pl-4">
        {opens?.charged ? (
          <Opens why={{ ...over(opens.charged), of: "charged" }} label={`${money(of.charged)} charged, ${name}`}>
            {money(of.charged)}
          </Opens>
        ) : (
          money(of.charged)
        )}
      </td>
      <td className="pl-4">
        {opens?.toCome && (
          <Opens why={over(opens.toCome)} label={`${money(of.toCome)} to come, ${name}`}>
            <Figure projected>{money(of.toCome)}</Figure>
          </Opens>
        )}
      </td>
      <td className="pl-4">
        <Figure projected={of.toCome > 0}>{money(of.expected)}</Figure>
      </td>
      <td className={`pl-4 ${of.isAbove ? "font-semibold text-bad" : tone(of.change)}`}>{moneyChange(of.change)}</td>
    </>
  );
}
