import { scaleLinear } from "d3-scale";
import type { ScenarioOutlook } from "../../api/client";
import { useEstate } from "../../estate-context";
import { axisRoom, HeightAxis } from "../../ui/height-axis";
import { SavePicture } from "../../ui/save-picture";
import { useChartReading } from "../../ui/use-chart-reading";
import { useWidth } from "../../ui/use-width";

const height = 230;
const margin = { top: 12, right: 168, bottom: 24, left: 64 };
const labelHeight = 16;
const dashes = ["", "7 4", "2 3", "10 3 2 3", "4 4", "12 5", "1 4", "6 2 1 2", "3 6", "14 3", "5 5 1 5", "8 8"];

/** @param name of the picture's file. */
type ChartProps = { outlooks: Pick<ScenarioOutlook, "id" | "name" | "years">[]; chosen: string; name?: string };

/** What each year costs, a line for each; the arrow keys read it year by year. */
export function OutlookChart({ outlooks, chosen, name = "what-if" }: ChartProps) {
  const { money } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const lines = outlooks.filter((o) => o.years.length > 0);
  const years = lines[0]?.years ?? [];
  const most = Math.max(1e-9, ...lines.flatMap((l) => l.years.map((y) => y.money)));
  const y = scaleLinear()
    .domain([0, most])
    .nice(4)
    .range([height - margin.bottom, margin.top]);
  const left = axisRoom(y, 4, money, margin.left);
  const x = scaleLinear()
    .domain([0, Math.max(1, years.length - 1)])
    .range([left, Math.max(left + 1, width - margin.right)]);
  const { at: year, isRead, handlers } = useChartReading(years.length - 1, years.length - 1, 5, x.invert);
  const reading = lines.map((l) => `${l.name} ${money(l.years[year]?.money ?? 0)}`).join(", ");
  return (
    <div ref={box} className="relative">
      {width > 0 && years.length > 0 && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Cost a year, read with the arrow keys"
          aria-valuemin={1}
          aria-valuemax={years.length}
          aria-valuenow={year + 1}
          aria-valuetext={`year ${year + 1}: ${reading}`}
          {...handlers}
        >
          <svg width={width} height={height} className="block" aria-hidden="true">
            <HeightAxis y={y} ticks={4} from={left} to={width - margin.right} words={money} />
            {years.map((of, i) => (
              <text key={of.number} x={x(i)} y={height - 6} fontSize={12} fill="var(--ink-soft)" textAnchor="middle">
                {i === 0 ? `year ${of.number}` : of.number}
              </text>
            ))}
            {lines.map((line, i) => (
              <polyline
                key={line.id}
                points={line.years.map((of, n) => `${x(n)},${y(of.money)}`).join(" ")}
                fill="none"
                stroke={line.id === chosen ? "var(--accent)" : "var(--ink)"}
                strokeWidth={line.id === chosen ? 2.6 : 1.4}
                strokeDasharray={dashes[i % dashes.length]}
              />
            ))}
            {apart(lines.map((l) => y(l.years.at(-1)?.money ?? 0))).map((place, i) => (
              <text
                key={lines[i]?.id}
                x={width - margin.right + 10}
                y={place + 4}
                fontSize={12.5}
                fontWeight={lines[i]?.id === chosen ? 600 : 400}
                fill="var(--ink)"
              >
                {(lines[i]?.name ?? "").slice(0, 26)}
              </text>
            ))}
            {isRead && <line x1={x(year)} x2={x(year)} y1={margin.top} y2={height - margin.bottom} stroke="var(--accent)" />}
          </svg>
        </div>
      )}
      <p className="flex min-h-6 items-baseline gap-4 text-sm">
        <output aria-label="Reading" className="figure-projected">
          {!isRead ? "" : `year ${year + 1}: ${reading}`}
        </output>
        <span className="ml-auto">{width > 0 && <SavePicture of={box} name={name} />}</span>
      </p>
    </div>
  );
}

/** The same heights, moved apart as far as labels need, in their order. */
function apart(places: number[]): number[] {
  const order = places.map((_, i) => i).sort((a, b) => (places[a] ?? 0) - (places[b] ?? 0));
  const moved = [...places];
  let floor = Number.NEGATIVE_INFINITY;
  for (const i of order) {
    moved[i] = Math.max(moved[i] ?? 0, floor);
    floor = (moved[i] ?? 0) + labelHeight;
  }
  const over = Math.max(0, floor - labelHeight - (height - margin.bottom));
  return moved.map((place) => place - over);
}
