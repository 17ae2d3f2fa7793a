import { Link } from "react-router";
import type { BudgetMonth, BudgetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { day, month } from "../../format";
import { Opens } from "../../money/opens";
import { tone } from "../../money/year-table";
import { Figure } from "../../ui/controls";

/** The numbers of the chart, and on which morning what was told. */
export function BudgetMonths({ reading }: { reading: BudgetReading }) {
  const { months, inAll, card, today, wholeFrom } = reading;
  const running = today.slice(0, 7);
  const last = months.at(-1)?.month ?? running;
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
              <Amounts
                of={m}
                plan={`?${new URLSearchParams({ from: m.month, to: m.month, by: "month", line: m.month })}`}
                running={running}
                wholeFrom={wholeFrom}
                last={m.month}
              />
              <td className="pl-6 text-left text-bad">{told(m.month)}</td>
            </tr>
          ))}
          <tr className="font-semibold">
            <th scope="row" className="py-0.5 text-left">
              in all
            </th>
            <Amounts
              of={inAll}
              plan={`?${new URLSearchParams({ from: inAll.month, to: last, by: "bucket" })}`}
              running={running}
              wholeFrom={wholeFrom}
              last={last}
            />
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
  /** Where that is told which was planned for it. */
  plan: string;
  running: string;
  wholeFrom: string;
  /** Its last month. */
  last: string;
};

/** What was charged and what is to come open by themselves, up to the running month and from it on. */
function Amounts({ of, plan, running, wholeFrom, last }: AmountsProps) {
  const { money, moneyChange } = useEstate();
  const over = (from: string, to: string) => ({ month: from, ...(to > from && { to }) });
  const charged = over(of.month, last < running ? last : running);
  const toCome = over(of.month > running ? of.month : running, last);
  return (
    <>
      <td className="pl-4">
        <Link
          to={plan}
          aria-label={`Why ${money(of.planned)} were planned, ${month(of.month)}`}
          className="decoration-hairline-strong hover:decoration-current"
          preventScrollReset
        >
          {money(of.planned)}
        </Link>
      </td>
      <td className="pl-4">{money(of.limit)}</td>
      <td className="pl-4">
        {of.charged === 0 || of.month < wholeFrom ? (
          money(of.charged)
        ) : (
          <Opens why={{ ...charged, of: "charged" }} label={`${money(of.charged)} charged`}>
            {money(of.charged)}
          </Opens>
        )}
      </td>
      <td className="pl-4">
        {of.toCome !== 0 && (
          <Opens why={toCome} label={`${money(of.toCome)} to come`}>
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
