import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useEffect, useState } from "react";
import { Link } from "react-router";
import { type BackupPlan, runPlanNow, type Workload } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { JobLine } from "./job-line";
import { useBackupDeed, useTarget } from "./use-backups";

type Props = { plan: BackupPlan; workloads: Workload[]; pools: { id: string; name: string }[] };

/** A point outside the plan's times, kept as the plan says or until a day of its own; only of what has a source. */
export function RunNowPart({ plan, workloads, pools }: Props) {
  const real = workloads.filter((w) => w.source && plan.workloads.includes(w.id));
  const [workload, setWorkload] = useState(real[0]?.id ?? "");
  const [until, setUntil] = useState("");
  const run = useBackupDeed(() => runPlanNow(plan.id, { workload, ...(until && { keptUntil: until }) }));
  const job = useTarget(plan.target).data?.job;
  const queries = useQueryClient();
  const running = job?.running === true;
  useEffect(() => {
    // What has ended is among the runs.
    if (!running) void queries.invalidateQueries({ queryKey: keys.plans });
  }, [running, queries]);
  const wrong = useProblems(run.error instanceof ApiError ? run.error.problems : undefined);
  if (real.length === 0) return null;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run.mutate(undefined);
  };
  return (
    <section aria-label="Run now" className="mt-10 max-w-5xl">
      <h2 className="text-xl">Run now</h2>
      <form className="mt-1 flex flex-wrap items-start gap-x-6 gap-y-2" onSubmit={submit}>
        <Field label="Of" error={wrong("$.workload")}>
          {(ids) => (
            <Select
              {...ids}
              value={workload}
              options={real.map((w) => ({ value: w.id, label: w.name }))}
              onChange={(e) => setWorkload(e.target.value)}
            />
          )}
        </Field>
        <Field label="Its point is kept until" error={wrong("$.keptUntil")} hint="empty: as the plan says">
          {(ids) => <input {...ids} type="date" className={inputLook} value={until} onChange={(e) => setUntil(e.target.value)} />}
        </Field>
        <div className="pt-4">
          <Button type="submit" disabled={run.isPending || running}>
            Take a point
          </Button>
        </div>
      </form>
      {job && <JobLine id={plan.target} job={job} />}
      <p className="text-sm text-ink-soft">
        Its points lie in{" "}
        <Link to={`/backups/${plan.target}`}>{pools.find((p) => p.id === plan.target)?.name ?? plan.target}</Link>, to be looked
        into and restored from.
      </p>
      {run.error && <ErrorNote error={run.error} />}
    </section>
  );
}
