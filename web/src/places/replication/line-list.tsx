import { useState } from "react";
import { Link, useLocation } from "react-router";
import { changeLine, cutLine, type LineStatus, type RegionReading, restoreLine, type Transfer } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, instant } from "../../format";
import { Button, NumberInput } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
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
            <th />
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

/** What is typed, and the version that it was begun on. */
type Terms = { mbit: number | null; ms: number | null; price: number | null; etag: string; wrong: boolean };

/** What the line was, when the log sent somebody here to take a change of it back. */
function useBroughtLine(line: LineStatus) {
  const brought = (useLocation().state as { line?: Transfer } | null)?.line;
  if (brought?.from !== line.from || brought.to !== line.to) return null;
  return { mbit: brought.megabitsPerSecond ?? null, ms: brought.roundTripMilliseconds ?? null, price: brought.price };
}

function Line({ line, etag }: { line: LineStatus; etag: string }) {
  const { regionName, price } = useEstate();
  const name = `${regionName(line.from)} – ${regionName(line.to)}`;
  const brought = useBroughtLine(line);
  const [terms, setTerms] = useState<Terms | null>(brought && { ...brought, etag, wrong: false });
  const cut = useDeed(() => cutLine(line.from, line.to, null));
  const restore = useDeed(() => restoreLine(line.from, line.to));
  const change = useDeed(
    (t: Terms) =>
      changeLine(
        line.from,
        line.to,
        { price: t.price as number, megabitsPerSecond: t.mbit, roundTripMilliseconds: t.ms },
        t.etag,
      ),
    () => setTerms(null),
  );
  const error = cut.error ?? restore.error ?? change.error;
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
                onChange={(mbit, isEmpty) => setTerms({ ...terms, mbit, wrong: mbit === null && !isEmpty })}
              />
            </td>
            <td>
              <NumberInput
                aria-label={`Milliseconds of ${name}`}
                className="w-24"
                value={terms.ms}
                onChange={(ms, isEmpty) => setTerms({ ...terms, ms, wrong: ms === null && !isEmpty })}
              />
            </td>
            <td>
              <NumberInput
                aria-label={`Price of ${name}`}
                className="w-24"
                value={terms.price}
                onChange={(price) => setTerms({ ...terms, price })}
              />
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
                disabled={change.isPending || terms.wrong || terms.price === null}
                onClick={() => change.mutate(terms)}
              >
                Apply
              </Button>
              <Button kind="quiet" onClick={() => setTerms(null)}>
                Cancel
              </Button>
            </>
          ) : (
            <>
              <Button
                kind="quiet"
                aria-label={`Edit ${name}`}
                onClick={() =>
                  setTerms({
                    mbit: line.megabitsPerSecond ?? null,
                    ms: line.roundTripMilliseconds,
                    price: line.perUnit,
                    etag,
                    wrong: false,
                  })
                }
              >
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
