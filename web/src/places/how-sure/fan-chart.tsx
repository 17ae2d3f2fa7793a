import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import type { Fan } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { axisRoom, HeightAxis } from "../../ui/height-axis";
import { SavePicture } from "../../ui/save-picture";
import { useChartReading } from "../../ui/use-chart-reading";
import { useWidth } from "../../ui/use-width";
import type { FanOf } from "./fan-of";
import { bandAmounts } from "./future-amount";

const height = 300;
const margin = { top: 12, right: 96, bottom: 26, left: 64 };

/** What a month costs in the middle of all futures, and between which bounds eight of ten lie; the arrow keys read it month by month. */
export function FanChart({ fan }: { fan: FanOf }) {
  const { money } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const last = fan.months.length - 1;
  const most = Math.max(1e-9, ...fan.money.map((m) => m.p90));
  const y = scaleLinear()
    .domain([0, most])
    .nice(5)
    .range([height - margin.bottom, margin.top]);
  const left = axisRoom(y, 5, money, margin.left);
  const x = scaleLinear()
    .domain([0, Math.max(1, last)])
    .range([left, Math.max(left + 1, width - margin.right)]);
  const { at: read, isRead, handlers } = useChartReading(last, last, 12, x.invert);
  const band = fan.money[read];
  const words = band ? `${money(band.p10)} · ${money(band.p50)} · ${money(band.p90)}` : "";
  const spread = area<Fan["money"][number]>()
    .x((_, i) => x(i))
    .y0((m) => y(m.p10))
    .y1((m) => y(m.p90));
  const middle = line<Fan["money"][number]>()
    .x((_, i) => x(i))
    .y((m) => y(m.p50));
  const januaries = fan.months.flatMap((m, i) => (m.endsWith("-01") ? [i] : []));
  const every = Math.max(1, Math.ceil(januaries.length / 12));
  const end = fan.money[last];
  return (
    <div ref={box} className="relative">
      {width > 0 && end && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Cost a month, read with the arrow keys"
          aria-valuemin={0}
          aria-valuemax={last}
          aria-valuenow={read}
          aria-valuetext={`${month(fan.months[read] ?? "")}: ${words}`}
          {...handlers}
        >
          <svg width={width} height={height} className="block" aria-hidden="true">
            <HeightAxis y={y} ticks={5} from={left} to={width - margin.right} words={money} />
            <path d={spread(fan.money) ?? ""} fill="var(--accent)" opacity={0.22} />
            <path d={middle(fan.money) ?? ""} fill="none" stroke="var(--accent)" strokeWidth={2.2} />
            {januaries
              .filter((i, n) => n % every === 0 && x(i) < width - margin.right - 20)
              .map((i) => (
                <text key={i} x={x(i)} y={height - 8} fontSize={12} fill="var(--ink-soft)" textAnchor="middle">
                  {fan.months[i]?.slice(0, 4)}
                </text>
              ))}
            {spaced([y(end.p90), y(end.p50), y(end.p10)]).map((place, i) => (
              <text key={i} x={width - margin.right + 8} y={place + 4} fontSize={12.5} fill="var(--ink)">
                {["nine in ten", "half", "one in ten"][i]}
              </text>
            ))}
            {isRead && band && (
              <g stroke="var(--ink)">
                <line x1={x(read)} x2={x(read)} y1={y(band.p10)} y2={y(band.p90)} strokeWidth={1.6} />
                <circle cx={x(read)} cy={y(band.p50)} r={3.5} fill="var(--paper)" />
              </g>
            )}
          </svg>
        </div>
      )}
      <p className="flex min-h-6 items-baseline gap-4 text-sm">
        <output aria-label="Reading">
          {!isRead ? (
            <span className="no-print text-ink-soft">Point at it, or read it with the arrow keys.</span>
          ) : (
            <>
              <span className="font-serif">{month(fan.months[read] ?? "")}</span>:{" "}
              {band &&
                bandAmounts({ scenario: fan.scenario, band, from: fan.months[read] ?? "", to: fan.months[read] ?? "" }).map(
                  (amount, i) => (
                    <span key={amount.key}>
                      {i > 0 && " · "}
                      {amount}
                    </span>
                  ),
                )}
            </>
          )}
        </output>
        <span className="ml-auto">{width > 0 && <SavePicture of={box} name="how-sure" />}</span>
      </p>
    </div>
  );
}

/** Three heights from top to bottom, apart as far as labels need. */
const spaced = ([high, middle, low]: [number, number, number]) => [
  Math.min(high, middle - 16),
  middle,
  Math.max(low, middle + 16),
];
