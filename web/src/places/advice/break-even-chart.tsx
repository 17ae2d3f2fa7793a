import type { BreakEvenCurve } from "../../api/client";
import { tierOf, useEstate } from "../../estate-context";
import { tierColour } from "../../strip/tiers";
import { linear } from "../../ui/linear";
import { useWidth } from "../../ui/use-width";

const height = 340;
const [left, right, top, ground] = [72, 190, 14, height - 34];
const days = [1, 7, 30, 90, 365, 1095, 3650];
const sizes = [1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9];
const dashes = ["none", "7 3", "2 3", "9 3 2 3"];

/** Break-even size by stay, both in powers of ten; a line is named where it ends. */
export function BreakEvenChart({ curves }: { curves: BreakEvenCurve[] }) {
  const { bytes, prices } = useEstate();
  const [ref, width] = useWidth<HTMLDivElement>();
  const x = linear([0, Math.log10(3650)], [left, width - right]);
  const y = linear([3, 9], [ground, top]);
  const atDay = (d: number) => x(Math.log10(d));
  const atSize = (b: number) => y(Math.min(9, Math.max(3, Math.log10(Math.max(b, 1)))));
  const lines = named(
    curves.flatMap((curve) => {
      const points = curve.sizes
        .filter((s) => s.bytes != null && s.bytes <= 1e9)
        .map((s) => [s.staysDays, s.bytes ?? 0] as const);
      const last = points.at(-1);
      return last === undefined ? [] : [{ curve, points, end: atSize(last[1]) }];
    }),
  );
  return (
    <div ref={ref} className="mt-4">
      {width > 0 && (
        <svg width={width} height={height} role="img" aria-label="Break-even sizes by stay; the table below has the numbers.">
          {sizes.map((b) => (
            <g key={b}>
              <line x1={left} x2={width - right} y1={atSize(b)} y2={atSize(b)} stroke="var(--hairline)" />
              <text x={left - 6} y={atSize(b) + 4} fontSize={12} textAnchor="end" fill="var(--ink-soft)">
                {bytes(b)}
              </text>
            </g>
          ))}
          {days.map((d) => (
            <g key={d}>
              <line x1={atDay(d)} x2={atDay(d)} y1={top} y2={ground} stroke="var(--hairline)" />
              <text x={atDay(d)} y={ground + 16} fontSize={12} textAnchor="middle" fill="var(--ink-soft)">
                {d}
              </text>
            </g>
          ))}
          <text x={width - right} y={height - 2} fontSize={12} textAnchor="end" fill="var(--ink-soft)">
            days in the colder tier
          </text>
          {lines.map(({ curve, points, label }) => {
            const [from, to] = [tierOf(prices, curve.from), tierOf(prices, curve.to)];
            const dash = dashes[from.place % dashes.length];
            const colour = tierColour(to.place, prices.tiers.length);
            return (
              <g key={`${curve.from} ${curve.to}`}>
                <path
                  d={`M${points.map(([d, b]) => `${atDay(d).toFixed(1)} ${atSize(b).toFixed(1)}`).join("L")}`}
                  fill="none"
                  stroke={colour}
                  strokeWidth={2}
                  strokeDasharray={dash}
                />
                <path
                  d={`M${width - right + 2} ${atSize(points.at(-1)?.[1] ?? 0)}L${width - right + 12} ${label}`}
                  stroke="var(--hairline-strong)"
                />
                <text x={width - right + 16} y={label + 4} fontSize={12} fill="var(--ink)">
                  {from.name} to {to.name}
                </text>
              </g>
            );
          })}
        </svg>
      )}
    </div>
  );
}

/** Names stand beside the ends of their lines, pushed apart where they would touch. */
function named<T extends { end: number }>(lines: T[]): (T & { label: number })[] {
  let free = top;
  return lines
    .toSorted((a, b) => a.end - b.end)
    .map((line) => {
      const label = Math.max(line.end, free);
      free = label + 16;
      return { ...line, label };
    });
}
