import { Link, useParams } from "react-router";
import { startCheck, startPrune } from "../../api/client";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { AccessPart } from "./access-part";
import { CartridgePart } from "./cartridge-part";
import { CopyPart } from "./copy-part";
import { FoldersPart } from "./folders-part";
import { FullPart } from "./full-part";
import { JobLine } from "./job-line";
import { PlacePart } from "./place-part";
import { PointList } from "./point-list";
import { PoolPart } from "./pool-part";
import { RecordPart } from "./record-part";
import { RoomPart } from "./room-part";
import { RunPart } from "./run-part";
import { useBackupDeed, useTarget, useTargets } from "./use-backups";
import { UsePart } from "./use-part";
import { VolumePart } from "./volume-part";
import { WaitingPart } from "./waiting-part";

/** One target, read downwards: its place proves itself; then the pool, the volume or the cartridges that lie there. */
export function TargetPage() {
  const id = useParams().target ?? "";
  const target = useTarget(id);
  // Every change says which estate it has seen: nothing can be pressed before that is known.
  const targets = useTargets();
  usePageTitle(target.data?.target.name ?? "Backup target");
  if (target.error && !target.data) return <ErrorPage what="Backup target" error={target.error} />;
  if (!target.data || !targets.data) return <div className="h-96" />;
  const { pool, job, wrong } = target.data;
  const { kind, name, capacityBytes, moreFolders } = target.data.target;
  const isPool = kind === "bucket" || kind === "directory";
  const open = pool?.canOpen === true;
  // Never one that was before: what was there then would be shown again, and what is typed below a newer point would go with it.
  const stamp = job ? `${job.begun} ${job.running}` : "";
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
      </p>
      <h1 className="text-3xl">{name}</h1>
      {wrong && <ErrorNote error={new Error(wrong)} />}
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)_minmax(0,1.4fr)] gap-x-12 gap-y-8 max-lg:grid-cols-1">
        <div className="space-y-8">
          <PlacePart target={target.data} />
          {isPool && <PoolPart target={target.data} />}
          {open && <RunPart target={target.data} />}
          {job && <JobLine id={id} job={job} />}
          {open && <CheckPart id={id} busy={job?.running ?? false} />}
          {kind === "directory" && <FoldersPart key={JSON.stringify([capacityBytes, moreFolders])} target={target.data} />}
          {open && <FullPart target={target.data} />}
          {open && kind === "directory" && <RoomPart key={JSON.stringify(target.data.target.makeRoom)} target={target.data} />}
          {open && <CopyPart target={target.data} />}
          <AccessPart target={target.data} />
        </div>
        <div className="space-y-8">
          {open && <PointList id={id} stamp={stamp} stored={target.data.storedBytes} />}
          {isPool && <WaitingPart id={id} stamp={stamp} />}
          {isPool && <RecordPart id={id} stamp={stamp} />}
          {kind === "volume" && <VolumePart target={target.data} />}
          {kind === "cartridges" && <CartridgePart target={target.data} />}
          {target.data.target.bucket && <UsePart target={target.data} />}
        </div>
      </div>
    </div>
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
