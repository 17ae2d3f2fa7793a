import { type FormEvent, useState } from "react";
import { putTarget, type TargetFolder, type TargetReading } from "../../api/client";
import { useProblems } from "../../draft/problems";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { SizeField } from "../../ui/size-field";
import { useBackupDeed, useTargets } from "./use-backups";

/** The directories in which a pool lies, one or more, and at how many bytes each is full. */
export function FoldersPart({ target }: { target: TargetReading }) {
  const targets = useTargets().data;
  const [capacity, setCapacity] = useState(target.target.capacityBytes ?? null);
  const [more, setMore] = useState<TargetFolder[]>(target.target.moreFolders ?? []);
  const change = useBackupDeed(() => {
    const { capacityBytes: _, moreFolders: __, ...rest } = target.target;
    return putTarget(
      { ...rest, ...(capacity && { capacityBytes: capacity }), ...(more.length > 0 && { moreFolders: more }) },
      targets?.etag ?? "",
    );
  });
  const problemAt = useProblems(change.error instanceof ApiError ? change.error.problems : []);
  const set = (at: number, part: Partial<TargetFolder>) => setMore(more.map((f, i) => (i === at ? { ...f, ...part } : f)));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    change.mutate(undefined);
  };
  return (
    <section aria-label="Directories">
      <h2 className="text-xl">Directories</h2>
      <p className="text-ink-soft">
        What is new goes where most room is left. With several, one whose disk is not there is noticed, and nothing is read or
        written until it is back.
      </p>
      <form className="mt-1 space-y-2" onSubmit={submit}>
        <div className="flex flex-wrap items-end gap-4">
          <span className="w-56 pb-1 break-all">{target.target.folder}</span>
          <SizeField
            label="Full at (empty: the disk's limit)"
            value={capacity}
            error={problemAt("$.capacityBytes")}
            onChange={setCapacity}
          />
        </div>
        {more.map((folder, i) => (
          <div key={i} className="flex flex-wrap items-end gap-4">
            <Field label={`Directory ${i + 2}`} error={problemAt(`$.moreFolders[${i}].folder`)}>
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-56`}
                  autoComplete="off"
                  spellCheck={false}
                  value={folder.folder}
                  onChange={(e) => set(i, { folder: e.target.value })}
                />
              )}
            </Field>
            <SizeField
              label={`Directory ${i + 2} is full at`}
              value={folder.capacityBytes ?? null}
              error={problemAt(`$.moreFolders[${i}].capacityBytes`)}
              onChange={(capacityBytes) => set(i, { capacityBytes })}
            />
            <Button
              kind="quiet"
              aria-label={`Leave it out: directory ${i + 2}`}
              onClick={() => setMore(more.filter((_, at) => at !== i))}
            >
              Leave it out
            </Button>
          </div>
        ))}
        <p className="flex gap-3">
          <Button onClick={() => setMore([...more, { folder: "", capacityBytes: null }])}>One more directory</Button>
          <Button type="submit" disabled={change.isPending || target.job?.running === true}>
            Keep to these
          </Button>
        </p>
      </form>
      {change.error && <ErrorNote error={change.error} />}
    </section>
  );
}
