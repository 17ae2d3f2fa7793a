import { putTarget, type TargetReading } from "../../api/client";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed, useTargets } from "./use-backups";

/** Where runs go when a place is full: a ranked list of other pools, or nowhere. */
export function FullPart({ target }: { target: TargetReading }) {
  const targets = useTargets().data;
  const list = target.target.spillTo ?? [];
  const others = (targets?.value.targets ?? []).filter(
    (t) => t.target.id !== target.target.id && (t.target.kind === "bucket" || t.target.kind === "directory"),
  );
  const change = useBackupDeed((spillTo: string[]) => putTarget({ ...target.target, spillTo }, targets?.etag ?? ""));
  if (others.length === 0) return null;
  const places = [...list, ""].slice(0, others.length);
  return (
    <section aria-label="When it is full">
      <h2 className="text-xl">When it is full</h2>
      <div className="flex flex-wrap gap-4">
        {places.map((chosen, i) => (
          <Field key={chosen || "none"} label={i === 0 ? "A run that does not fit" : "and if that is full"}>
            {(ids) => (
              <Select
                {...ids}
                value={chosen}
                disabled={change.isPending}
                options={[
                  { value: "", label: "is refused" },
                  ...others
                    .filter((o) => o.target.id === chosen || !list.includes(o.target.id))
                    .map((o) => ({ value: o.target.id, label: `goes on in ${o.target.name}` })),
                ]}
                onChange={(e) => change.mutate([...list.slice(0, i), ...(e.target.value ? [e.target.value] : [])])}
              />
            )}
          </Field>
        ))}
      </div>
      {change.error && <ErrorNote error={change.error} />}
    </section>
  );
}
