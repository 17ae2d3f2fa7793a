import type { KeepingReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";

const height = 150;
const left = 76;
const ground = height - 22;
const top = 20;

/** By month: what may go from then on as an outline, what rules let go filled beside it. */
export function KeepingChart({ months }: { months: KeepingReading["calendar"]["months"] }) {
  const { bytes } = useEstate();
  const [ref, width] = useWidth<HTMLDivElement>();
  const most = Math.max(1, ...months.flatMap((m) => [m.freedBytes, m.expiringBytes]));
  const y = linear([0, most], [ground, top]);
  const step = Math.max(1, (width - left) / Math.max(1, months.length));
  const bar = Math.max(1, step * 0.36);
  const every = Math.max(1, Math.ceil(64 / step));
  return (
    <div ref={ref} className="mt-3">
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`By month, at most ${bytes(Math.max(...months.map((m) => m.freedBytes)))} may go and ${bytes(Math.max(...months.map((m) => m.expiringBytes)))} expire.`}
      >
        {[0.5, 1].map((part) => (
          <g key={part}>
            <line x1={left} x2={width} y1={y(most * part)} y2={y(most * part)} stroke="var(--hairline)" />
            <text x={left - 6} y={y(most * part) + 4} fontSize="12" textAnchor="end" fill="var(--ink-soft)">
              {bytes(most * part)}
            </text>
          </g>
        ))}
        {months.map((m, i) => (
          <g key={m.month} transform={`translate(${left + i * step} 0)`}>
            {m.freedBytes > 0 && (
              <rect
                x={step * 0.08}
                width={bar}
                y={y(m.freedBytes)}
                height={ground - y(m.freedBytes)}
                fill="none"
                stroke="var(--ink)"
              />
            )}
            {m.expiringBytes > 0 && (
              <rect
                x={step * 0.52}
                width={bar}
                y={y(m.expiringBytes)}
                height={ground - y(m.expiringBytes)}
                fill="var(--accent)"
              />
            )}
            {i % every === 0 && (
              <text x={2} y={height - 6} fontSize="12" fill="var(--ink-soft)">
                {month(m.month, "short")}
              </text>
            )}
          </g>
        ))}
        <line x1={left} x2={width} y1={ground} y2={ground} stroke="var(--hairline-strong)" />
        <rect x={left} y={2} width={10} height={10} fill="none" stroke="var(--ink)" />
        <text x={left + 16} y={11} fontSize="12" fill="var(--ink)">
          may go from then on
        </text>
        <rect x={left + 150} y={2} width={10} height={10} fill="var(--accent)" />
        <text x={left + 166} y={11} fontSize="12" fill="var(--ink)">
          expires
        </text>
      </svg>
    </div>
  );
}
