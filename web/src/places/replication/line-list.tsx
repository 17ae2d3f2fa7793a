import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import {
  changeLine,
  cutLine,
  type LineStatus,
  type RegionReading,
  readLineDraft,
  restoreLine,
  type Transfer,
} from "../../api/client";
import { keys } from "../../api/keys";
import { MergeNote } from "../../draft/merge-note";
import { useStoredDraft } from "../../draft/use-stored-draft";
import { useEstate } from "../../estate-context";
import { count, instant } from "../../format";
import { YearTable } from "../../money/year-table";
import { Button, NumberInput } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { useDeed } from "./use-replication";

type LinesProps = { lines: LineStatus[]; regions: RegionReading[]; etag: string };

/** Regions, and the lines between them as the price book has them: bandwidth, latency, price; and whether anything passes. */
export function LineList({ lines, regions, etag }: LinesProps) {
  return (
    <section aria-label="Lines between regions" className="mt-10">
      <h2 className="text-xl">Lines between regions</h2>
      <p className="text-sm text-ink-soft">
        What it would mean to lose one:{" "}
        {regions.map((region, i) => (
          <span key={region.id}>
            {i > 0 && ", "}
            <Link to={`/replication/regions/${region.id}`}>{region.name}</Link>
            {region.lostSince && <strong className="text-bad"> (lost)</strong>}
          </span>
        ))}
        .
      </p>
      <table className="mt-2 w-full max-w-5xl text-right">
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">line</th>
            <th className="pl-6 font-normal">Mbit/s</th>
            <th className="pl-6 font-normal">ms there and back</th>
            <th className="pl-6 font-normal">price of a unit</th>
            <th className="pl-6 font-normal">rules</th>
            <th className="pl-8 text-left font-normal">state</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <Line key={`${line.from} ${line.to}`} line={line} etag={etag} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What is typed of a line; null where nothing, or no number, is. */
type Terms = { mbit: number | null; ms: number | null; price: number | null };

const termsOf = (line: Pick<Transfer, "megabitsPerSecond" | "roundTripMilliseconds" | "price">): Terms => ({
  mbit: line.megabitsPerSecond ?? null,
  ms: line.roundTripMilliseconds ?? null,
  price: line.price,
});

/** As the price book has it. Without a price Apply is out of use. */
const termsToTransfer = (t: Terms) => ({
  price: t.price as number,
  megabitsPerSecond: t.mbit,
  roundTripMilliseconds: t.ms,
});

/** The draft of a line, which takes up what it was when the log or a confirmation sent somebody here to take a change back. */
function useLineDraft(line: LineStatus, etag: string) {
  const { estate } = useEstate();
  const navigate = useNavigate();
  const draft = useStoredDraft<Terms>({
    storageKey: `ripen-draft:${estate.identity}:line:${line.from}~${line.to}`,
    current: { etag, value: termsOf({ ...line, price: line.perUnit }) },
  });
  const brought = (useLocation().state as { line?: Transfer } | null)?.line;
  const own = brought?.from === line.from && brought.to === line.to ? brought : null;
  const taken = useRef<Transfer | null>(null);
  useEffect(() => {
    if (!own || taken.current === own) return;
    taken.current = own;
    draft.bring(termsOf(own));
    void navigate("/replication", { replace: true, state: null });
  });
  return draft;
}

function Line({ line, etag }: { line: LineStatus; etag: string }) {
  const { regionName, price } = useEstate();
  const navigate = useNavigate();
  const name = `${regionName(line.from)} – ${regionName(line.to)}`;
  const draft = useLineDraft(line, etag);
  const [opened, setOpened] = useState(false);
  const [wrong, setWrong] = useState({ mbit: false, ms: false, price: false });
  const terms = opened || draft.changed ? (draft.value as Terms) : null;
  const set = (part: keyof Terms) => (value: number | null, isEmpty: boolean) => {
    setWrong((now) => ({ ...now, [part]: value === null && !isEmpty }));
    draft.edit((t) => ({ ...t, [part]: value }));
  };
  const close = () => {
    draft.discard();
    setOpened(false);
    setWrong({ mbit: false, ms: false, price: false });
  };
  const cut = useDeed(() => cutLine(line.from, line.to, null));
  const restore = useDeed(() => restoreLine(line.from, line.to));
  const before = { from: line.from, to: line.to, ...termsToTransfer(termsOf({ ...line, price: line.perUnit })) };
  // What stands under the terms when they are applied.
  const seen = useRef<string | null>(null);
  const change = useDeed(
    (t: Terms) => changeLine(line.from, line.to, termsToTransfer(t), draft.base?.etag ?? etag, seen.current),
    () => {
      close();
      done(`Applied to ${name}.`, {
        label: "Undo",
        onClick: () => void navigate("/replication", { state: { line: before } }),
      });
    },
  );
  const inOrder = terms !== null && terms.price !== null && !Object.values(wrong).some(Boolean);
  const reading = useQuery({
    queryKey: keys.lineDraft(line.from, line.to, terms),
    queryFn: ({ signal }) => readLineDraft(line.from, line.to, termsToTransfer(terms as Terms), signal),
    enabled: inOrder && draft.changed,
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
  });
  const answered = reading.data !== undefined && !reading.isPlaceholderData && !reading.isFetching && !reading.error;
  seen.current = answered ? reading.data.seen : null;
  const error = cut.error ?? restore.error ?? change.error ?? (draft.changed ? reading.error : null);
  return (
    <>
      <tr className="border-b border-hairline">
        <th scope="row" className="py-1.5 text-left font-normal">
          {name}
        </th>
        {terms ? (
          <>
            <td>
              <NumberInput
                aria-label={`Mbit/s of ${name}; empty without a limit`}
                className="w-24"
                value={terms.mbit}
                onChange={set("mbit")}
              />
            </td>
            <td>
              <NumberInput aria-label={`Milliseconds of ${name}`} className="w-24" value={terms.ms} onChange={set("ms")} />
            </td>
            <td>
              <NumberInput aria-label={`Price of ${name}`} className="w-24" value={terms.price} onChange={set("price")} />
            </td>
          </>
        ) : (
          <>
            <td>{line.megabitsPerSecond == null ? "no limit" : count(line.megabitsPerSecond)}</td>
            <td>{count(line.roundTripMilliseconds)}</td>
            <td>{price(line.perUnit)}</td>
          </>
        )}
        <td>{line.rules}</td>
        <td className={`pl-8 text-left ${line.state === "open" ? "" : "font-semibold text-bad"}`}>
          {line.state === "open"
            ? "open"
            : `${line.state} since ${instant(line.since ?? "")}${line.until ? `, until ${instant(line.until)}` : ""}`}
        </td>
        <td>
          {terms ? (
            <>
              <Button
                kind="quiet"
                disabled={change.isPending || !draft.changed || draft.merged !== null || !inOrder || !answered}
                onClick={() => change.mutate(terms)}
              >
                Apply
              </Button>
              <Button kind="quiet" onClick={close}>
                Cancel
              </Button>
            </>
          ) : (
            <>
              <Button kind="quiet" aria-label={`Edit ${name}`} onClick={() => setOpened(true)}>
                Edit
              </Button>
              {line.state === "cut" && (
                <Button kind="quiet" aria-label={`Restore ${name}`} onClick={() => restore.mutate(undefined)}>
                  Restore
                </Button>
              )}
              {line.state === "open" && (
                <Button kind="quiet" aria-label={`Cut ${name}`} onClick={() => cut.mutate(undefined)}>
                  Cut
                </Button>
              )}
            </>
          )}
        </td>
      </tr>
      {draft.changed && reading.data && (
        <tr data-stale={!answered} data-testid="line-consequences">
          <td colSpan={7} className="max-w-md py-2 text-left text-sm">
            <YearTable
              caption="The estate's cost a year"
              cost={reading.data.cost}
              of="estate"
              opens={{}}
              assume={answered ? reading.data.assume : undefined}
            />
          </td>
        </tr>
      )}
      {draft.merged && (
        <tr>
          <td colSpan={7} className="text-left">
            <MergeNote what="line" draft={draft} merged={draft.merged} />
          </td>
        </tr>
      )}
      {error && (
        <tr>
          <td colSpan={7} className="text-left">
            <ErrorNote error={error} />
          </td>
        </tr>
      )}
    </>
  );
}
