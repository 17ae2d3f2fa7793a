import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { makeRoom, putTarget, type RoomRule, readRoom, type TargetReading } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { ApiError } from "../../refusal";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed, useTargets } from "./use-backups";

/** So many points are named; the rest is counted. */
const named = 6;

/** What goes when a directory fills, from one mark down to another, and which points that would be now. */
export function RoomPart({ target }: { target: TargetReading }) {
  const { id, name, makeRoom: rule } = target.target;
  const targets = useTargets().data;
  const others = (targets?.value.targets ?? []).filter(
    (t) => t.target.id !== id && (t.target.kind === "bucket" || t.target.kind === "directory"),
  );
  const [above, setAbove] = useState<number | null>(rule ? rule.above * 100 : 85);
  const [downTo, setDownTo] = useState<number | null>(rule ? rule.downTo * 100 : 70);
  const [leave, setLeave] = useState<number | null>(rule?.leave ?? 3);
  const [to, setTo] = useState(rule?.to ?? "");
  const keep = useBackupDeed((next: RoomRule | null) => {
    const { makeRoom: _, ...rest } = target.target;
    return putTarget({ ...rest, ...(next && { makeRoom: next }) }, targets?.etag ?? "");
  });
  const now = useBackupDeed(() => makeRoom(id));
  const problemAt = useProblems(keep.error instanceof ApiError ? keep.error.problems : []);
  if (!target.capacityBytes)
    return (
      <section aria-label="Making room">
        <h2 className="text-xl">Making room</h2>
        <p className="text-ink-soft">
          Say above at how many bytes each directory is full, and old points can be removed, or moved elsewhere, before it comes
          to that.
        </p>
      </section>
    );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    keep.mutate({
      above: (above ?? 0) / 100,
      downTo: (downTo ?? 0) / 100,
      by: to ? "move" : "remove",
      ...(to && { to }),
      leave: leave ?? 0,
    });
  };
  return (
    <section aria-label="Making room">
      <h2 className="text-xl">Making room</h2>
      <form className="mt-1 flex flex-wrap items-end gap-4" onSubmit={submit}>
        <Field label="Above … % of it" error={problemAt("$.makeRoom.above")}>
          {(ids) => <NumberInput {...ids} className="w-16" value={above} onChange={setAbove} />}
        </Field>
        <Field label="the oldest points are" error={problemAt("$.makeRoom.to")}>
          {(ids) => (
            <Select
              {...ids}
              value={to}
              options={[
                { value: "", label: "removed" },
                ...others.map((o) => ({ value: o.target.id, label: `moved to ${o.target.name}` })),
              ]}
              onChange={(e) => setTo(e.target.value)}
            />
          )}
        </Field>
        <Field label="down to … %" error={problemAt("$.makeRoom.downTo")}>
          {(ids) => <NumberInput {...ids} className="w-16" value={downTo} onChange={setDownTo} />}
        </Field>
        <Field label="but of every workload stay" error={problemAt("$.makeRoom.leave")} hint="the newest">
          {(ids) => <NumberInput {...ids} className="w-16" value={leave} onChange={setLeave} />}
        </Field>
        <Button type="submit" disabled={keep.isPending}>
          Keep to that
        </Button>
      </form>
      <WouldGo target={target} downTo={(downTo ?? 0) / 100} leave={leave ?? 0} moved={to !== ""} />
      {rule && (
        <p className="mt-2 flex flex-wrap items-baseline gap-3">
          <ConfirmButton
            label="Make room now"
            about={name}
            question={
              rule.to
                ? "They are compared there before they go here. Move them?"
                : "What is removed is gone for good. Remove the oldest points?"
            }
            disabled={target.job?.running === true}
            onConfirm={() => now.mutate(undefined)}
          />
          <Button kind="quiet" disabled={keep.isPending} onClick={() => keep.mutate(null)}>
            Let nothing go
          </Button>
        </p>
      )}
      {(keep.error ?? now.error) && <ErrorNote error={(keep.error ?? now.error) as Error} />}
    </section>
  );
}

/** Which points would go if room were made now. */
function WouldGo({ target, downTo, leave, moved }: { target: TargetReading; downTo: number; leave: number; moved: boolean }) {
  const { bytes } = useEstate();
  const draft = useQuery({
    queryKey: keys.room(target.target.id, target.storedBytes, downTo, leave),
    queryFn: () => readRoom(target.target.id, downTo, leave),
    placeholderData: keepPreviousData,
    enabled: downTo >= 0 && downTo <= 1 && leave >= 1 && target.job?.running !== true,
    retry: false,
    gcTime: 0,
  });
  const room = draft.data;
  if (!room) return draft.error ? <ErrorNote error={draft.error} /> : null;
  const goes = room.points.slice(0, named).map((p) => `${p.point.workload} of ${moment(p.point.taken)}`);
  const more = room.points.length - goes.length;
  return (
    <p className="mt-2" aria-live="polite">
      {room.points.length === 0 ? (
        room.prunedBytes <= room.goalBytes ? (
          `Now nothing would have to go: ${bytes(room.prunedBytes)} are needed.`
        ) : (
          `Now nothing would go: even without the points that may go ${bytes(room.leastBytes)} would be stored, more than ${bytes(room.goalBytes)}. Let fewer stay, or give it more room.`
        )
      ) : (
        <>
          Made now, {bytes(room.thenBytes)} would be stored instead of {bytes(room.storedBytes)}, and{" "}
          <strong className={moved ? "" : "text-bad"}>
            {room.points.length === 1 ? "one point" : `${count(room.points.length)} points`} would be{" "}
            {moved ? "moved" : "removed"}
          </strong>
          : {goes.join("; ")}
          {more > 0 && ` and ${count(more)} later ones`}.
        </>
      )}
    </p>
  );
}
