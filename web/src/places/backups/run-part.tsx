import { type FormEvent, useId } from "react";
import { startRun, type TargetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useKept } from "../../ui/use-kept";
import { useBackupDeed, useTargets } from "./use-backups";

/** Backs a folder of the server's machine up, now. */
export function RunPart({ target }: { target: TargetReading }) {
  const { estate } = useEstate();
  const { id } = target.target;
  const roots = useTargets().data?.value.roots ?? [];
  const list = useId();
  const [folder, setFolder] = useKept(`ripen-run:${estate.identity}:${id}:folder`, "");
  const [workload, setWorkload] = useKept(`ripen-run:${estate.identity}:${id}:workload`, "office");
  const run = useBackupDeed(() => startRun(id, folder, workload));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    run.mutate(undefined);
  };
  return (
    <section aria-label="Back up now">
      <h2 className="text-xl">Back up now</h2>
      <form className="mt-1 flex flex-wrap items-start gap-x-6 gap-y-2" onSubmit={submit}>
        <Field
          label="Folder of the server's machine"
          hint={`below ${roots.join(" or ") || "no folder: the settings allow none"}`}
        >
          {(ids) => (
            <>
              <input
                {...ids}
                list={list}
                autoComplete="off"
                spellCheck={false}
                className={`${inputLook} w-80`}
                placeholder={roots[0] && `${roots[0]}/office`}
                value={folder}
                onChange={(e) => setFolder(e.target.value)}
              />
              <datalist id={list}>
                {roots.map((root) => (
                  <option key={root} value={`${root}/`} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <Field label="as the workload">
          {(ids) => (
            <input
              {...ids}
              autoComplete="off"
              className={`${inputLook} w-40`}
              value={workload}
              onChange={(e) => setWorkload(e.target.value)}
            />
          )}
        </Field>
        <div className="pt-4">
          <Button type="submit" kind="primary" disabled={run.isPending || folder === "" || target.job?.running === true}>
            Back up
          </Button>
        </div>
      </form>
      {run.error && <ErrorNote error={run.error} />}
    </section>
  );
}
