import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type FormEvent, useDeferredValue, useState } from "react";
import {
  archiveOfPoint,
  fileOfPoint,
  type NameReading,
  type PointReading,
  type RestoreOrder,
  readNames,
  removePoint,
  startRehearsal,
  startRestore,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { moment } from "../../format";
import { ApiError } from "../../refusal";
import { useAddress } from "../../ui/address";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { PointChanges } from "./point-changes";
import { useBackupDeed, useTargets } from "./use-backups";

const mostNames = 2000;

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

/** What a point holds, folder by folder or found by a text; one file is downloaded, a folder is restored on the server's machine. */
export function PointBrowser({ id, point, earlier }: { id: string; point: PointReading; earlier: PointReading[] }) {
  const { params, goTo } = useAddress();
  const folder = params.get("in") ?? "";
  const [typed, setTyped] = useState("");
  const find = useDeferredValue(typed);
  const names = useQuery({
    queryKey: keys.names(id, point.id, folder, find),
    queryFn: ({ signal }) => readNames(id, point.id, folder, find, signal),
    placeholderData: keepPreviousData,
  });
  const remove = useBackupDeed(
    () => removePoint(id, point.id),
    () => {
      goTo("point", null);
      done("The point is removed. What only it needed goes with the next prune.");
    },
  );
  const rehearse = useBackupDeed(() => startRehearsal(id, point.id));
  const parts = folder === "" ? [] : folder.split("/");
  return (
    <section aria-label="In this point" className="mt-6" data-testid="point">
      <h3 className="text-lg">As of {moment(point.taken)}</h3>
      <p className="flex flex-wrap items-baseline gap-3">
        <Button disabled={rehearse.isPending} onClick={() => rehearse.mutate(undefined)}>
          Rehearse its restore
        </Button>
        <ConfirmButton
          label="Remove this point"
          about={moment(point.taken)}
          question="It cannot be brought back. Remove the point?"
          onConfirm={() => remove.mutate(undefined)}
        />
      </p>
      <p className="text-sm text-ink-soft">
        A rehearsal reads all of it into nowhere and compares every byte; its record is below the points.
      </p>
      {(remove.error ?? rehearse.error) && <ErrorNote error={(remove.error ?? rehearse.error) as Error} />}
      <div className="mt-1 flex flex-wrap items-baseline gap-x-6">
        <nav aria-label="Folder" className="flex flex-wrap items-baseline">
          <Button kind="quiet" onClick={() => goTo("in", null)}>
            everything
          </Button>
          {parts.map((part, i) => (
            <span key={parts.slice(0, i + 1).join("/")}>
              <span aria-hidden="true">/</span>
              <Button kind="quiet" onClick={() => goTo("in", parts.slice(0, i + 1).join("/"))}>
                {part}
              </Button>
            </span>
          ))}
        </nav>
        <label className="flex items-baseline gap-2 text-sm text-ink-soft">
          Find
          <input
            className={`${inputLook} w-48`}
            autoComplete="off"
            placeholder="part of a path"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        </label>
      </div>
      {names.error && <ErrorNote error={names.error} />}
      {names.data && (
        <table className="mt-1 w-full">
          <thead className="sr-only">
            <tr>
              <th>name</th>
              <th>bytes</th>
              <th>changed</th>
            </tr>
          </thead>
          <tbody>
            {names.data.map((name) => (
              <NameLine
                key={name.path}
                id={id}
                point={point.id}
                name={name}
                whole={find !== ""}
                onFolder={(to) => goTo("in", to)}
              />
            ))}
          </tbody>
        </table>
      )}
      {names.data?.length === 0 && <p className="text-ink-soft">Nothing here.</p>}
      {names.data?.length === mostNames && <p className="text-sm text-ink-soft">And more: look for a part of the path.</p>}
      <p className="mt-3 text-sm text-ink-soft">
        {folder === "" ? "All of it" : folder} as one file:{" "}
        <a href={archiveOfPoint(id, point.id, folder, "zip")} download className="px-1">
          a zip archive
        </a>
        <a href={archiveOfPoint(id, point.id, folder, "tar")} download className="px-1">
          a tar archive
        </a>
      </p>
      <RestoreForm id={id} point={point.id} folder={folder} />
      {earlier.length > 0 && <PointChanges id={id} point={point} earlier={earlier} folder={folder} />}
    </section>
  );
}

type NameProps = { id: string; point: string; name: NameReading; whole: boolean; onFolder: (path: string) => void };

function NameLine({ id, point, name, whole, onFolder }: NameProps) {
  const { bytes } = useEstate();
  const words = whole ? name.path : name.path.slice(name.path.lastIndexOf("/") + 1);
  return (
    <tr className="border-b border-hairline">
      <td className="py-1 break-all">
        {name.kind === "folder" && (
          <Button kind="quiet" onClick={() => onFolder(name.path)}>
            {words}/
          </Button>
        )}
        {name.kind === "file" && (
          <a href={fileOfPoint(id, point, name.path)} download={words} className="px-1">
            {words}
          </a>
        )}
        {name.kind === "link" && (
          <span className="px-1">
            {words} <span className="text-ink-soft">→ {name.target}</span>
          </span>
        )}
      </td>
      <td className="text-right">{name.kind === "file" ? bytes(name.bytes) : ""}</td>
      <td className="pl-6 text-sm text-ink-soft">{moment(name.modified)}</td>
    </tr>
  );
}

function RestoreForm({ id, point, folder }: { id: string; point: string; folder: string }) {
  const { estate } = useEstate();
  const roots = useTargets().data?.value.roots ?? [];
  const [to, setTo] = useState({ into: "folder", folder: "", bucket: estate.buckets[0] ?? "", prefix: "" });
  const [existing, setExisting] = useState<NonNullable<RestoreOrder["existing"]>>("refused");
  const place = to.into === "folder" ? { folder: to.folder } : { bucket: to.bucket, prefix: to.prefix };
  const restore = useBackupDeed(() => startRestore(id, { point, under: folder, existing, ...place }));
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
      <div className="pt-4">
        <Button type="submit" disabled={(to.into === "folder" && to.folder === "") || restore.isPending}>
          Restore
        </Button>
      </div>
      {restore.error && !(restore.error instanceof ApiError && restore.error.problems.length > 0) && (
        <ErrorNote error={restore.error} />
      )}
    </form>
  );
}
