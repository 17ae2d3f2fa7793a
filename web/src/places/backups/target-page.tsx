import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { type ProbeStep, removeTarget, startCheck, startPrune, type TargetReading, testTarget } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { JobLine } from "./job-line";
import { PointList } from "./point-list";
import { PoolPart } from "./pool-part";
import { RunPart } from "./run-part";
import { useBackupDeed, useTarget, useTargets } from "./use-backups";

/** One target, read downwards: its place proves itself, its pool is made, folders are backed up, points are looked into. */
export function TargetPage() {
  const id = useParams().target ?? "";
  const target = useTarget(id);
  usePageTitle(target.data?.target.name ?? "Backup target");
  if (target.error && !target.data) return <ErrorPage what="Backup target" error={target.error} />;
  if (!target.data) return <div className="h-96" />;
  const { pool, job, wrong } = target.data;
  const open = pool?.canOpen === true;
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
      </p>
      <h1 className="text-3xl">{target.data.target.name}</h1>
      {wrong && <ErrorNote error={new Error(wrong)} />}
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)] gap-x-12 max-lg:grid-cols-1">
        <div className="space-y-8">
          <PlacePart target={target.data} />
          <PoolPart target={target.data} />
          {open && <RunPart target={target.data} />}
          {job && <JobLine id={id} job={job} />}
          {open && <CheckPart id={id} busy={job?.running ?? false} />}
        </div>
        <div>{open && <PointList id={id} stamp={job?.running ? "" : (job?.begun ?? "")} />}</div>
      </div>
    </div>
  );
}

function PlacePart({ target }: { target: TargetReading }) {
  const { regionName, bytes } = useEstate();
  const navigate = useNavigate();
  const targets = useTargets();
  const { id, bucket, prefix } = target.target;
  const [steps, setSteps] = useState<ProbeStep[] | null>(null);
  const test = useBackupDeed(() => testTarget(id), setSteps);
  const remove = useBackupDeed(
    () => removeTarget(id, targets.data?.etag ?? ""),
    () => void navigate("/backups"),
  );
  return (
    <section aria-label="Place">
      <h2 className="text-xl">Place</h2>
      <p>
        <Link to={`/buckets/${bucket}?in=${encodeURIComponent(prefix ?? "")}#objects`}>
          {bucket}/{prefix}
        </Link>{" "}
        in {regionName(target.region)}: {count(target.storedObjects)} objects, {bytes(target.storedBytes)}.
      </p>
      <p className="mt-2 flex flex-wrap items-baseline gap-3">
        <Button disabled={test.isPending} onClick={() => test.mutate(undefined)}>
          Test it
        </Button>
        <ConfirmButton
          label="Remove the target"
          about={target.target.name}
          question="Its pool stays where it lies, and can be taken up again by its passphrase. Remove the target?"
          onConfirm={() => remove.mutate(undefined)}
        />
      </p>
      {(test.error ?? remove.error) && <ErrorNote error={(test.error ?? remove.error) as Error} />}
      {steps && (
        <ol className="mt-2 max-w-md" data-testid="probe">
          {steps.map((step) => (
            <li key={step.what} className="flex items-baseline gap-3 border-t border-hairline py-1">
              <span className={step.worked ? "text-good" : "font-semibold text-bad"}>{step.worked ? "✓" : "✗"}</span>
              <span className="min-w-0 flex-1">
                {step.what}
                {step.why && <span className="block text-sm text-bad">{step.why}</span>}
              </span>
              <span className="text-sm text-ink-soft">{count(step.milliseconds, 0)} ms</span>
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}

function CheckPart({ id, busy }: { id: string; busy: boolean }) {
  const check = useBackupDeed(() => startCheck(id));
  const prune = useBackupDeed(() => startPrune(id));
  const error = check.error ?? prune.error;
  return (
    <section aria-label="Check and prune">
      <h2 className="text-xl">Check and prune</h2>
      <p className="text-ink-soft">
        A check reads everything in the pool and compares it; it names the files of the points that a damage takes. A prune
        removes what no point needs any more.
      </p>
      <p className="mt-2 flex gap-3">
        <Button disabled={busy || check.isPending} onClick={() => check.mutate(undefined)}>
          Check the pool
        </Button>
        <Button disabled={busy || prune.isPending} onClick={() => prune.mutate(undefined)}>
          Prune it
        </Button>
      </p>
      {error && <ErrorNote error={error} />}
    </section>
  );
}
