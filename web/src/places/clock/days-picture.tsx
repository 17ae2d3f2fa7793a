import { useRef } from "react";
import type { DayRun } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";
import { linear } from "../../ui/linear";
import { SavePicture } from "../../ui/save-picture";
import { useWidth } from "../../ui/use-width";

const rowHeight = 58;
const left = 84;

/** What every daily run did, one row for each kind of work, day above day. The table beside it has the same numbers. */
export function DaysPicture({ runs }: { runs: DayRun[] }) {
  const { money } = useEstate();
  const frame = useRef<HTMLDivElement>(null);
  const [box, width] = useWidth<HTMLDivElement>();
  const days = runs.toReversed();
  const rows = [
    { label: "arrived", of: (r: DayRun) => r.arrived, show: (n: number) => count(n, 0) },
    { label: "copied", of: (r: DayRun) => r.copied, show: (n: number) => count(n, 0) },
    { label: "moved", of: (r: DayRun) => r.moved, show: (n: number) => count(n, 0) },
    { label: "expired", of: (r: DayRun) => r.expired, show: (n: number) => count(n, 0) },
    { label: "charged", of: (r: DayRun) => r.amount, show: money },
  ];
  const height = rows.length * rowHeight + 20;
  const x = linear([0, days.length], [left, Math.max(left + 1, width - 8)]);
  const bar = Math.max(1, x(1) - x(0) - 1);
  return (
    <div ref={frame}>
      <div ref={box} style={{ minHeight: height }}>
        {width > 0 && (
          <svg
            width={width}
            height={height}
            role="img"
            aria-label={`Daily runs from ${day(days[0]?.day ?? "")} to ${day(days.at(-1)?.day ?? "")}`}
          >
            {rows.map((row, at) => {
              const most = Math.max(...days.map(row.of), 0);
              const ground = (at + 1) * rowHeight;
              const y = linear([0, most || 1], [ground, at * rowHeight + 16]);
              return (
                <g key={row.label}>
                  <text x={0} y={ground - 18} fontSize={13} fill="var(--ink)">
                    {row.label}
                  </text>
                  <text x={0} y={ground - 2} fontSize={12} fill="var(--ink-soft)">
                    {most > 0 ? `≤ ${row.show(most)}` : "none"}
                  </text>
                  <line x1={left} x2={width - 8} y1={ground} y2={ground} stroke="var(--hairline-strong)" />
                  {days.map((run, i) => (
                    <rect
                      key={run.day}
                      x={x(i)}
                      width={bar}
                      y={y(Math.max(0, row.of(run)))}
                      height={ground - y(Math.max(0, row.of(run)))}
                      fill="var(--ink-soft)"
                    >
                      <title>{`${day(run.day)}: ${row.show(row.of(run))} ${row.label}`}</title>
                    </rect>
                  ))}
                </g>
              );
            })}
            <text x={left} y={height - 4} fontSize={12} fill="var(--ink-soft)">
              {day(days[0]?.day ?? "")}
            </text>
            <text x={width - 8} y={height - 4} fontSize={12} fill="var(--ink-soft)" textAnchor="end">
              {day(days.at(-1)?.day ?? "")}
            </text>
          </svg>
        )}
      </div>
      {width > 0 && <SavePicture of={frame} name="daily-runs" />}
    </div>
  );
}
