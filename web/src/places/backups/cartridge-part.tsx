import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import {
  addCartridge,
  type CartridgeReading,
  contentOfCartridge,
  type DriveReading,
  draftRest,
  eraseCartridge,
  type LibraryReading,
  labelCartridge,
  loadDrive,
  makeLibrary,
  moveCartridge,
  readLibrary,
  type TargetReading,
  unloadDrive,
  unlockPool,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { PassphraseForm } from "./passphrase-form";
import { useBackupDeed } from "./use-backups";

const lookAgain = 2000;
const six = (number: number) => String(number).padStart(6, "0");

/** Cartridges and the drives that they go into. */
export function CartridgePart({ target }: { target: TargetReading }) {
  const { id, encrypts } = target.target;
  const library = useQuery({
    queryKey: keys.library(id),
    queryFn: () => readLibrary(id),
    refetchInterval: lookAgain,
    retry: false,
  });
  if (library.data === null)
    return (
      <section aria-label="Library">
        <h2 className="text-xl">Library</h2>
        <PassphraseForm what="library" making encrypts={encrypts !== false} act={(passphrase) => makeLibrary(id, passphrase)} />
      </section>
    );
  if (library.error && !library.data) return <ErrorNote error={library.error} />;
  if (!library.data) return <div className="h-60" />;
  if (!library.data.canOpen)
    return (
      <section aria-label="Library">
        <h2 className="text-xl">Library</h2>
        <PassphraseForm what="library" making={false} encrypts act={(passphrase) => unlockPool(id, passphrase ?? "")} />
      </section>
    );
  return (
    <div className="space-y-8">
      <Drives id={id} library={library.data} />
      <Shelf id={id} library={library.data} />
    </div>
  );
}

function Drives({ id, library }: { id: string; library: LibraryReading }) {
  return (
    <section aria-label="Drives">
      <h2 className="text-xl">Drives</h2>
      <p className="text-ink-soft">
        A program opens a drive's path like a tape's device file that does not rewind: what it writes until it closes is one file,
        and reading gives one file after the other.
      </p>
      <ul>
        {library.drives.map((drive) => (
          <li key={drive.number} className="border-t border-hairline py-2">
            <Drive id={id} drive={drive} cartridges={library.cartridges} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function Drive({ id, drive, cartridges }: { id: string; drive: DriveReading; cartridges: CartridgeReading[] }) {
  const { bytes } = useEstate();
  const loadable = cartridges.filter((c) => !c.drive && !c.isAway && !c.readyFrom);
  const [chosen, setChosen] = useState("");
  const [use, setUse] = useState<"write" | "read">("write");
  const number = Number(chosen || loadable[0]?.label.number);
  const load = useBackupDeed(() => loadDrive(id, drive.number, number, use));
  const unload = useBackupDeed(() => unloadDrive(id, drive.number));
  const { status } = drive;
  const error = load.error ?? unload.error;
  return (
    <>
      {!status.cartridge ? (
        <div className="flex flex-wrap items-end gap-4">
          <span className="w-20 pb-1 font-serif text-lg">Drive {drive.number}</span>
          <Field label="Cartridge">
            {(ids) => (
              <Select
                {...ids}
                value={chosen || String(number)}
                options={loadable.map((c) => ({ value: String(c.label.number), label: six(c.label.number) }))}
                onChange={(e) => setChosen(e.target.value)}
              />
            )}
          </Field>
          <Field label="for">
            {(ids) => (
              <Select
                {...ids}
                value={use}
                options={[
                  { value: "write", label: "writing behind its last file" },
                  { value: "read", label: "reading from its first file" },
                ]}
                onChange={(e) => setUse(e.target.value as "write" | "read")}
              />
            )}
          </Field>
          <Button
            aria-label={`Load drive ${drive.number}`}
            disabled={load.isPending || loadable.length === 0}
            onClick={() => load.mutate(undefined)}
          >
            Load
          </Button>
        </div>
      ) : (
        <div className="flex flex-wrap items-baseline gap-x-4">
          <span className="w-20 font-serif text-lg">Drive {drive.number}</span>
          <span>
            {six(status.cartridge)} for {status.use === "write" ? "writing" : "reading"};{" "}
            {status.busy
              ? `file ${status.file} is under way${status.bytes > 0 ? `, ${bytes(status.bytes)}` : ""}`
              : `file ${status.file} is next`}
          </span>
          <Button
            kind="quiet"
            aria-label={`Take it out of drive ${drive.number}`}
            disabled={unload.isPending}
            onClick={() => unload.mutate(undefined)}
          >
            Take it out
          </Button>
          <code className="w-full text-sm break-all select-all">{drive.path}</code>
        </div>
      )}
      {status.said && <p className="text-bad">{status.said}</p>}
      {error && <ErrorNote error={error} />}
    </>
  );
}

function Shelf({ id, library }: { id: string; library: LibraryReading }) {
  const { bytes } = useEstate();
  const add = useBackupDeed(() => addCartridge(id));
  const here = library.cartridges.filter((c) => !c.isAway).length;
  const [open, setOpen] = useState<number | null>(null);
  return (
    <section aria-label="Cartridges">
      <h2 className="text-xl">Cartridges of {bytes(library.cartridgeBytes)}</h2>
      <p className="text-ink-soft">
        {count(here)} of {count(library.slots)} slots are taken; those put away need none.
      </p>
      {library.cartridges.length > 0 && (
        <table className="mt-2 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">cartridge</th>
              <th className="text-right font-normal">files</th>
              <th className="text-right font-normal">written</th>
              <th className="pl-6 font-normal">where</th>
              <th>
                <span className="sr-only">deeds</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {library.cartridges.map((cartridge) => {
              const { number } = cartridge.label;
              return (
                <tr key={number} className="border-b border-hairline align-baseline">
                  <th scope="row" className="py-1.5 text-left font-medium">
                    {six(number)}
                    {cartridge.label.protected && (
                      <span className="block text-sm font-normal text-ink-soft">write-protected</span>
                    )}
                    {cartridge.label.keepUntil && (
                      <span className="block text-sm font-normal text-ink-soft">kept until {day(cartridge.label.keepUntil)}</span>
                    )}
                  </th>
                  <td className="text-right">{count(cartridge.files.length)}</td>
                  <td className="text-right">{bytes(cartridge.bytes)}</td>
                  <td className="pl-6">
                    <Where cartridge={cartridge} />
                  </td>
                  <td className="text-right">
                    <Button
                      kind="quiet"
                      aria-expanded={open === number}
                      aria-label={`${open === number ? "Less" : "More"} about cartridge ${six(number)}`}
                      onClick={() => setOpen(open === number ? null : number)}
                    >
                      {open === number ? "Less" : "More"}
                    </Button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {library.cartridges
        .filter((c) => c.label.number === open)
        .map((cartridge) => (
          <Deeds key={cartridge.label.number} id={id} cartridge={cartridge} close={() => setOpen(null)} />
        ))}
      <p className="mt-3">
        <Button disabled={add.isPending} onClick={() => add.mutate(undefined)}>
          Add a blank cartridge
        </Button>
      </p>
      {add.error && <ErrorNote error={add.error} />}
    </section>
  );
}

function Where({ cartridge }: { cartridge: CartridgeReading }) {
  const { tierName } = useEstate();
  if (cartridge.drive) return <>in drive {cartridge.drive}</>;
  if (cartridge.readyFrom) return <>on its way back, there from {moment(cartridge.readyFrom)} on</>;
  if (cartridge.isAway) return <>put away in {tierName(cartridge.tier ?? "")}</>;
  return <>in its slot{cartridge.tier ? `, ${tierName(cartridge.tier)}` : ", blank"}</>;
}

/** What can be done with one cartridge: its label, where it rests, what is on it. */
function Deeds({ id, cartridge, close }: { id: string; cartridge: CartridgeReading; close: () => void }) {
  const { prices, money, bytes, tierName } = useEstate();
  const { label } = cartridge;
  const [isProtected, setProtected] = useState(label.protected);
  const [keepUntil, setKeepUntil] = useState(label.keepUntil ?? "");
  const [tier, setTier] = useState(prices.tiers.find((t) => t.id !== cartridge.tier)?.id ?? "");
  const relabel = useBackupDeed(() => labelCartridge(id, label.number, isProtected, keepUntil || null));
  const erase = useBackupDeed(() => eraseCartridge(id, label.number), close);
  const move = useBackupDeed(() => moveCartridge(id, label.number, tier), close);
  const draft = useQuery({
    queryKey: keys.restDraft(id, label.number, tier),
    queryFn: () => draftRest(id, label.number, tier),
    retry: false,
  });
  const error = relabel.error ?? erase.error ?? move.error;
  return (
    <section aria-label={`Cartridge ${six(label.number)}`} className="mt-3 border-l-4 border-hairline-strong pl-4">
      <h3 className="text-lg">Cartridge {six(label.number)}</h3>
      {cartridge.files.length > 0 && (
        <p>
          {cartridge.files.map((f) => `file ${f.number}: ${bytes(f.bytes)}`).join("; ")}.{" "}
          <a href={contentOfCartridge(id, label.number)} download>
            All of it as a tar archive
          </a>
        </p>
      )}
      <div className="mt-2 flex flex-wrap items-end gap-5">
        <label className="flex items-center gap-2 pb-1">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={isProtected}
            onChange={(e) => setProtected(e.target.checked)}
          />
          write-protected
        </label>
        <Field label="Not begun anew before">
          {(ids) => (
            <input {...ids} type="date" className={inputLook} value={keepUntil} onChange={(e) => setKeepUntil(e.target.value)} />
          )}
        </Field>
        <Button disabled={relabel.isPending} onClick={() => relabel.mutate(undefined)}>
          Write the label
        </Button>
        <ConfirmButton
          label="Begin it anew"
          about={`cartridge ${six(label.number)}`}
          question="What is on it is gone for good. Begin it anew?"
          onConfirm={() => erase.mutate(undefined)}
        />
      </div>
      {cartridge.files.length > 0 && (
        <div className="mt-3 flex flex-wrap items-end gap-5">
          <Field label="Let it rest in">
            {(ids) => (
              <Select
                {...ids}
                value={tier}
                options={prices.tiers.filter((t) => t.id !== cartridge.tier).map((t) => ({ value: t.id, label: t.name }))}
                onChange={(e) => setTier(e.target.value)}
              />
            )}
          </Field>
          <Button disabled={move.isPending || !draft.data} onClick={() => move.mutate(undefined)}>
            Move it there
          </Button>
          {draft.data && (
            <p className="w-full max-w-xl">
              It costs {money(draft.data.onceCharge)} once, and {money(draft.data.monthlyAfter)} a month instead of{" "}
              {money(draft.data.monthlyBefore)}
              {draft.data.waitBefore > 0 && `; it takes ${count(draft.data.waitBefore)} h to come back`}
              {draft.data.waitHours > 0 && `; from ${tierName(tier)} it comes back after ${count(draft.data.waitHours)} h`}.
            </p>
          )}
          {draft.error && <ErrorNote error={draft.error} />}
        </div>
      )}
      {error && <ErrorNote error={error} />}
    </section>
  );
}
