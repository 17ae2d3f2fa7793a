import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { type BackupTarget, putTarget } from "../../api/client";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useKept } from "../../ui/use-kept";
import { useBackupDeed } from "./use-backups";

type Typed = { name: string; bucket: string; prefix: string; compresses: boolean };

/** A target's id from its name: what an address can bear. */
const idOf = (name: string) =>
  name
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-|-$/g, "");

/** A new target: a name, a bucket, a prefix; the rest follows on its page. */
export function NewTarget({ etag, taken }: { etag: string; taken: string[] }) {
  const { estate } = useEstate();
  const navigate = useNavigate();
  const [typed, keep, forget] = useKept<Typed>(`ripen-draft:${estate.identity}:target`, {
    name: "",
    bucket: estate.buckets[0] ?? "",
    prefix: "backups/",
    compresses: true,
  });
  const [touched, setTouched] = useState(false);
  const id = idOf(typed.name);
  const make = useBackupDeed(
    () => {
      const target: BackupTarget = {
        id,
        name: typed.name,
        kind: "bucket",
        bucket: typed.bucket,
        prefix: typed.prefix,
        compresses: typed.compresses,
      };
      return putTarget(target, etag);
    },
    () => {
      forget();
      void navigate(`/backups/${id}`);
    },
  );
  const problemAt = useProblems(make.error instanceof ApiError ? make.error.problems : []);
  const set = (part: Partial<Typed>) => {
    make.reset();
    keep({ ...typed, ...part });
  };
  const nameProblem = taken.includes(id)
    ? "There is a target of this name already."
    : touched && id === ""
      ? "A name is needed."
      : (problemAt("$.name") ?? problemAt("$.id"));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    if (id !== "" && !taken.includes(id)) make.mutate(undefined);
  };
  return (
    <section aria-label="New backup target" className="mt-10 border-t border-hairline-strong pt-4">
      <h2 className="text-xl">New backup target</h2>
      <form className="mt-2 flex flex-wrap items-start gap-x-8 gap-y-3" onSubmit={submit}>
        <Field label="Name" error={nameProblem} hint={id ? `known as ${id}` : undefined}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-56`}
              autoComplete="off"
              value={typed.name}
              onChange={(e) => set({ name: e.target.value })}
            />
          )}
        </Field>
        <Field label="In the bucket" error={problemAt("$.bucket")}>
          {(ids) => (
            <Select
              {...ids}
              value={typed.bucket}
              options={estate.buckets.map((b) => ({ value: b, label: b }))}
              onChange={(e) => set({ bucket: e.target.value })}
            />
          )}
        </Field>
        <Field label="below the prefix" error={problemAt("$.prefix")}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-44`}
              autoComplete="off"
              value={typed.prefix}
              onChange={(e) => set({ prefix: e.target.value })}
            />
          )}
        </Field>
        <label className="flex items-center gap-2 pt-5">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={typed.compresses}
            onChange={(e) => set({ compresses: e.target.checked })}
          />
          Compressed
        </label>
        <div className="pt-4">
          <Button type="submit" kind="primary" disabled={make.isPending}>
            Make the target
          </Button>
        </div>
      </form>
      {make.error && !(make.error instanceof ApiError && make.error.problems.length > 0) && <ErrorNote error={make.error} />}
    </section>
  );
}
