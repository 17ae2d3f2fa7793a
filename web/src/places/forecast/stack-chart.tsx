import { scaleLinear } from "d3-scale";
import { area, stack, stackOffsetDiverging } from "d3-shape";
import type { ForecastSeries, SplitBy } from "../../api/client";
import { tierOf, useEstate } from "../../estate-context";
import { month } from "../../format";
import { Opens } from "../../money/opens";
import { tierColour, tierFill } from "../../strip/tiers";
import { Figure } from "../../ui/controls";
import { axisRoom, HeightAxis } from "../../ui/height-axis";
import { SavePicture } from "../../ui/save-picture";
import { useChartReading } from "../../ui/use-chart-reading";
import { useWidth } from "../../ui/use-width";
import type { Shown } from "./forecast-place";

const height = 300;
const margin = { top: 14, right: 150, bottom: 24, left: 84 };
const textures = 4;
const lineHeight = 16;

type ChartProps = { series: ForecastSeries; shown: Shown; by: SplitBy; asOf: number };

/** The lines of a forecast stacked by month; hover or the arrow keys read a month out. */
export function StackChart({ series, shown, by, asOf }: ChartProps) {
  const { prices, money, bytes } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const values = (line: ForecastSeries["lines"][number]) => (shown === "money" ? line.money : (line.bytes ?? []));
  const words = shown === "money" ? money : bytes;
  const totals = shown === "money" ? series.money : series.bytes;
  const last = series.months.length - 1;

  // What is taken off the bill hangs below nothing.
  const layers = stack<number, number>()
    .offset(stackOffsetDiverging)
    .keys(series.lines.map((_, i) => i))
    .value((m, i) => values(series.lines[i] as ForecastSeries["lines"][number])[m] ?? 0)(series.months.map((_, m) => m));
  const edges = layers.flatMap((layer) => layer.flat());
  const y = scaleLinear([0, Math.max(...edges, 1e-9)], [height - margin.bottom, margin.top]).nice(5);
  y.domain([Math.min(0, ...edges), y.domain()[1] ?? 0]);
  const left = axisRoom(y, 5, words, margin.left);
  const x = scaleLinear([0, Math.max(1, last)], [left, Math.max(left + 1, width - margin.right)]);
  const { at, isRead, handlers } = useChartReading(last, asOf, 12, x.invert);
  const shape = area<[number, number]>(
    (_, m) => x(m),
    (d) => y(d[0]),
    (d) => y(d[1]),
  );
  const fill = (i: number) => {
    const line = series.lines[i];
    if (line?.key === "*") return "var(--ink-soft)";
    const place = by === "tier" && line ? tierOf(prices, line.key).place : -1;
    if (place >= 0) return tierFill(place);
    return `url(#layer-${i})`;
  };
  const readingWords = `${month(series.months[at] ?? "")}: ${words(totals[at] ?? 0)} in all; ${series.lines.map((l) => `${l.name} ${words(values(l)[at] ?? 0)}`).join(", ")}`;
  const yearTicks = series.months.flatMap((m, i) =>
    m.endsWith("-01") && Number(m.slice(0, 4)) % Math.max(1, Math.ceil(last / 120)) === 0 ? [i] : [],
  );
  return (
    <div ref={box} className="relative pt-4">
      <span className="absolute top-0 right-0">{width > 0 && <SavePicture of={box} name={`forecast-${shown}-by-${by}`} />}</span>
      {width > 0 && (
        <div
          role="slider"
          tabIndex={0}
          aria-label={`Forecast of ${shown} by month, read month by month with the arrow keys`}
          aria-valuemin={0}
          aria-valuemax={last}
          aria-valuenow={at}
          aria-valuetext={readingWords}
          {...handlers}
        >
          <svg width={width} height={height} className="block" aria-hidden="true">
            <LayerPatterns count={series.lines.length} />
            <HeightAxis y={y} ticks={5} from={left} to={width - margin.right} words={words} />
            {layers.map((layer, i) => (
              <path key={series.lines[i]?.key} d={shape(layer as unknown as [number, number][]) ?? ""} fill={fill(i)} />
            ))}
            {yearTicks.map((i) => (
              <text key={i} x={x(i)} y={height - 6} fontSize={12} fill="var(--ink-soft)" textAnchor="middle">
                {series.months[i]?.slice(0, 4)}
              </text>
            ))}
            <EndLabels
              series={series}
              tops={layers.map((layer) => layer[last] as unknown as [number, number])}
              y={y}
              x={width - margin.right + 8}
              fill={fill}
            />
            <line
              x1={x(at)}
              x2={x(at)}
              y1={margin.top}
              y2={height - margin.bottom}
              stroke="var(--ink)"
              strokeDasharray={!isRead ? "2 3" : ""}
            />
            <circle cx={x(at)} cy={y(totals[at] ?? 0)} r={4} fill="var(--paper)" stroke="var(--ink)" strokeWidth={1.6} />
          </svg>
        </div>
      )}
      <output className="block min-h-12 py-2 text-sm" aria-label="Reading">
        <span className="font-serif text-lg">
          {month(series.months[at] ?? "")}:{" "}
          {shown === "money" ? (
            <Opens why={{ month: series.months[at] ?? "" }} label={`${money(totals[at] ?? 0)} in that month`}>
              <Figure projected>{money(totals[at] ?? 0)}</Figure>
            </Opens>
          ) : (
            <Figure projected>{bytes(totals[at] ?? 0)}</Figure>
          )}
        </span>
        <span className="ml-4 text-ink-soft">
          {series.lines.map((line) => `${line.name} ${words(values(line)[at] ?? 0)}`).join(" · ")}
        </span>
      </output>
    </div>
  );
}

/** The names of the layers at the chart's right end, pushed apart where they would touch. */
function EndLabels(props: {
  series: ForecastSeries;
  tops: [number, number][];
  y: (v: number) => number;
  x: number;
  fill: (i: number) => string;
}) {
  const middles = props.tops.map(([low, high]) => (props.y(low) + props.y(high)) / 2);
  const byHeight = [...middles.keys()].sort((a, b) => (middles[b] ?? 0) - (middles[a] ?? 0) || a - b);
  const placed: number[] = [];
  let next = height - margin.bottom;
  for (const i of byHeight) {
    placed[i] = Math.min(middles[i] ?? 0, next);
    next = placed[i] - lineHeight;
  }
  next = margin.top + 6;
  for (const i of byHeight.toReversed()) {
    placed[i] = Math.max(placed[i] ?? 0, next);
    next = placed[i] + lineHeight;
  }
  return props.series.lines.map((line, i) => (
    <g key={line.key} transform={`translate(${props.x} ${placed[i]})`}>
      <rect y={-6} width={11} height={11} rx={2} fill={props.fill(i)} />
      <text x={16} y={4} fontSize={12} fill="var(--ink)">
        {line.name.length > 20 ? `${line.name.slice(0, 19)}…` : line.name}
      </text>
    </g>
  ));
}

/** Fills for charges and buckets: the ramp's colours in turn, each round with another texture. */
function LayerPatterns({ count }: { count: number }) {
  return (
    <defs>
      {Array.from({ length: count }, (_, i) => (
        <pattern
          key={i}
          id={`layer-${i}`}
          width="8"
          height="8"
          patternUnits="userSpaceOnUse"
          patternTransform={i % 2 ? "rotate(45)" : ""}
        >
          <rect width="8" height="8" fill={tierColour(i, Math.max(count, textures))} />
          {i % 3 === 1 && <path d="M0 4H8" stroke="var(--texture)" strokeWidth="1.5" />}
          {i % 3 === 2 && <circle cx="4" cy="4" r="1.4" fill="var(--texture)" />}
        </pattern>
      ))}
    </defs>
  );
}
