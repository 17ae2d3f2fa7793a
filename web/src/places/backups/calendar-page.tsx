import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import { Link } from "react-router";
import { readCalendar, readPlannedPoints, readWorkloads } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day } from "../../format";
import { useAsOf } from "../../rail/as-of";
import { useAddress } from "../../ui/address";
import { Figure, Select } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { SavePicture } from "../../ui/save-picture";
import { LifeLines, textureOf } from "./life-lines";
import { useTargets } from "./use-backups";

const spans = [
  { value: "1", label: "a year" },
  { value: "3", label: "three years" },
  { value: "10", label: "ten years" },
];

/** Every restore point's life, as a picture under the as-of day and as a table of what can be restored on it. */
export function CalendarPage() {
  usePageTitle("Calendar of restore points");
  const { estate, bytes } = useEstate();
  const { day: asOf, projected } = useAsOf(estate.months);
  const { params, set } = useAddress();
  const years = Number(params.get("span") ?? "1");
  const on = projected ? asOf : null;
  const calendar = useQuery({
    queryKey: keys.calendar(years),
    queryFn: () => readCalendar(years),
    placeholderData: keepPreviousData,
  });
  const points = useQuery({
    queryKey: keys.plannedPoints(on),
    queryFn: () => readPlannedPoints(on),
    placeholderData: keepPreviousData,
  });
  const workloads = useQuery({ queryKey: keys.workloads(null), queryFn: () => readWorkloads(null) });
  const targets = useTargets();
  const frame = useRef<HTMLDivElement>(null);
  const used = useMemo(() => [...new Set(calendar.data?.rows.map((r) => r.target) ?? [])], [calendar.data]);
  if (calendar.error && !calendar.data) return <ErrorPage what="Calendar of restore points" error={calendar.error} />;
  if (!calendar.data || !workloads.data || !targets.data || !points.data) return <div className="h-96" />;
  const workloadName = (id: string) => workloads.data?.value.workloads.find((w) => w.id === id)?.name ?? id;
  const targetName = (id: string) => targets.data?.value.targets.find((t) => t.target.id === id)?.target.name ?? id;
  const shown = points.data.toSorted((a, b) => b.taken.localeCompare(a.taken) || a.workload.localeCompare(b.workload));
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-1 pt-5">
        <h1 className="text-3xl">Calendar of restore points</h1>
        <Link to="/plans">Plans</Link>
        <span className="text-sm text-ink-soft">
          ahead{" "}
          <Select
            aria-label="How far ahead"
            value={String(years)}
            options={spans}
            onChange={(e) => set("span", e.target.value === "1" ? null : e.target.value)}
          />
        </span>
        <a href="/api/plans/calendar.ics" download>
          iCalendar
        </a>
        <a href={`/api/plans/points.csv${on ? `?on=${on}` : ""}`} download>
          CSV
        </a>
        <SavePicture of={frame} name="restore points" />
      </div>
      {calendar.data.rows.length === 0 ? (
        <p className="mt-5 max-w-2xl text-ink-soft">
          There are no points, and none to come: <Link to="/plans/new">make a plan</Link>.
        </p>
      ) : (
        <>
          <p className="mt-2 max-w-4xl text-sm text-ink-soft">
            Every line is the life of a point, heavier the longer it lives; pale ones are still to be taken. A red rail above a
            band: there the newest point is older than was agreed.
          </p>
          <ul className="mt-1 flex flex-wrap gap-x-6 text-sm" aria-label="Lines by target">
            {used.map((target) => (
              <li key={target} className="flex items-center gap-2">
                <svg width={36} height={6} aria-hidden="true">
                  <line
                    x1={0}
                    x2={36}
                    y1={3}
                    y2={3}
                    stroke="var(--ink)"
                    strokeWidth={2}
                    strokeDasharray={textureOf(used, target)}
                  />
                </svg>
                {targetName(target)}
              </li>
            ))}
          </ul>
          <div ref={frame} className="mt-2">
            <LifeLines calendar={calendar.data} targets={used} workloadName={workloadName} on={asOf} />
          </div>
          <h2 className="mt-6 text-xl">
            {projected ? `What can be restored on ${day(asOf)}` : "What can be restored today"}: {shown.length} points
          </h2>
          <table className="mt-1 w-full">
            <thead className="text-left text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 font-normal">taken</th>
                <th className="font-normal">workload</th>
                <th className="font-normal">in</th>
                <th className="font-normal">kept until</th>
                <th className="text-right font-normal">gives back</th>
                <th className="text-right font-normal">its run stored</th>
                <th className="text-right font-normal">goes with it alone</th>
              </tr>
            </thead>
            <tbody>
              {shown.slice(0, most).map((p) => (
                <tr key={`${p.plan} ${p.target} ${p.workload} ${p.taken}`} className="border-b border-hairline">
                  <td className="py-1">
                    <Link
                      to={`/plans/${p.plan}?workload=${p.workload}&target=${p.target}&taken=${p.taken}${on ? `&on=${on}` : ""}#restore`}
                    >
                      {day(p.taken)}
                    </Link>
                  </td>
                  <td>{workloadName(p.workload)}</td>
                  <td>{targetName(p.target)}</td>
                  <td>{p.freedBytes == null ? "the newest: as long as it is" : day(p.keptUntil)}</td>
                  <td className="text-right">
                    <Figure projected={projected}>{bytes(p.logicalBytes)}</Figure>
                  </td>
                  <td className="text-right">
                    <Figure projected={projected}>{bytes(p.addedBytes)}</Figure>
                  </td>
                  <td className="text-right">{p.freedBytes == null ? "–" : bytes(p.freedBytes)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {shown.length > most && <p className="mt-2 text-sm text-ink-soft">{shown.length - most} more are in the CSV file.</p>}
        </>
      )}
    </div>
  );
}

const most = 300;
