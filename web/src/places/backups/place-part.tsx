import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { readTests, removeTarget, type TargetReading, testTarget } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { WhatMakesIt } from "../../money/priced-terms";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { DoubtList } from "./doubt-list";
import { Fill } from "./fill";
import { ProbeSteps } from "./probe-steps";
import { useBackupDeed, useTargets } from "./use-backups";

/** Where a target lies, what it holds and costs, and whether it has proved itself. */
export function PlacePart({ target }: { target: TargetReading }) {
  const { regionName, bytes, money } = useEstate();
  const navigate = useNavigate();
  const targets = useTargets();
  const { id, bucket, prefix, folder, moreFolders, makeRoom } = target.target;
  const test = useBackupDeed(() => testTarget(id));
  const remove = useBackupDeed(
    () => removeTarget(id, targets.data?.etag ?? ""),
    () => void navigate("/backups"),
  );
  return (
    <section aria-label="Place">
      <h2 className="text-xl">Place</h2>
      <p>
        {bucket ? (
          <Link to={`/buckets/${bucket}?in=${encodeURIComponent(prefix ?? "")}#objects`}>
            {bucket}/{prefix}
          </Link>
        ) : (
          <span className="break-all">{[folder, ...(moreFolders ?? []).map((f) => f.folder)].join(", ")}</span>
        )}{" "}
        {target.region ? `in ${regionName(target.region)}` : "on the server's machine"}: {count(target.storedObjects)}{" "}
        {target.storedObjects === 1 ? "object" : "objects"}, {bytes(target.storedBytes)}
        {target.monthMoney ? `, ${money(target.monthMoney)} a month` : ""}.
      </p>
      <WhatMakesIt amount={target.monthMoney ?? 0} terms={target.monthTerms} />
      {target.capacityBytes && (
        <Fill used={target.storedBytes} of={target.capacityBytes} marks={makeRoom ? [makeRoom.above, makeRoom.downTo] : []} />
      )}
      {target.disks.map((disk) => (
        <p key={disk.shares.map((s) => s.id).join()} className="mt-1 text-sm text-ink-soft">
          A disk of {bytes(disk.totalBytes)}, {bytes(disk.freeBytes)} of it free
          {disk.shares.length > 1 && (
            <>
              , shared by{" "}
              {disk.shares
                .map(
                  (s) =>
                    `${s.name} (${s.deduplicates ? "deduplicated" : "plain"}, ${s.capacityBytes ? bytes(s.capacityBytes) : "no limit"})`,
                )
                .join(", ")}
            </>
          )}
          .
        </p>
      ))}
      <DoubtList doubts={target.doubts} bucket={bucket ?? null} />
      <p className="mt-2 flex flex-wrap items-baseline gap-3">
        <Button disabled={test.isPending} onClick={() => test.mutate(undefined)}>
          Test it
        </Button>
        <ConfirmButton
          label="Remove the target"
          about={target.target.name}
          question="What it holds stays where it lies, and can be taken up again by its passphrase. Remove the target?"
          onConfirm={() => remove.mutate(undefined)}
        />
      </p>
      {(test.error ?? remove.error) && <ErrorNote error={(test.error ?? remove.error) as Error} />}
      {target.test && (
        <div className="mt-2">
          <p className={target.test.worked ? "" : "text-bad"}>
            {target.test.worked ? "It proved itself" : "It failed its test"} on {moment(target.test.at)}
            {target.target.testEveryHours ? `; tested every ${count(target.target.testEveryHours)} h` : ""}.
          </p>
          <ProbeSteps steps={target.test.steps} />
          <Earlier id={id} newest={target.test.at} />
        </div>
      )}
    </section>
  );
}

/** The tests before the last one. */
function Earlier({ id, newest }: { id: string; newest: string }) {
  const tests = useQuery({ queryKey: [...keys.tests(id), newest], queryFn: () => readTests(id) });
  const earlier = tests.data?.slice(1) ?? [];
  if (earlier.length === 0) return null;
  const failed = earlier.filter((t) => !t.worked).length;
  return (
    <details className="mt-1">
      <summary className="cursor-pointer text-sm text-ink-soft">
        {count(earlier.length)} earlier {earlier.length === 1 ? "test" : "tests"}, {failed === 0 ? "none" : count(failed)} failed
      </summary>
      <ul className="max-h-40 overflow-y-auto text-sm">
        {earlier.map((test) => (
          <li key={test.at}>
            {moment(test.at)}: {test.worked ? "worked" : (test.steps.find((s) => !s.worked)?.why ?? "failed")}
          </li>
        ))}
      </ul>
    </details>
  );
}
