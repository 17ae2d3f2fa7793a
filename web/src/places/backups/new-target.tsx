import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, type ReactNode, useState } from "react";
import { Link, useNavigate } from "react-router";
import {
  type BackupTarget,
  createBucket,
  draftTarget,
  makeLibrary,
  makePool,
  makeVolume,
  type ProbeStep,
  putTarget,
  readPlaces,
  readTargets,
  testTarget,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { SizeField } from "../../ui/size-field";
import { useKept } from "../../ui/use-kept";
import { CredentialChoice } from "./credential-choice";
import { DoubtList } from "./doubt-list";
import { PassphraseFields, passphraseProblem } from "./passphrase-fields";
import { ProbeSteps } from "./probe-steps";
import { useTargets } from "./use-backups";
import { idOf, kindSentences, type TargetKind } from "./words";

type Typed = {
  name: string;
  kind: TargetKind;
  /** Null for one that is made on the way. */
  bucket: string | null;
  newBucket: { name: string; region: string; scheme: string; tier: string };
  /** Of the new bucket: days for which what arrives is kept; null for not at all. */
  keepDays: number | null;
  prefix: string;
  /** Empty for none. */
  credential: string;
  folder: string;
  capacityBytes: number | null;
  journalBytes: number | null;
  readBytes: number | null;
  diskRegion: string;
  snapshotHours: number | null;
  snapshotKeep: number | null;
  cartridgeBytes: number | null;
  slots: number | null;
  drives: number | null;
  deduplicates: boolean;
  compresses: boolean;
  encrypts: boolean;
  own: boolean;
  testDaily: boolean;
};

const pageBytes = 4096;

/** Whether Ripen's own pools lie in it. */
const holdsPool = (kind: TargetKind) => kind === "bucket" || kind === "directory";

const orZero = (value: number | null) => value ?? 0;

/** The target as it is typed so far. */
function targetOf(typed: Typed): BackupTarget {
  const inBucket = typed.kind !== "directory";
  return {
    id: idOf(typed.name) || "unnamed",
    name: typed.name || "unnamed",
    kind: typed.kind,
    ...(inBucket
      ? {
          bucket: typed.bucket ?? typed.newBucket.name,
          prefix: typed.prefix,
          ...(typed.credential && typed.bucket && { credential: typed.credential }),
        }
      : { folder: typed.folder, ...(typed.capacityBytes && { capacityBytes: typed.capacityBytes }) }),
    ...(typed.kind === "volume" && {
      capacityBytes: Math.round(orZero(typed.capacityBytes) / pageBytes) * pageBytes,
      local: {
        journalBytes: orZero(typed.journalBytes),
        readBytes: orZero(typed.readBytes),
        ...(typed.diskRegion && { region: typed.diskRegion }),
      },
      ...(typed.snapshotHours && { snapshots: { everyHours: typed.snapshotHours, keep: typed.snapshotKeep ?? 7 } }),
    }),
    ...(typed.kind === "cartridges" && {
      library: {
        cartridgeBytes: orZero(typed.cartridgeBytes),
        slots: orZero(typed.slots),
        drives: orZero(typed.drives),
      },
    }),
    ...(holdsPool(typed.kind) && { deduplicates: typed.deduplicates }),
    compresses: typed.compresses,
    encrypts: typed.encrypts,
    ...(typed.own && { operatedBy: "own" as const }),
    ...(typed.testDaily && { testEveryHours: 24 }),
  };
}

/** The way to a target, read downwards: name, place, access, storing, in whatever order they are at hand; then it makes and proves
 * itself. */
export function NewTarget() {
  usePageTitle("New backup target");
  const { estate } = useEstate();
  const places = useQuery({ queryKey: keys.places(null, null), queryFn: () => readPlaces(null, null) });
  const targets = useTargets();
  const begin = places.data?.begin;
  if (!begin || !targets.data) return <div className="h-96" />;
  return (
    <Recipe
      taken={targets.data.value.targets.map((t) => t.target.id)}
      roots={targets.data.value.roots}
      start={{
        name: "",
        kind: "bucket",
        bucket: targets.data.value.targets.find((t) => t.target.bucket)?.target.bucket ?? estate.buckets[0] ?? null,
        newBucket: { name: "", region: begin.region, scheme: begin.scheme, tier: begin.tier },
        keepDays: null,
        prefix: "backups/",
        credential: "",
        folder: "",
        capacityBytes: null,
        journalBytes: 1e9,
        readBytes: 1e10,
        diskRegion: "",
        snapshotHours: 24,
        snapshotKeep: 7,
        cartridgeBytes: 1e11,
        slots: 20,
        drives: 2,
        deduplicates: true,
        compresses: true,
        encrypts: true,
        own: false,
        testDaily: true,
      }}
    />
  );
}

type Done = { what: string; milliseconds: number };

function Recipe({ start, taken, roots }: { start: Typed; taken: string[]; roots: string[] }) {
  const { estate, prices, money, regionName } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [typed, keep, forget] = useKept<Typed>(`ripen-draft:${estate.identity}:target`, start);
  const [passphrase, setPassphrase] = useState("");
  const [again, setAgain] = useState("");
  const [touched, setTouched] = useState(false);
  const [done, setDone] = useState<Done[]>([]);
  const [steps, setSteps] = useState<ProbeStep[] | null>(null);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const target = targetOf(typed);
  const id = idOf(typed.name);
  const making = typed.kind !== "directory" && typed.bucket === null;
  const draft = useQuery({
    queryKey: keys.targetDraft(target),
    queryFn: ({ signal }) => draftTarget(target, signal),
    placeholderData: keepPreviousData,
    enabled: !making,
    gcTime: 0,
  });
  const refused = error instanceof ApiError ? error.problems : [];
  const problemAt = useProblems([...(making ? [] : (draft.data?.problems ?? [])), ...refused]);
  const shown = (path: string) => (touched || path === "$.prefix" ? problemAt(path) : undefined);
  const set = (part: Partial<Typed>) => {
    setError(null);
    keep({ ...typed, ...part });
  };
  const needsPassphrase = typed.encrypts;
  const wrongPassphrase = needsPassphrase ? passphraseProblem(passphrase, again) : undefined;
  const nameProblem =
    taken.includes(id) && done.length === 0
      ? "There is a target of this name already."
      : touched && id === ""
        ? "A name is needed."
        : undefined;

  const make = async (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    const secret = needsPassphrase ? passphrase : null;
    const problems = making ? [] : (draft.data?.problems ?? []);
    if (id === "" || nameProblem || problems.length > 0) return;
    if (wrongPassphrase) return;
    setBusy(true);
    setError(null);
    const finished = [...done];
    const step = async (what: string, act: () => Promise<unknown>) => {
      if (finished.some((d) => d.what === what)) return;
      const begun = performance.now();
      await act();
      finished.push({ what, milliseconds: performance.now() - begun });
      setDone([...finished]);
    };
    try {
      if (making)
        await step(`make the bucket ${typed.newBucket.name}`, async () => {
          const { begin } = await readPlaces(null, null);
          const kept = typed.keepDays ? { keep: { days: typed.keepDays, strength: "sealed" as const } } : {};
          await createBucket({ ...begin, ...typed.newBucket, ...kept }, null);
        });
      await step("make the target", async () => putTarget(target, (await readTargets()).etag));
      const test = await testTarget(id);
      setSteps(test.steps);
      if (!test.worked) return;
      const kind = typed.kind;
      if (kind === "volume") await step("make the volume and serve it", () => makeVolume(id, secret));
      else if (kind === "cartridges") await step("make the library", () => makeLibrary(id, secret));
      else await step("make the pool", () => makePool(id, secret));
      forget();
      await queries.invalidateQueries();
      await navigate(`/backups/${id}`);
    } catch (refusal) {
      setError(refusal as Error);
      await queries.invalidateQueries({ queryKey: keys.targets });
    } finally {
      setBusy(false);
    }
  };

  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
      </p>
      <h1 className="text-3xl">New backup target</h1>
      <form onSubmit={make} className="mt-4 grid grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)] gap-x-12 max-lg:grid-cols-1">
        <div>
          <Line title="Name">
            <Field label="It is called" error={nameProblem} hint={id ? `known as ${id}` : undefined}>
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-64`}
                  autoComplete="off"
                  value={typed.name}
                  onChange={(e) => set({ name: e.target.value })}
                />
              )}
            </Field>
          </Line>
          <Line title="Kind">
            <fieldset>
              <legend className="sr-only">Kind of target</legend>
              {kindSentences.map((kind) => (
                <label key={kind.value} className="flex items-center gap-2">
                  <input
                    type="radio"
                    name="kind"
                    value={kind.value}
                    className="accent-(--accent)"
                    checked={typed.kind === kind.value}
                    onChange={() => set({ kind: kind.value })}
                  />
                  {kind.label}
                </label>
              ))}
            </fieldset>
          </Line>
          <Line title="Place">
            {typed.kind === "directory" ? (
              <>
                <Field
                  label="Folder"
                  error={shown("$.folder")}
                  hint={`a name below ${roots[0] ?? "no folder: the settings allow none"}, or a whole path`}
                >
                  {(ids) => (
                    <input
                      {...ids}
                      className={`${inputLook} w-72`}
                      autoComplete="off"
                      spellCheck={false}
                      value={typed.folder}
                      onChange={(e) => set({ folder: e.target.value })}
                    />
                  )}
                </Field>
                <SizeField
                  label="Full at (empty: the disk's limit)"
                  value={typed.capacityBytes}
                  error={shown("$.capacityBytes")}
                  onChange={(capacityBytes) => set({ capacityBytes })}
                />
              </>
            ) : (
              <>
                <Field label="In the bucket" error={shown("$.bucket")}>
                  {(ids) => (
                    <Select
                      {...ids}
                      value={typed.bucket ?? ""}
                      options={[
                        ...estate.buckets.map((b) => ({ value: b, label: b })),
                        { value: "", label: "a new one, made on the way" },
                      ]}
                      onChange={(e) => set({ bucket: e.target.value || null })}
                    />
                  )}
                </Field>
                <Field label="below the prefix" error={shown("$.prefix")}>
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
                {!making && (
                  <CredentialChoice
                    value={typed.credential}
                    error={problemAt("$.credential")}
                    onChange={(credential) => set({ credential })}
                  />
                )}
                {making && (
                  <NewBucketFields
                    bucket={typed.newBucket}
                    problemAt={problemAt}
                    set={(part) => set({ newBucket: { ...typed.newBucket, ...part } })}
                  />
                )}
                {making && (
                  <Field
                    label="Nothing in it can be deleted for … days"
                    error={problemAt("$.keep.days")}
                    hint="Sealed: by nobody, a stolen credential neither. What no point needs stays, and is paid for, as long. Empty: no retention."
                  >
                    {(ids) => (
                      <NumberInput {...ids} className="w-20" value={typed.keepDays} onChange={(keepDays) => set({ keepDays })} />
                    )}
                  </Field>
                )}
              </>
            )}
          </Line>
          {typed.kind === "volume" && (
            <Line title="Disk">
              <SizeField
                label="Size it presents"
                value={typed.capacityBytes}
                error={shown("$.capacityBytes")}
                onChange={(capacityBytes) => set({ capacityBytes })}
              />
              <SizeField
                label="Journal on the local disk"
                value={typed.journalBytes}
                error={shown("$.local.journalBytes")}
                onChange={(journalBytes) => set({ journalBytes })}
              />
              <SizeField
                label="Read share beside it"
                value={typed.readBytes}
                error={shown("$.local.readBytes")}
                onChange={(readBytes) => set({ readBytes })}
              />
              <Field label="The local disk stands in">
                {(ids) => (
                  <Select
                    {...ids}
                    value={typed.diskRegion}
                    options={[
                      { value: "", label: "where what writes stands" },
                      ...prices.regions.map((r) => ({ value: r.id, label: r.name })),
                    ]}
                    onChange={(e) => set({ diskRegion: e.target.value })}
                  />
                )}
              </Field>
              <Field label="A snapshot every … hours" error={shown("$.snapshots.everyHours")} hint="empty: by hand only">
                {(ids) => (
                  <NumberInput
                    {...ids}
                    className="w-20"
                    value={typed.snapshotHours}
                    onChange={(snapshotHours) => set({ snapshotHours })}
                  />
                )}
              </Field>
              <Field label="of which stay" error={shown("$.snapshots.keep")}>
                {(ids) => (
                  <NumberInput
                    {...ids}
                    className="w-20"
                    value={typed.snapshotKeep}
                    onChange={(snapshotKeep) => set({ snapshotKeep })}
                  />
                )}
              </Field>
            </Line>
          )}
          {typed.kind === "cartridges" && (
            <Line title="Library">
              <SizeField
                label="A cartridge holds"
                value={typed.cartridgeBytes}
                error={shown("$.library.cartridgeBytes")}
                onChange={(cartridgeBytes) => set({ cartridgeBytes })}
              />
              <Field label="Slots" error={shown("$.library.slots")}>
                {(ids) => <NumberInput {...ids} className="w-20" value={typed.slots} onChange={(slots) => set({ slots })} />}
              </Field>
              <Field label="Drives" error={shown("$.library.drives")}>
                {(ids) => <NumberInput {...ids} className="w-20" value={typed.drives} onChange={(drives) => set({ drives })} />}
              </Field>
            </Line>
          )}
          <Line title="Storing">
            {holdsPool(typed.kind) && (
              <Tick
                checked={typed.deduplicates}
                label="equal content stored once"
                onChange={(deduplicates) => set({ deduplicates })}
              />
            )}
            {typed.kind !== "volume" && (
              <Tick checked={typed.compresses} label="compressed" onChange={(compresses) => set({ compresses })} />
            )}
            <Tick checked={typed.own} label="in a place that we run ourselves" onChange={(own) => set({ own })} />
            <div>
              <Tick checked={typed.encrypts} label="encrypted" onChange={(encrypts) => set({ encrypts })} />
              {problemAt("$.encrypts") && <p className="max-w-md text-sm text-bad">{problemAt("$.encrypts")}</p>}
            </div>
            <Tick checked={typed.testDaily} label="tests itself every day" onChange={(testDaily) => set({ testDaily })} />
          </Line>
          {needsPassphrase && (
            <Line title="Access">
              <PassphraseFields
                first={passphrase}
                again={again}
                problem={touched ? wrongPassphrase : undefined}
                set={(typed, twice) => {
                  setPassphrase(typed);
                  setAgain(twice ?? "");
                }}
              />
              <p className="w-full max-w-xl text-sm text-ink-soft">
                Whoever has it can read what lies there from anywhere; without it nobody can. This server keeps what it needs,
                protected, and not the passphrase itself: write it down somewhere else.
              </p>
            </Line>
          )}
        </div>
        <aside aria-label="Before and after" className="lg:border-l lg:border-hairline lg:pl-8">
          <h2 className="text-xl">Beforehand</h2>
          {!making && draft.data?.region && (
            <p>
              In {regionName(draft.data.region)}; a TB costs {money(draft.data.terabyteMonth ?? 0)} a month there
              {(draft.data.waitHours ?? 0) > 0 && `, and a restore waits ${count(draft.data.waitHours ?? 0)} h for it`}.
            </p>
          )}
          {making && <p className="text-ink-soft">The bucket is made first, then the target in it.</p>}
          {!making && draft.data && <DoubtList doubts={draft.data.doubts} bucket={target.bucket ?? null} />}
          <p className="mt-4">
            <Button type="submit" kind="primary" disabled={busy}>
              {done.length > 0 ? "Go on" : "Make it and prove it"}
            </Button>
          </p>
          <div aria-live="polite">
            {done.length > 0 && (
              <ul className="mt-3">
                {done.map((d) => (
                  <li key={d.what} className="flex items-baseline gap-3 border-t border-hairline py-0.5">
                    <span className="text-good" aria-hidden="true">
                      ✓
                    </span>
                    <span className="flex-1">{d.what}</span>
                    <span className="text-sm text-ink-soft">{count(d.milliseconds, 0)} ms</span>
                  </li>
                ))}
              </ul>
            )}
            {steps && <ProbeSteps steps={steps} />}
            {error && refused.length === 0 && <ErrorNote error={error} />}
            {refused.length > 0 && <ErrorNote error={new Error(refused.map((p) => p.message).join(" "))} />}
          </div>
        </aside>
      </form>
    </div>
  );
}

function Line({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="flex gap-6 border-t border-hairline py-3">
      <h2 className="w-20 shrink-0 pt-3 text-lg">{title}</h2>
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">{children}</div>
    </section>
  );
}

function Tick({ checked, label, onChange }: { checked: boolean; label: string; onChange: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-2 pt-3">
      <input
        type="checkbox"
        className="accent-(--accent)"
        checked={checked}
        onChange={(event) => onChange(event.target.checked)}
      />
      {label}
    </label>
  );
}

function NewBucketFields({
  bucket,
  set,
  problemAt,
}: {
  bucket: Typed["newBucket"];
  set: (part: Partial<Typed["newBucket"]>) => void;
  problemAt: (path: string) => string | undefined;
}) {
  const { prices } = useEstate();
  const offered = prices.regions.find((r) => r.id === bucket.region)?.prices.map((p) => p.tier) ?? [];
  return (
    <>
      <Field label="The new bucket's name" error={problemAt("$.name")} hint="3 to 63 lower-case letters, digits and hyphens">
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-56`}
            autoComplete="off"
            value={bucket.name}
            onChange={(e) => set({ name: e.target.value })}
          />
        )}
      </Field>
      <Field label="Region" error={problemAt("$.region")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.region}
            options={prices.regions.map((r) => ({ value: r.id, label: r.name }))}
            onChange={(e) => set({ region: e.target.value })}
          />
        )}
      </Field>
      <Field label="Redundancy" error={problemAt("$.scheme")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.scheme}
            options={prices.schemes.map((s) => ({ value: s.id, label: s.name }))}
            onChange={(e) => set({ scheme: e.target.value })}
          />
        )}
      </Field>
      <Field label="Tier" error={problemAt("$.tier")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.tier}
            options={prices.tiers.filter((t) => offered.includes(t.id)).map((t) => ({ value: t.id, label: t.name }))}
            onChange={(e) => set({ tier: e.target.value })}
          />
        )}
      </Field>
    </>
  );
}
