import { useQuery } from "@tanstack/react-query";
import { type PointReading, readPoints } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { PointBrowser } from "./point-browser";
import { PoolCut } from "./pool-cut";

/** The points of a target, newest first; the opened one is in the address (?point=). */
export function PointList({ id, stamp, stored }: { id: string; stamp: string; stored: number }) {
  const { params, goToAll } = useAddress();
  const opened = params.get("point");
  const points = useQuery({ queryKey: [...keys.points(id), stamp], queryFn: () => readPoints(id), placeholderData: (p) => p });
  if (points.error && !points.data) return <ErrorNote error={points.error} />;
  if (!points.data) return null;
  const { points: all, unreadable } = points.data;
  const most = Math.max(1, ...all.map((p) => p.logicalBytes));
  const chosen = all.find((p) => p.id === opened);
  return (
    <section aria-label="Restore points">
      <h2 className="text-xl">Restore points</h2>
      {all.length === 0 && <p className="text-ink-soft">None yet.</p>}
      {all.length > 0 && <PoolCut points={all} stored={stored} />}
      {all.length > 0 && (
        <table className="mt-1 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">taken</th>
              <th className="pl-2 font-normal">workload</th>
              <th className="text-right font-normal">files</th>
              <th className="text-right font-normal">holds</th>
              <th className="text-right font-normal">new</th>
              <th className="text-right font-normal">stored</th>
              <th className="text-right font-normal">at</th>
              <th className="w-28 pl-4 font-normal">held and stored</th>
            </tr>
          </thead>
          <tbody>
            {all.map((p) => (
              <PointLine
                key={p.id}
                point={p}
                most={most}
                open={p.id === opened}
                onOpen={() => goToAll({ point: p.id === opened ? null : p.id, in: null, since: null })}
              />
            ))}
          </tbody>
        </table>
      )}
      {unreadable.map((u) => (
        <p key={u.path} className="border-l-4 border-bad px-3">
          {u.what}
        </p>
      ))}
      {chosen && (
        <PointBrowser
          key={chosen.id}
          id={id}
          point={chosen}
          earlier={all.filter((p) => p.workload === chosen.workload && p.taken < chosen.taken)}
        />
      )}
    </section>
  );
}

type LineProps = { point: PointReading; most: number; open: boolean; onOpen: () => void };

function PointLine({ point, most, open, onOpen }: LineProps) {
  const { bytes } = useEstate();
  const width = (size: number) => `${Math.max(size > 0 ? 1 : 0, (100 * size) / most)}%`;
  return (
    <tr className={`border-b border-hairline ${open ? "bg-paper-deep" : ""}`}>
      <th scope="row" className="py-1 text-left font-normal">
        <Button kind="quiet" aria-expanded={open} onClick={onOpen}>
          {moment(point.taken)}
        </Button>
        {point.problemCount > 0 && <span className="block pl-1 text-sm text-bad">{count(point.problemCount)} problems</span>}
      </th>
      <td className="pl-2">
        {point.workload}
        {point.isFull != null && (
          <span className="text-sm text-ink-soft">, {point.isFull ? "all of it" : "what had changed"}</span>
        )}
        {point.keptUntil != null && (
          <span className="block text-sm text-ink-soft">
            {point.plan}, until {day(point.keptUntil)}
          </span>
        )}
      </td>
      <td className="pl-3 text-right whitespace-nowrap">{count(point.files)}</td>
      <td className="pl-3 text-right whitespace-nowrap">{bytes(point.logicalBytes)}</td>
      <td className="pl-3 text-right whitespace-nowrap">{bytes(point.newBytes)}</td>
      <td className="pl-3 text-right whitespace-nowrap">{bytes(point.storedBytes)}</td>
      <td className="pl-3 text-right whitespace-nowrap text-ink-soft">
        {point.bytesPerSecond ? `${bytes(point.bytesPerSecond)}/s` : ""}
      </td>
      <td className="pl-4">
        <span aria-hidden="true" className="flex flex-col gap-0.5">
          <span className="h-1.5 border border-ink-soft" style={{ width: width(point.logicalBytes) }} />
          <span className="h-1.5 bg-accent" style={{ width: width(point.storedBytes) }} />
        </span>
      </td>
    </tr>
  );
}
