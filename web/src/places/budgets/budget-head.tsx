import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type BudgetReading, changeBudget } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, month } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";

/** What was fixed, when, from what; and what was told of the running month. */
export function BudgetHead({ reading }: { reading: BudgetReading }) {
  const { money } = useEstate();
  const [changing, setChanging] = useState(false);
  const { card, today } = reading;
  const running = card.alarms.find((a) => a.month === today.slice(0, 7));
  return (
    <section aria-label="The budget">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="font-serif text-2xl">{card.name}</h2>
        <p className="text-ink-soft">
          fixed on {day(card.fixedOn)} from {card.source}; headroom {count(card.headroom * 100)} %{card.putAway && "; put away"}
        </p>
        <span className="no-print ml-auto flex items-baseline gap-2 text-sm">
          <Button kind="quiet" onClick={() => setChanging(!changing)} aria-expanded={changing}>
            Change…
          </Button>
          <a href={`/api/budgets/${card.id}/rows.csv?expected=true`} download>
            Every line as CSV
          </a>
        </span>
      </div>
      {changing && <ChangeForm reading={reading} onDone={() => setChanging(false)} />}
      {running && (
        <p role="status" className="mt-2 border-l-2 border-bad pl-3">
          On the morning of {day(running.day)}, {month(running.month)} became likely to end above its limit of{" "}
          {money(running.limit)}: {money(running.charged)} were charged, and{" "}
          <span className="figure-projected">{money(running.expected)}</span> expected in the end.
        </p>
      )}
    </section>
  );
}

/** What may be changed; what was planned is not among it. */
function ChangeForm({ reading, onDone }: { reading: BudgetReading; onDone: () => void }) {
  const { card } = reading;
  const queries = useQueryClient();
  const [name, setName] = useState(card.name);
  const [headroom, setHeadroom] = useState<number | null>(card.headroom * 100);
  const change = useMutation({
    mutationFn: (what: Parameters<typeof changeBudget>[1]) => changeBudget(card.id, what),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: keys.budgets });
      onDone();
    },
  });
  const problems = change.error instanceof ApiError ? change.error.problems : [];
  const errorAt = (field: string) => problems.find((p) => p.path === `$.${field}`)?.message;
  return (
    <form
      className="my-2 flex flex-wrap items-end gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ name, headroom: (headroom ?? -1) / 100 });
      }}
    >
      <Field label="Name" error={errorAt("name")}>
        {(ids) => <input {...ids} className={`${inputLook} w-64`} value={name} onChange={(e) => setName(e.target.value)} />}
      </Field>
      <Field label="Its headroom, per cent" error={errorAt("headroom")}>
        {(ids) => <NumberInput {...ids} className="w-20" value={headroom} onChange={setHeadroom} />}
      </Field>
      <Button kind="primary" type="submit" disabled={change.isPending}>
        Keep
      </Button>
      <Button disabled={change.isPending} onClick={() => change.mutate({ putAway: !card.putAway })}>
        {card.putAway ? "Take it out again" : "Put it away"}
      </Button>
      <p className="text-sm text-ink-soft">What was planned stays as it was fixed; nothing removes a budget.</p>
      {change.error && problems.length === 0 && <ErrorNote error={change.error} />}
    </form>
  );
}
