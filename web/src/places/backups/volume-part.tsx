import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import {
  drainVolume,
  fillVolume,
  makeVolume,
  offerSnapshot,
  readVolume,
  removeSnapshot,
  type TargetReading,
  takeSnapshot,
  unlockPool,
  type VolumeReading,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { JournalChart } from "./journal-chart";
import { PassphraseForm } from "./passphrase-form";
import { useBackupDeed, useTargets } from "./use-backups";

const lookAgain = 2000;

/** A block volume: where it is served, what its journal holds, what is near, and the states that it keeps. */
export function VolumePart({ target }: { target: TargetReading }) {
  const { id, encrypts, local } = target.target;
  const volume = useQuery({
    queryKey: keys.volume(id),
    queryFn: () => readVolume(id),
    refetchInterval: lookAgain,
    retry: false,
  });
  if (volume.data === null)
    return (
      <section aria-label="Volume">
        <h2 className="text-xl">Volume</h2>
        <PassphraseForm what="volume" making encrypts={encrypts !== false} act={(passphrase) => makeVolume(id, passphrase)} />
      </section>
    );
  if (volume.error && !volume.data) return <ErrorNote error={volume.error} />;
  if (!volume.data) return <div className="h-60" />;
  if (!volume.data.canOpen)
    return (
      <section aria-label="Volume">
        <h2 className="text-xl">Volume</h2>
        <PassphraseForm what="volume" making={false} encrypts act={(passphrase) => unlockPool(id, passphrase ?? "")} />
      </section>
    );
  return (
    <section aria-label="Volume" className="space-y-6">
      <Served volume={volume.data} id={id} />
      {volume.data.status && local && (
        <JournalChart samples={volume.data.samples} journalBytes={local.journalBytes} readBytes={local.readBytes} />
      )}
      <Snapshots id={id} volume={volume.data} schedule={target.target.snapshots ?? null} />
      <FillFrom id={id} volume={volume.data} />
    </section>
  );
}

function Served({ volume, id }: { volume: VolumeReading; id: string }) {
  const { bytes } = useEstate();
  const drain = useBackupDeed(() => drainVolume(id));
  const { status } = volume;
  return (
    <div>
      <h2 className="text-xl">Volume of {bytes(volume.sizeBytes)}</h2>
      {volume.wrong && <ErrorNote error={new Error(volume.wrong)} />}
      {volume.address && (
        <p>
          Served at <code className="select-all">{volume.address}</code> on the server's machine,{" "}
          {volume.clients === 0 ? "nobody is connected" : `${count(volume.clients)} connected`}; {volume.encrypts ? "" : "not "}
          encrypted in the bucket.
        </p>
      )}
      {status && (
        <>
          <dl className="mt-2 grid max-w-xl grid-cols-[1fr_auto] gap-x-6">
            <dt>In the journal, not yet in the bucket</dt>
            <dd className="text-right" data-testid="journal">
              {status.journalBytes === 0 ? "nothing" : bytes(status.journalBytes)}
            </dd>
            <dt>Near, of what is in the bucket</dt>
            <dd className="text-right">{bytes(status.cachedBytes)}</dd>
            <dt>Stored, in blocks of {bytes(volume.blockBytes)}</dt>
            <dd className="text-right">{count(status.storedBlocks)}</dd>
            <dt>Reads answered near, of all since it was opened</dt>
            <dd className="text-right">
              {status.localReads + status.farReads === 0
                ? "none yet"
                : `${count(status.localReads)} of ${count(status.localReads + status.farReads)}`}
            </dd>
          </dl>
          {status.journalBytes === 0 && (
            <p className="text-ink-soft">The journal is empty: everything that was acknowledged is in the bucket.</p>
          )}
          {status.failure && (
            <ErrorNote error={new Error(`The bucket takes nothing at the moment, and it is tried again: ${status.failure}`)} />
          )}
          <p className="mt-2">
            <Button disabled={drain.isPending || status.journalBytes === 0} onClick={() => drain.mutate(undefined)}>
              Bring the journal to the bucket now
            </Button>
          </p>
          {drain.error && <ErrorNote error={drain.error} />}
        </>
      )}
    </div>
  );
}

function Snapshots({
  id,
  volume,
  schedule,
}: {
  id: string;
  volume: VolumeReading;
  schedule: { everyHours: number; keep: number } | null;
}) {
  const [name, setName] = useState("");
  const take = useBackupDeed(
    () => takeSnapshot(id, name),
    () => setName(""),
  );
  const remove = useBackupDeed((snapshot: string) => removeSnapshot(id, snapshot));
  const offer = useBackupDeed((snapshot: string) => offerSnapshot(id, snapshot));
  const error = take.error ?? remove.error ?? offer.error;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (name.trim()) take.mutate(undefined);
  };
  return (
    <div>
      <h2 className="text-xl">Snapshots</h2>
      <p className="text-ink-soft">
        {schedule
          ? `One every ${count(schedule.everyHours)} h, of which the newest ${count(schedule.keep)} stay; those by hand stay until they are removed.`
          : "By hand only."}
      </p>
      {volume.snapshots.length > 0 && (
        <table className="mt-2 w-full max-w-3xl">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">snapshot</th>
              <th className="font-normal">taken</th>
              <th className="font-normal">read at</th>
              <th>
                <span className="sr-only">deeds</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {volume.snapshots.map(({ snapshot, address }) => (
              <tr key={snapshot.id} className="border-b border-hairline">
                <th scope="row" className="py-1 text-left font-normal">
                  {snapshot.scheduled ? "by the schedule" : snapshot.name}
                </th>
                <td>{moment(snapshot.taken)}</td>
                <td>
                  {address ? (
                    <code className="text-sm select-all">{address}</code>
                  ) : (
                    <Button
                      kind="quiet"
                      aria-label={`Offer it for reading: ${snapshot.name}`}
                      onClick={() => offer.mutate(snapshot.id)}
                    >
                      Offer it for reading
                    </Button>
                  )}
                </td>
                <td className="text-right">
                  <ConfirmButton
                    label="Remove"
                    about={snapshot.name}
                    question="It cannot be had back. Remove it?"
                    onConfirm={() => remove.mutate(snapshot.id)}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <form className="mt-2 flex items-end gap-4" onSubmit={submit}>
        <Field label="Keep it as it is now, as">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-56`}
              autoComplete="off"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          )}
        </Field>
        <Button type="submit" disabled={take.isPending || !name.trim() || !volume.status}>
          Take a snapshot
        </Button>
      </form>
      {error && <ErrorNote error={error} />}
    </div>
  );
}

/** A volume that holds nothing yet may begin with what a snapshot of another one holds. */
function FillFrom({ id, volume }: { id: string; volume: VolumeReading }) {
  const others = (useTargets().data?.value.targets ?? []).filter((t) => t.target.kind === "volume" && t.target.id !== id);
  const [from, setFrom] = useState("");
  const [snapshot, setSnapshot] = useState("");
  const chosen = from || (others[0]?.target.id ?? "");
  const source = useQuery({
    queryKey: keys.volume(chosen),
    queryFn: () => readVolume(chosen),
    enabled: chosen !== "",
    retry: false,
  });
  const fill = useBackupDeed(() => fillVolume(id, chosen, snapshot || (source.data?.snapshots[0]?.snapshot.id ?? "")));
  if (volume.status?.storedBlocks !== 0 || others.length === 0) return null;
  return (
    <div>
      <h2 className="text-xl">Begin with a snapshot of another volume</h2>
      <div className="mt-1 flex flex-wrap items-end gap-4">
        <Field label="Of">
          {(ids) => (
            <Select
              {...ids}
              value={chosen}
              options={others.map((o) => ({ value: o.target.id, label: o.target.name }))}
              onChange={(e) => setFrom(e.target.value)}
            />
          )}
        </Field>
        <Field label="the snapshot">
          {(ids) => (
            <Select
              {...ids}
              value={snapshot}
              options={(source.data?.snapshots ?? []).map((s) => ({ value: s.snapshot.id, label: s.snapshot.name }))}
              onChange={(e) => setSnapshot(e.target.value)}
            />
          )}
        </Field>
        <Button disabled={fill.isPending || !source.data?.snapshots.length} onClick={() => fill.mutate(undefined)}>
          Fill this one
        </Button>
      </div>
      {fill.error && <ErrorNote error={fill.error} />}
    </div>
  );
}
