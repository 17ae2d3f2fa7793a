import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { adviseTarget, type SizingOrder, sizeBackups, type TargetQuestions } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { Field, NumberInput } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useKept } from "../../ui/use-kept";
import { kindNames } from "./words";

type Figures = {
  inMegabytes: number;
  lineMegabits: number;
  windowHours: number;
  compression: number;
  reducedAtTarget: boolean;
  localGigabytes: number;
  headroom: number;
  contentTerabytes: number;
  chunkKibibytes: number;
  moveTerabytes: number;
  diskTerabytes: number;
  diskMegabytes: number;
  disksAtOnce: number;
  transitDays: number;
  pricePerDisk: number;
};

const usual: Figures = {
  inMegabytes: 120,
  lineMegabits: 300,
  windowHours: 6,
  compression: 0.5,
  reducedAtTarget: false,
  localGigabytes: 800,
  headroom: 10,
  contentTerabytes: 20,
  chunkKibibytes: 1024,
  moveTerabytes: 40,
  diskTerabytes: 16,
  diskMegabytes: 180,
  disksAtOnce: 4,
  transitDays: 2,
  pricePerDisk: 60,
};

const secondsAnHour = 3600;

const orderOf = (f: Figures): SizingOrder => ({
  disk: {
    bytesPerSecondIn: f.inMegabytes * 1e6,
    lineBytesPerSecond: (f.lineMegabits * 1e6) / 8,
    windowSeconds: f.windowHours * secondsAnHour,
    compression: f.compression,
    reducedAtTarget: f.reducedAtTarget,
    localBytes: f.localGigabytes * 1e9,
    headroom: f.headroom / 100,
  },
  contentBytes: f.contentTerabytes * 1e12,
  averageChunkBytes: f.chunkKibibytes * 1024,
  shipping: {
    bytes: f.moveTerabytes * 1e12,
    lineBytesPerSecond: (f.lineMegabits * 1e6) / 8,
    diskBytes: f.diskTerabytes * 1e12,
    diskBytesPerSecond: f.diskMegabytes * 1e6,
    disksAtOnce: f.disksAtOnce,
    transitDays: f.transitDays,
    pricePerDisk: f.pricePerDisk,
  },
});

/** Which kind of target fits, and how large its local disk, its index and its line must be: every figure can be dragged or typed. */
export function SizingPage() {
  usePageTitle("Kind and size of a backup target");
  const { estate, bytes, money } = useEstate();
  const [figures, keep] = useKept<Figures>(`ripen-sizing:${estate.identity}`, usual);
  const order = orderOf(figures);
  const sizing = useQuery({
    queryKey: keys.sizing(order),
    queryFn: ({ signal }) => sizeBackups(order, signal),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const refused = sizing.error instanceof ApiError ? sizing.error.problems : [];
  const said = sizing.data;
  const set = (part: Partial<Figures>) => keep({ ...figures, ...part });
  const drag = (
    part: Exclude<keyof Figures, "reducedAtTarget">,
    label: string,
    unit: string,
    most: number,
    step: number,
    paths: string[] = [],
  ) => (
    <Drag
      key={part}
      label={label}
      unit={unit}
      most={most}
      step={step}
      value={figures[part]}
      error={refused.find((p) => paths.includes(p.path))?.message}
      onChange={(value) => set({ [part]: value })}
    />
  );
  const rate = (perSecond: number) => `${bytes(perSecond)}/s`;
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
      </p>
      <h1 className="text-3xl">Which kind, and how large?</h1>
      <Kind />
      {sizing.error && refused.length === 0 && <ErrorNote error={sizing.error} />}
      <Sheet
        title="The local disk"
        about="What comes in faster than the line takes it gathers in the journal; what is read without the line lies beside it."
        asked={
          <>
            {drag("inMegabytes", "Comes in, content", "MB/s", 1000, 5, ["$.disk.bytesPerSecondIn"])}
            {drag("lineMegabits", "The line", "Mbit/s", 10_000, 50, ["$.disk.lineBytesPerSecond"])}
            {drag("windowHours", "For", "hours", 24, 0.5, ["$.disk.windowSeconds"])}
            {drag("compression", "Left of a byte of content", "", 1, 0.05, ["$.disk.compression"])}
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked={figures.reducedAtTarget}
                onChange={(e) => set({ reducedAtTarget: e.target.checked })}
              />
              Reduced only at the target: the line carries all of it
            </label>
            {drag("localGigabytes", "Read without the line", "GB", 10_000, 50, ["$.disk.localBytes"])}
            {drag("headroom", "Headroom", "%", 100, 5, ["$.disk.headroom"])}
          </>
        }
      >
        {said && (
          <>
            <Row
              what="The line takes, of content"
              how={
                figures.reducedAtTarget
                  ? "what it carries, as it is"
                  : `${rate(order.disk.lineBytesPerSecond)} ÷ ${count(figures.compression)}`
              }
              is={rate(said.disk.drainsPerSecond)}
            />
            <Row
              what="Gathers"
              how={`max(0, ${rate(order.disk.bytesPerSecondIn)} − ${rate(said.disk.drainsPerSecond)})`}
              is={rate(said.disk.gathersPerSecond)}
            />
            <Row
              what="Journal"
              how={`${rate(said.disk.gathersPerSecond)} × ${count(figures.windowHours)} h × ${count(1 + figures.headroom / 100)}`}
              is={bytes(said.disk.journalBytes)}
              strong
            />
            <Row
              what="Empty again after the window"
              how="gathered ÷ what the line takes"
              is={said.disk.drainSeconds === 0 ? "at its end" : `${count(said.disk.drainSeconds / secondsAnHour)} h`}
            />
            <Row
              what="Read share"
              how={`${bytes(order.disk.localBytes)} × ${count(1 + figures.headroom / 100)}`}
              is={bytes(said.disk.readBytes)}
              strong
            />
            <Row what="Disk" how="journal + read share" is={bytes(said.disk.bytes)} strong />
          </>
        )}
      </Sheet>
      <Sheet
        title="The index of a deduplicating pool"
        about="Every chunk of a run is looked up in it, so it should fit into memory."
        asked={
          <>
            {drag("contentTerabytes", "Different content in the pool", "TB", 500, 1, ["$.contentBytes"])}
            {drag("chunkKibibytes", "Average chunk", "KiB", 4096, 64, ["$.averageChunkBytes"])}
          </>
        }
      >
        {said && (
          <>
            <Row
              what="Chunks"
              how={`${bytes(order.contentBytes)} ÷ ${count(figures.chunkKibibytes)} KiB`}
              is={count(said.index.chunks, 0)}
            />
            <Row what="Index" how={`${count(said.index.chunks, 0)} × 72 bytes`} is={bytes(said.index.bytes)} strong />
          </>
        )}
      </Sheet>
      <Sheet
        title="A first load, or a full restore"
        about="Over the same line, or on disks that are copied, sent and copied again."
        asked={
          <>
            {drag("moveTerabytes", "Moves, as it is stored", "TB", 1000, 1, ["$.shipping.bytes"])}
            {drag("diskTerabytes", "A disk holds", "TB", 40, 1, ["$.shipping.diskBytes"])}
            {drag("diskMegabytes", "copied at", "MB/s", 1000, 10, ["$.shipping.diskBytesPerSecond"])}
            {drag("disksAtOnce", "at once", "disks", 24, 1, ["$.shipping.disksAtOnce"])}
            {drag("transitDays", "On the way", "days", 14, 0.5, ["$.shipping.transitDays"])}
            {drag("pricePerDisk", "A disk costs, there and back", estate.priceBook.currency, 500, 5, ["$.shipping.pricePerDisk"])}
          </>
        }
      >
        {said && (
          <>
            <Row
              what="Over the line"
              how={`${bytes(order.shipping.bytes)} ÷ ${rate(order.shipping.lineBytesPerSecond)}`}
              is={`${count(said.shipping.lineDays)} days`}
              strong
            />
            <Row
              what="Disks"
              how={`${bytes(order.shipping.bytes)} ÷ ${bytes(order.shipping.diskBytes)}, rounded up`}
              is={count(said.shipping.disks)}
            />
            <Row
              what="They cost"
              how={`${count(said.shipping.disks)} × ${money(figures.pricePerDisk)}`}
              is={money(said.shipping.price)}
            />
            <Row what="Copied, at both ends" how="twice, disks side by side" is={`${count(said.shipping.copyDays)} days`} />
            <Row
              what="Sent"
              how={`${count(said.shipping.copyDays)} + ${count(figures.transitDays)} days`}
              is={`${count(said.shipping.shippedDays)} days`}
              strong
            />
            <Row
              what="Sending is sooner from"
              how="way ÷ (1 ÷ line − 2 ÷ all disks at once)"
              is={said.shipping.winsFromBytes === null ? "never: the line outruns the disks" : bytes(said.shipping.winsFromBytes)}
            />
          </>
        )}
      </Sheet>
    </div>
  );
}

const writers = [
  { value: "ripen", label: "Ripen itself" },
  { value: "disk", label: "a program that writes to a disk" },
  { value: "tape", label: "a program that knows only tape" },
] as const;

function Kind() {
  const { estate } = useEstate();
  const [asked, keep] = useKept<TargetQuestions>(`ripen-target-advice:${estate.identity}`, {
    writer: "ripen",
    survivesThePlace: true,
    waitHours: 0,
  });
  const advice = useQuery({
    queryKey: keys.targetAdvice(asked),
    queryFn: ({ signal }) => adviseTarget(asked, signal),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <Sheet
      title="Which kind of target for this?"
      about="Three questions, and the kind that fits."
      asked={
        <>
          <fieldset>
            <legend className="text-sm text-ink-soft">The backups are written by</legend>
            {writers.map((writer) => (
              <label key={writer.value} className="flex items-center gap-2">
                <input
                  type="radio"
                  name="writer"
                  value={writer.value}
                  className="accent-(--accent)"
                  checked={asked.writer === writer.value}
                  onChange={() => keep({ ...asked, writer: writer.value })}
                />
                {writer.label}
              </label>
            ))}
          </fieldset>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={asked.survivesThePlace}
              onChange={(e) => keep({ ...asked, survivesThePlace: e.target.checked })}
            />
            must outlive the place where the data is
          </label>
          <Drag
            label="A restore may wait before its first byte"
            unit="hours"
            most={48}
            step={1}
            value={asked.waitHours}
            onChange={(waitHours) => keep({ ...asked, waitHours })}
          />
        </>
      }
    >
      {advice.data && (
        <div className="pt-1">
          <p className="font-serif text-2xl">A {kindNames[advice.data.kind].replace(/^cartridges$/, "library of cartridges")}</p>
          <ul className="mt-1 list-disc pl-5">
            {advice.data.reasons.map((reason) => (
              <li key={reason}>{reason}</li>
            ))}
          </ul>
          <p className="mt-2">
            <Link to="/new-target">Make one</Link>
          </p>
        </div>
      )}
    </Sheet>
  );
}

function Sheet({ title, about, asked, children }: { title: string; about: string; asked: ReactNode; children: ReactNode }) {
  return (
    <section aria-label={title} className="mt-6 border-t border-hairline-strong pt-3">
      <h2 className="text-xl">{title}</h2>
      <p className="text-ink-soft">{about}</p>
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)_minmax(0,1.3fr)] gap-x-12 gap-y-3 max-lg:grid-cols-1">
        <form className="space-y-2" onSubmit={(event) => event.preventDefault()}>
          {asked}
        </form>
        <div aria-live="polite">{children}</div>
      </div>
    </section>
  );
}

type DragProps = {
  label: string;
  unit: string;
  value: number;
  most: number;
  step: number;
  error?: string | undefined;
  onChange: (value: number) => void;
};

/** A figure that is dragged, nudged with the arrow keys, or typed; what is typed may go beyond what can be dragged. */
function Drag({ label, unit, value, most, step, error, onChange }: DragProps) {
  return (
    <Field label={unit ? `${label}, ${unit}` : label} error={error}>
      {(ids) => (
        <span className="flex items-center gap-3">
          <NumberInput {...ids} className="w-24" value={value} onChange={(typed) => typed !== null && onChange(typed)} />
          <input
            type="range"
            aria-label={`Drag: ${label.toLowerCase()}`}
            className="min-w-0 flex-1 accent-(--accent)"
            min={0}
            max={most}
            step={step}
            value={Math.min(value, most)}
            onChange={(event) => onChange(Number(event.target.value))}
          />
        </span>
      )}
    </Field>
  );
}

function Row({ what, how, is, strong = false }: { what: string; how: string; is: string; strong?: boolean }) {
  return (
    <p className="flex items-baseline gap-4 border-t border-hairline py-1">
      <span className="w-56 shrink-0">{what}</span>
      <span className="min-w-0 flex-1 text-sm text-ink-soft">{how}</span>
      <span className={`whitespace-nowrap ${strong ? "font-serif text-lg font-medium" : ""}`}>{is}</span>
    </p>
  );
}
