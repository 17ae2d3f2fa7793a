import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { readScenarioParts, type Scenario } from "../../api/client";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { words } from "./assumption-words";
import { useNames } from "./use-names";

/** What would have to be changed to make a scenario, or one assumption of it, come true: drafts that are looked at and applied one by one. */
export function ScenarioDrafts({ scenario }: { scenario: Scenario }) {
  const estate = useNames();
  const assumptions = scenario.assumptions ?? [];
  const parts = useMutation({
    mutationFn: (only: number | null) =>
      readScenarioParts(only === null ? scenario : { ...scenario, assumptions: assumptions.slice(only, only + 1) }),
  });
  const drafts = parts.data;
  const nothing = drafts && drafts.buckets.length + drafts.plans.length + drafts.workloads.length === 0 && drafts.prices === null;
  return (
    <section className="mt-6 border-t border-hairline pt-3" aria-label="Drafts">
      <h2 className="font-serif text-xl">Turn it into drafts</h2>
      <p className="mt-1 text-sm text-ink-soft">Nothing is done here: every part opens as a draft, with its own consequences.</p>
      <div className="mt-1 flex flex-wrap gap-2 text-sm">
        <Button disabled={assumptions.length === 0} onClick={() => parts.mutate(null)}>
          All of it
        </Button>
        {assumptions.map((of, i) => (
          <Button key={i} aria-label={`Only ${i + 1}: ${words(of, estate)}`} onClick={() => parts.mutate(i)}>
            Only {i + 1}
          </Button>
        ))}
      </div>
      {parts.error && <ErrorNote error={parts.error} />}
      {nothing && <p className="mt-2 text-sm">Nothing would have to be changed.</p>}
      {drafts && !nothing && (
        <ul className="mt-2 text-sm">
          {drafts.buckets.map((bucket) => (
            <li key={bucket.name} className="py-0.5">
              {estate.estate.buckets.includes(bucket.name) ? (
                <Link to={`/buckets/${bucket.name}`} state={{ draft: bucket }}>
                  Open {bucket.name} as a draft
                </Link>
              ) : (
                <Link to="/new" state={{ bucket }}>
                  Open {bucket.name} as a new bucket
                </Link>
              )}
            </li>
          ))}
          {drafts.prices && (
            <li className="py-0.5">
              <Link to="/prices" state={{ draft: drafts.prices }}>
                Open the prices as a draft
              </Link>
            </li>
          )}
          {drafts.plans.map((plan) => (
            <li key={plan.id} className="py-0.5">
              {drafts.newPlans.includes(plan.id) ? (
                <Link to="/plans/new" state={{ draft: plan }}>
                  Open {plan.name ?? plan.id} as a new plan
                </Link>
              ) : (
                <Link to={`/plans/${plan.id}`} state={{ draft: plan }}>
                  Open the plan {plan.name ?? plan.id} as a draft
                </Link>
              )}
            </li>
          ))}
          {drafts.workloads.length > 0 && (
            <li className="py-0.5">
              Workloads would grow otherwise: {drafts.workloads.join(", ")}; say so in the estate document.
            </li>
          )}
        </ul>
      )}
    </section>
  );
}
