import { type BackupJob, stopJob } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed } from "./use-backups";

const kinds = {
  run: { now: "Backing up", done: "Backed up" },
  restore: { now: "Restoring", done: "Restored" },
  rehearsal: { now: "Rehearsing", done: "Rehearsed" },
  check: { now: "Checking", done: "Checked" },
  prune: { now: "Pruning", done: "Pruned" },
  copy: { now: "Filling from", done: "Filled from" },
  "point-copy": { now: "Copying a point", done: "Copied a point" },
  "pool-copy": { now: "Copying the pool to", done: "Copied the pool to" },
  room: { now: "Making room in", done: "Made room in" },
};

/** What is under way with a target, or was last: how far, how it ended, and what it met. */
export function JobLine({ id, job }: { id: string; job: BackupJob }) {
  const { bytes } = useEstate();
  const stop = useBackupDeed(() => stopJob(id));
  const words = kinds[job.kind];
  const things = {
    run: "files",
    restore: "files",
    rehearsal: "files compared",
    check: "chunks",
    prune: "packs removed",
    copy: null,
    "point-copy": "files",
    "pool-copy": "objects",
    room: job.files === 1 ? "point" : "points",
  }[job.kind];
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
        {!job.running && job.left > 0 && <>{count(job.left)} were there and are left as they were. </>}
        {job.running && (
          <Button kind="quiet" onClick={() => stop.mutate(undefined)}>
            Stop
          </Button>
        )}
      </p>
      {job.kind === "room" && job.room?.points.length === 0 && (
        <p className="mt-1 px-4">No point went: nothing had to, or what may go would not have been enough.</p>
      )}
      {job.room && job.room.points.length > 0 && (
        <p className="mt-1 px-4">
          {job.room.to ? `Moved to ${job.room.to}` : "Removed"} for room in {job.room.in}:{" "}
          {job.room.points.map((p) => `${p.workload} of ${moment(p.taken)}`).join("; ")}. {bytes(job.room.removedBytes)} are free
          again.
        </p>
      )}
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
