import { linear } from "./linear";

/** A trend without axes, with the as-of month marked; the words beside it carry the numbers. */
export function Sparkline({ values, at, width, height }: { values: number[]; at: number; width: number; height: number }) {
  const x = linear([0, Math.max(1, values.length - 1)], [3, width - 3]);
  const y = linear([0, Math.max(...values, 1e-12)], [height - 2, 3]);
  const outline = `M${values.map((v, i) => `${x(i).toFixed(1)} ${y(v).toFixed(1)}`).join("L")}`;
  const ground = `${outline}L${x(values.length - 1).toFixed(1)} ${y(0)}L${x(0)} ${y(0)}Z`;
  return (
    <svg width={width} height={height} aria-hidden="true">
      <path d={ground} fill="var(--paper-deep)" />
      <path d={outline} fill="none" stroke="var(--ink-soft)" strokeWidth="1.2" strokeDasharray="3 2" />
      <circle cx={x(at)} cy={y(values[at] ?? 0)} r="2.6" fill="var(--accent)" />
    </svg>
  );
}
