import { Link } from "react-router";
import type { BudgetMonth, BudgetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { day, month } from "../../format";
import { tone } from "../../money/year-table";
import { Figure } from "../../ui/controls";

/** The numbers of the chart, and on which morning what was told. */
export function BudgetMonths({ reading }: { reading: BudgetReading }) {
  const { months, inAll, card, today } = reading;
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
          {months.map((m) => (
            <tr key={m.month} className="border-b border-hairline">
              <th scope="row" className="whitespace-nowrap py-0.5 text-left font-normal">
                <Link to={`/why?month=${m.month}${m.month === running ? "&of=charged" : ""}`}>{month(m.month)}</Link>
              </th>
              <Amounts of={m} />
              <td className="pl-6 text-left text-bad">{told(m.month)}</td>
            </tr>
          ))}
          <tr className="font-semibold">
            <th scope="row" className="py-0.5 text-left">
              in all
            </th>
            <Amounts of={inAll} />
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

function Amounts({ of }: { of: BudgetMonth }) {
  const { money, moneyChange } = useEstate();
  return (
    <>
      <td className="pl-4">{money(of.planned)}</td>
      <td className="pl-4">{money(of.limit)}</td>
      <td className="pl-4">{money(of.charged)}</td>
      <td className="pl-4">
        <Figure projected>{of.toCome === 0 ? "" : money(of.toCome)}</Figure>
      </td>
      <td className="pl-4">
        <Figure projected={of.toCome > 0}>{money(of.expected)}</Figure>
      </td>
      <td className={`pl-4 ${of.isAbove ? "font-semibold text-bad" : tone(of.change)}`}>{moneyChange(of.change)}</td>
    </>
  );
}
