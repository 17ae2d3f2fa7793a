import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readRunningBudgets } from "../../api/client";
import { keys } from "../../api/keys";

/** Says which budgets the running month is likely to end above as things stand now, where somebody sees it who does not look for it. */
export function OverBudget() {
  const running = useQuery({ queryKey: keys.runningBudgets, queryFn: readRunningBudgets });
  return (running.data ?? [])
    .filter((b) => b.month.isAbove)
    .map((b) => (
      <Link key={b.id} to={`/budgets/${b.id}`} className="text-sm text-bad">
        likely above “{b.name}”
      </Link>
    ));
}
