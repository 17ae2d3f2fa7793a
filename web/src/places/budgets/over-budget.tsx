import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readBudgets } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day } from "../../format";

/** Says which budgets the running month is likely to end above, where somebody sees it who does not look for it. */
export function OverBudget() {
  const { estate } = useEstate();
  const budgets = useQuery({ queryKey: keys.budgets, queryFn: readBudgets });
  const told = (budgets.data ?? [])
    .filter((b) => !b.putAway)
    .flatMap((b) => b.alarms.filter((a) => a.month === estate.today.slice(0, 7)).map((alarm) => ({ budget: b, alarm })));
  return told.map(({ budget, alarm }) => (
    <Link
      key={budget.id}
      to={`/budgets/${budget.id}`}
      className="text-sm text-bad"
      title={`Likely since the morning of ${day(alarm.day)}`}
    >
      likely above “{budget.name}”
    </Link>
  ));
}
