import { type BackupJob, stopJob } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed } from "./use-backups";

const kinds = {
  run: { now: "Backing up", done: "Backed up" },
  restore: { now: "Restoring", done: "Restored" },
  check: { now: "Checking", done: "Checked" },
  prune: { now: "Pruning", done: "Pruned" },
  copy: { now: "Filling from", done: "Filled from" },
  "pool-copy": { now: "Copying the pool to", done: "Copied the pool to" },
};

/** What is under way with a target, or was last: how far, how it ended, and what it met. */
export function JobLine({ id, job }: { id: string; job: BackupJob }) {
  const { bytes } = useEstate();
  const stop = useBackupDeed(() => stopJob(id));
  const words = kinds[job.kind];
  const things = { run: "files", restore: "files", check: "chunks", prune: "packs removed", copy: null, "pool-copy": "objects" }[
    job.kind
  ];
  return (
    <section aria-label="Under way" data-testid="job">
      <p role="status" className="border-l-4 border-hairline-strong px-3">
        {job.running ? words.now : words.done}: {job.about}. {things && `${count(job.files)} ${things}`}
        {job.bytes > 0 && `${things ? ", " : ""}${bytes(job.bytes)}`}
        {job.running ? "…" : "."}{" "}
        {job.point && !job.running && (
          <>
            {bytes(job.point.newBytes)} of it were new, {bytes(job.point.storedBytes)} stored, in {count(job.point.seconds, 1)} s.{" "}
          </>
        )}
        {job.running && (
          <Button kind="quiet" onClick={() => stop.mutate(undefined)}>
            Stop
          </Button>
        )}
      </p>
      {job.error && <ErrorNote error={new Error(job.error)} />}
      {job.problems.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-bad">
            {job.problems.length === 1 ? "One problem" : `${count(job.problems.length)} problems`}
          </summary>
          <ul className="max-h-60 overflow-y-auto text-sm">
            {job.problems.map((p) => (
              <li key={p.path + p.what} className="border-t border-hairline py-1 break-all">
                {p.path}: {p.what}
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
