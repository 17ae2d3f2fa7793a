import type { FormEvent } from "react";
import { type RunOrder, startRun, type TargetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useKept } from "../../ui/use-kept";
import { SourceFields, sourceOf, type TypedSource } from "./source-fields";
import { useBackupDeed } from "./use-backups";

type Source = TypedSource & { workload: string; full: boolean; encrypted: boolean };

/** Backs a folder of the server's machine up, or objects of a bucket, now. */
export function RunPart({ target }: { target: TargetReading }) {
  const { estate } = useEstate();
  const { id } = target.target;
  const [source, keep] = useKept<Source>(`ripen-run:${estate.identity}:${id}`, {
    from: "folder",
    folder: "",
    bucket: estate.buckets[0] ?? "",
    prefix: "",
    workload: "office",
    full: false,
    encrypted: false,
  });
  const set = (part: Partial<Source>) => keep({ ...source, ...part });
  const order: RunOrder = {
    workload: source.workload,
    full: source.full,
    encryptedAtSource: source.encrypted,
    ...sourceOf(source),
  };
  const run = useBackupDeed(() => startRun(id, order));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run.mutate(undefined);
  };
  const missing = source.from === "folder" ? source.folder === "" : source.bucket === "";
  return (
    <section aria-label="Back up now">
      <h2 className="text-xl">Back up now</h2>
      <form className="mt-1 flex flex-wrap items-start gap-x-6 gap-y-2" onSubmit={submit}>
        <SourceFields label="What" value={source} onChange={set} />
        <Field label="as the workload">
          {(ids) => (
            <input
              {...ids}
              autoComplete="off"
              className={`${inputLook} w-40`}
              value={source.workload}
              onChange={(e) => set({ workload: e.target.value })}
            />
          )}
        </Field>
        <div className="pt-4 text-sm">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={source.full}
              onChange={(e) => set({ full: e.target.checked })}
            />
            {target.pool?.deduplicates === false
              ? "store all of it, not only what changed"
              : "read all of it, not only what changed"}
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={source.encrypted}
              onChange={(e) => set({ encrypted: e.target.checked })}
            />
            it is encrypted already: keep it apart
          </label>
          {source.encrypted && (
            <p className="max-w-xs text-ink-soft">Nothing in it is ever equal or shrinks: every change is stored whole.</p>
          )}
        </div>
        <div className="pt-4">
          <Button type="submit" kind="primary" disabled={run.isPending || missing || target.job?.running === true}>
            Back up
          </Button>
        </div>
      </form>
      {run.error && <ErrorNote error={run.error} />}
    </section>
  );
}
