import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { readBudget, readBudgets } from "../../api/client";
import { keys } from "../../api/keys";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { BudgetChart } from "./budget-chart";
import { BudgetHead } from "./budget-head";
import { BudgetList } from "./budget-list";
import { BudgetMonths } from "./budget-months";
import { VariancePart } from "./variance-part";

/** Forecasts that were fixed on a day, and what became of them. */
export function BudgetsPlace() {
  usePageTitle("Budgets");
  const { id } = useParams();
  const budgets = useQuery({ queryKey: keys.budgets, queryFn: readBudgets });
  const chosen = id === undefined ? budgets.data?.find((b) => !b.putAway)?.id : Number(id);
  if (budgets.error) return <ErrorNote error={budgets.error} />;
  if (!budgets.data) return <div className="h-96" />;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-1 pt-5">
        <h1 className="text-3xl">Budgets</h1>
        <p className="text-ink-soft">A forecast that was fixed on a day, held against what is charged.</p>
        <Link to="/forecast" className="no-print ml-auto text-sm">
          Forecast
        </Link>
      </div>
      <div className="mt-3 grid grid-cols-[17rem_minmax(0,1fr)] gap-x-10 gap-y-6 max-lg:grid-cols-1">
        <BudgetList budgets={budgets.data} chosen={chosen} />
        {chosen === undefined ? (
          <p className="py-10 text-ink-soft">
            Nothing is fixed yet. What is fixed today is what months to come are measured by: in money, and in what it was for.
          </p>
        ) : (
          <Chosen key={chosen} id={chosen} />
        )}
      </div>
    </div>
  );
}

function Chosen({ id }: { id: number }) {
  const reading = useQuery({ queryKey: keys.budget(id), queryFn: () => readBudget(id) });
  if (reading.error) return <ErrorNote error={reading.error} />;
  if (!reading.data) return <div className="h-96" />;
  return (
    <div className="min-w-0">
      <BudgetHead reading={reading.data} />
      <BudgetChart reading={reading.data} />
      <BudgetMonths reading={reading.data} />
      <VariancePart reading={reading.data} />
    </div>
  );
}
