import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type BudgetCard, fixBudget, fixBudgetFile, readScenarios } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day, month } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { FilePicker } from "../../ui/file-picker";
import { done } from "../../ui/toasts";

type ListProps = { budgets: BudgetCard[]; chosen: number | undefined };

/** Every budget, the newest first, and how to fix another. */
export function BudgetList({ budgets, chosen }: ListProps) {
  return (
    <div className="no-print min-w-0">
      <ul>
        {budgets.map((b) => (
          <li key={b.id} className={`border-b border-hairline px-1 py-1 ${b.id === chosen ? "bg-paper-deep" : ""}`}>
            <Link to={`/budgets/${b.id}`} aria-current={b.id === chosen}>
              {b.name}
            </Link>
            <p className="text-sm text-ink-soft">
              {b.months} months from {month(b.first, "short")}
              {b.putAway && ", put away"}
            </p>
          </li>
        ))}
      </ul>
      <FixForm />
    </div>
  );
}

/** Fixes what is foretold today, or what a file says. */
function FixForm() {
  const { estate } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const scenarios = useQuery({ queryKey: keys.scenarios, queryFn: readScenarios });
  const [name, setName] = useState("");
  const [months, setMonths] = useState<number | null>(12);
  const [headroom, setHeadroom] = useState<number | null>(5);
  const [scenario, setScenario] = useState("");
  const fix = useMutation({
    mutationFn: (csv: string | null) =>
      csv === null
        ? fixBudget({ name, months: months ?? 0, headroom: (headroom ?? -1) / 100, scenario: scenario || null })
        : fixBudgetFile(name, (headroom ?? -1) / 100, csv),
    onSuccess: async (made) => {
      setName("");
      await queries.invalidateQueries({ queryKey: keys.budgets });
      done(`${made.card.name} is fixed.`);
      void navigate(`/budgets/${made.card.id}`);
    },
  });
  const problems = fix.error instanceof ApiError ? fix.error.problems : [];
  const errorAt = (field: string) => problems.find((p) => p.path === `$.${field}` || p.path === `?${field}`)?.message;
  const others = problems.filter((p) => !/^[$?]/.test(p.path));
  return (
    <form
      className="mt-6 space-y-3"
      aria-label="Fix a budget"
      onSubmit={(event) => {
        event.preventDefault();
        fix.mutate(null);
      }}
    >
      <h2 className="font-serif text-xl">Fix another</h2>
      <Field label="It is called" error={errorAt("name")}>
        {(ids) => <input {...ids} className={`${inputLook} w-full`} value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <Field label="Months, this one the first" error={errorAt("months")}>
        {(ids) => <NumberInput {...ids} className="w-20" value={months} onChange={setMonths} />}
      </Field>
      <Field label="Headroom, per cent" error={errorAt("headroom")} hint="No alarm up to so much above the plan.">
        {(ids) => <NumberInput {...ids} className="w-20" value={headroom} onChange={setHeadroom} />}
      </Field>
      <Field label="What is planned" error={errorAt("scenario")}>
        {(ids) => (
          <Select
            {...ids}
            className="max-w-64"
            value={scenario}
            options={[
              { value: "", label: "the estate as it stands" },
              ...(scenarios.data?.value.scenarios ?? []).map((s) => ({ value: s.id, label: s.name })),
            ]}
            onChange={(e) => setScenario(e.target.value)}
          />
        )}
      </Field>
      <div className="flex flex-wrap items-center gap-2">
        <Button kind="primary" type="submit" disabled={fix.isPending}>
          Fix it as of {day(estate.today)}
        </Button>
        <FilePicker
          kind="quiet"
          label="or bring a file…"
          inputLabel="A budget as CSV"
          accept=".csv,text/csv"
          disabled={fix.isPending}
          onPick={(files) => void files[0]?.text().then((csv) => fix.mutate(csv))}
        />
      </div>
      {others.length > 0 && (
        <ul role="alert" className="text-sm text-bad">
          {others.map((p) => (
            <li key={p.path}>
              {p.path}: {p.message}
            </li>
          ))}
        </ul>
      )}
      {fix.error && problems.length === 0 && <ErrorNote error={fix.error} />}
    </form>
  );
}
