import type { FullRestoreAtSpeed } from "../../api/client";
import { useEstate } from "../../estate-context";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";
import { span } from "../replication/words";

const height = 240;
const [left, right, top, ground] = [72, 120, 14, height - 34];
const dashes = ["none", "7 3", "2 3", "9 3 2 3"];

/** What has arrived, hour by hour, a line a speed; a line is named where it ends. */
export function RestoreCurve({ speeds }: { speeds: FullRestoreAtSpeed[] }) {
  const { bytes } = useEstate();
  const [ref, width] = useWidth<HTMLDivElement>();
  const hours = Math.max(...speeds.map((s) => s.hours), 1);
  const most = Math.max(...speeds.map((s) => s.curve.at(-1)?.bytes ?? 0), 1);
  const x = linear([0, hours], [left, width - right]);
  const y = linear([0, most], [ground, top]);
  const ticks = [0, 0.25, 0.5, 0.75, 1];
  return (
    <div ref={ref} className="mt-4">
      {width > 0 && (
        <svg
          width={width}
          height={height}
          role="img"
          aria-label="Bytes that have arrived by the hour; the table has the numbers."
        >
          {ticks.map((t) => (
            <g key={t}>
              <line x1={left} x2={width - right} y1={y(t * most)} y2={y(t * most)} stroke="var(--hairline)" />
              <text x={left - 6} y={y(t * most) + 4} fontSize={12} textAnchor="end" fill="var(--ink-soft)">
                {bytes(t * most)}
              </text>
              <text x={x(t * hours)} y={ground + 16} fontSize={12} textAnchor="middle" fill="var(--ink-soft)">
                {t === 0 ? "asked for" : span(t * hours)}
              </text>
            </g>
          ))}
          {speeds.map((s, i) => {
            // What is there stays there.
            const points = [...s.curve, { hour: hours, bytes: s.curve.at(-1)?.bytes ?? 0 }];
            return (
              <g key={s.name}>
                <path
                  d={`M${points.map((p) => `${x(p.hour).toFixed(1)} ${y(p.bytes).toFixed(1)}`).join("L")}`}
                  fill="none"
                  stroke={i === 0 ? "var(--ink)" : "var(--accent)"}
                  strokeWidth={2}
                  strokeDasharray={dashes[i % dashes.length]}
                />
                <path
                  d={`M${width - right + 6} ${top + 12 + i * 18}h22`}
                  stroke={i === 0 ? "var(--ink)" : "var(--accent)"}
                  strokeWidth={2}
                  strokeDasharray={dashes[i % dashes.length]}
                />
                <text x={width - right + 34} y={top + 16 + i * 18} fontSize={12} fill="var(--ink)">
                  {s.name}
                </text>
              </g>
            );
          })}
        </svg>
      )}
    </div>
  );
}
