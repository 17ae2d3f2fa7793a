import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";

/** A trend without axes, with the as-of month marked; the words beside it carry the numbers. */
export function Sparkline({ values, at, width, height }: { values: number[]; at: number; width: number; height: number }) {
  const x = scaleLinear([0, Math.max(1, values.length - 1)], [3, width - 3]);
  const y = scaleLinear([0, Math.max(...values, 1e-12)], [height - 2, 3]);
  const outline =
    line<number>(
      (_, i) => x(i),
      (v) => y(v),
    )(values) ?? "";
  const ground =
    area<number>(
      (_, i) => x(i),
      y(0),
      (v) => y(v),
    )(values) ?? "";
  return (
    <svg width={width} height={height} aria-hidden="true">
      <path d={ground} fill="var(--paper-deep)" />
      <path d={outline} fill="none" stroke="var(--ink-soft)" strokeWidth="1.2" strokeDasharray="3 2" />
      <circle cx={x(at)} cy={y(values[at] ?? 0)} r="2.6" fill="var(--accent)" />
    </svg>
  );
}
