import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { type BackupJob, type RestoreOrder, readRestoreDraft, startRestore } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { isRecallDays, type RecallChoice, RecallChoiceFields } from "../../ui/recall-choice";
import { done } from "../../ui/toasts";
import { useBackupDeed, useTargets } from "./use-backups";

const existingChoices = [
  { value: "refused", label: "nothing: it is empty" },
  { value: "kept", label: "stays as it is" },
  { value: "beside", label: "stays, the restored goes beside it" },
  { value: "replaced", label: "is replaced" },
];

const existingHints = {
  refused: "a folder that holds something is refused",
  kept: "what is missing comes back, and nothing else",
  beside: "by a name that says of when it is",
  replaced: "each file in one step, once it is read back and compared",
};

/** Where a point, or a folder of it, is restored to; what is to be recalled before, and at which speed. */
export function RestoreForm({ id, point, folder }: { id: string; point: string; folder: string }) {
  const { estate, bytes } = useEstate();
  const roots = useTargets().data?.value.roots ?? [];
  const [to, setTo] = useState({ into: "folder", folder: "", bucket: estate.buckets[0] ?? "", prefix: "" });
  const [existing, setExisting] = useState<NonNullable<RestoreOrder["existing"]>>("refused");
  const place = to.into === "folder" ? { folder: to.folder } : { bucket: to.bucket, prefix: to.prefix };
  const [choice, setChoice] = useState<RecallChoice>({ speed: null, days: 1 });
  const reads = useRestoreDraft(id, point, folder, choice.days);
  const speeds = reads.data?.recalls ?? [];
  const recall = speeds.length > 0 ? { recall: { speed: choice.speed, days: choice.days } } : {};
  const restore = useBackupDeed(
    () => startRestore(id, { point, under: folder, existing, ...place, ...recall }),
    (job) => sayIfItWaits(job),
  );
  const wrong = useProblems(restore.error instanceof ApiError ? restore.error.problems : undefined);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    restore.mutate(undefined);
  };
  const words = folder === "" ? "Restore everything into" : `Restore ${folder} into`;
  return (
    <form className="mt-4 flex flex-wrap items-start gap-x-6 gap-y-2" onSubmit={submit}>
      <Field label="Where to">
        {(ids) => (
          <Select
            {...ids}
            value={to.into}
            options={[
              { value: "folder", label: "a folder" },
              { value: "bucket", label: "objects" },
            ]}
            onChange={(e) => setTo({ ...to, into: e.target.value })}
          />
        )}
      </Field>
      {to.into === "folder" ? (
        <Field label={words} error={wrong("$.folder")} hint={`a folder below ${roots.join(" or ")}`}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-80`}
              autoComplete="off"
              spellCheck={false}
              placeholder={roots[0] && `${roots[0]}/restored`}
              value={to.folder}
              onChange={(e) => setTo({ ...to, folder: e.target.value })}
            />
          )}
        </Field>
      ) : (
        <>
          <Field label={words} error={wrong("$.bucket")} hint="a bucket; a new one is made on the board">
            {(ids) => (
              <Select
                {...ids}
                value={to.bucket}
                options={estate.buckets.map((b) => ({ value: b, label: b }))}
                onChange={(e) => setTo({ ...to, bucket: e.target.value })}
              />
            )}
          </Field>
          <Field label="below the prefix" error={wrong("$.prefix")} hint="keys begin with it; links have no place there">
            {(ids) => (
              <input
                {...ids}
                className={`${inputLook} w-44`}
                autoComplete="off"
                spellCheck={false}
                placeholder="restored/"
                value={to.prefix}
                onChange={(e) => setTo({ ...to, prefix: e.target.value })}
              />
            )}
          </Field>
        </>
      )}
      <Field label="What is there already" hint={existingHints[existing]}>
        {(ids) => (
          <Select
            {...ids}
            value={existing}
            options={existingChoices}
            onChange={(e) => setExisting(e.target.value as typeof existing)}
          />
        )}
      </Field>
      {speeds.length > 0 && <RecallChoiceFields speeds={speeds} choice={choice} onChange={setChoice} />}
      <div className="pt-4">
        <Button
          type="submit"
          disabled={
            (to.into === "folder" && to.folder === "") || restore.isPending || (speeds.length > 0 && !isRecallDays(choice.days))
          }
        >
          {speeds.length > 0 ? "Recall, and restore then" : "Restore"}
        </Button>
      </div>
      {reads.data && (
        <p className="w-full text-sm text-ink-soft">
          {count(reads.data.files)} {reads.data.files === 1 ? "file comes" : "files come"} back, {bytes(reads.data.bytes)};{" "}
          {bytes(reads.data.readBytes)} are read for it, out of {count(reads.data.packs)}{" "}
          {reads.data.packs === 1 ? "pack" : "packs"}.
        </p>
      )}
      {restore.error && !(restore.error instanceof ApiError && restore.error.problems.length > 0) && (
        <ErrorNote error={restore.error} />
      )}
    </form>
  );
}

/** What a restore reads, and what has to be recalled for it. */
export const useRestoreDraft = (id: string, point: string, under: string, days: number) =>
  useQuery({
    queryKey: keys.restoreDraft(id, { point, under, days }),
    queryFn: () => readRestoreDraft(id, { point, under, days }),
    enabled: isRecallDays(days),
    placeholderData: keepPreviousData,
  });

export function sayIfItWaits(job: BackupJob) {
  if (job.waitsUntil != null) done(`It waits for what it reads, and is done by itself at ${moment(job.waitsUntil)}.`);
}
