import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import {
  archiveOfPoint,
  fileOfPoint,
  type NameReading,
  type PointReading,
  readNames,
  removePoint,
  startRehearsal,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { moment } from "../../format";
import { useAddress } from "../../ui/address";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { PointChanges } from "./point-changes";
import { RestoreForm, sayIfItWaits, useRestoreDraft } from "./restore-form";
import { useBackupDeed } from "./use-backups";

const mostNames = 2000;

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
  const reads = useRestoreDraft(id, point.id, "", 1);
  const away = reads.data?.recalls[0]?.recall;
  const rehearse = useBackupDeed(
    () => startRehearsal(id, { point: point.id, ...(away ? { recall: { days: 1 } } : {}) }),
    (job) => sayIfItWaits(job),
  );
  const { money } = useEstate();
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
        {away &&
          ` What it reads rests where reading takes a wait: it is recalled first, for ${money(away.onceCharge + away.storageCharge)}, and the rehearsal is done by itself at ${moment(away.readyFrom)}.`}
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
