import type { ScaleLinear } from "d3-scale";

type HeightAxisProps = {
  y: ScaleLinear<number, number>;
  ticks: number;
  /** Where the lines begin and end, in pixels; what they stand for is written before their beginning. */
  from: number;
  to: number;
  words: (value: number) => string;
};

const letterWidth = 7.2;

/** What the words before the lines take, in pixels, and never less than some room. */
export const axisRoom = (y: ScaleLinear<number, number>, ticks: number, words: (value: number) => string, least: number) =>
  Math.max(least, 12 + letterWidth * Math.max(...y.ticks(ticks).map((tick) => words(tick).length)));

/** Lines across a chart at round heights. */
export function HeightAxis({ y, ticks, from, to, words }: HeightAxisProps) {
  return y.ticks(ticks).map((tick) => (
    <g key={tick}>
      <line x1={from} x2={to} y1={y(tick)} y2={y(tick)} stroke="var(--hairline)" />
      <text x={from - 8} y={y(tick) + 4} fontSize={12} fill="var(--ink-soft)" textAnchor="end">
        {words(tick)}
      </text>
    </g>
  ));
}
