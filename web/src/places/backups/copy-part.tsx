import { type FormEvent, useState } from "react";
import { putTarget, startPoolCopy, type TargetReading } from "../../api/client";
import { count } from "../../format";
import { Button, Field, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed, useTargets } from "./use-backups";

/** Copies the pool as a whole to another target, now or again and again. */
export function CopyPart({ target }: { target: TargetReading }) {
  const targets = useTargets().data;
  const { id, copyTo } = target.target;
  const others = (targets?.value.targets ?? []).filter(
    (t) => t.target.id !== id && (t.target.kind === "bucket" || t.target.kind === "directory"),
  );
  const [chosen, setChosen] = useState(copyTo?.target ?? "");
  const [hours, setHours] = useState<number | null>(copyTo?.everyHours ?? null);
  const to = chosen || (others[0]?.target.id ?? "");
  const copy = useBackupDeed(() => startPoolCopy(id, to));
  const schedule = useBackupDeed(() => {
    const { copyTo: _, ...rest } = target.target;
    return putTarget(hours ? { ...rest, copyTo: { target: to, everyHours: hours } } : rest, targets?.etag ?? "");
  });
  if (others.length === 0) return null;
  const error = copy.error ?? schedule.error;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    schedule.mutate(undefined);
  };
  return (
    <section aria-label="Copy the whole pool">
      <h2 className="text-xl">Copy the whole pool</h2>
      <p className="text-ink-soft">
        Every point of every workload, with the same passphrase, and without opening it. What was copied stays when it is removed
        here. Single workloads with a retention of their own are another run into another target instead.
      </p>
      <form className="mt-1 flex flex-wrap items-end gap-4" onSubmit={submit}>
        <Field label="To">
          {(ids) => (
            <Select
              {...ids}
              value={to}
              options={others.map((t) => ({ value: t.target.id, label: t.target.name }))}
              onChange={(e) => setChosen(e.target.value)}
            />
          )}
        </Field>
        <Button disabled={copy.isPending || target.job?.running === true} onClick={() => copy.mutate(undefined)}>
          Copy now
        </Button>
        <Field label="Every … hours" hint={copyTo ? `now every ${count(copyTo.everyHours)} h` : "empty: by hand only"}>
          {(ids) => <NumberInput {...ids} className="w-20" value={hours} onChange={setHours} />}
        </Field>
        <Button type="submit" disabled={schedule.isPending}>
          Keep to that
        </Button>
      </form>
      {error && <ErrorNote error={error} />}
    </section>
  );
}
