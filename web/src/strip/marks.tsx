import type { AgeAxis, AgeStrip, TierContents } from "../api/client";
import { tierOf, useEstate } from "../estate-context";
import { day } from "../format";
import { type AgeScale, ticks } from "./axis";
import { tierFill } from "./tiers";

/** The names of ages along the top of all strips. */
export function AgeAxisLabels({ scale, width }: { scale: AgeScale; width: number }) {
  let free = 0;
  const named = ticks.filter(({ age, label }, i) => {
    const half = label.length * 3.2;
    const [from, to] = i === 0 ? [0, 2 * half] : [scale.at(age) - half, scale.at(age) + half];
    if (from < free || to > width + 8) return false;
    free = to + 8;
    return true;
  });
  return (
    <svg width={width} height={18} aria-hidden="true" className="block overflow-visible">
      {named.map(({ age, label }, i) => (
        <text key={age} x={scale.at(age)} y={12} fontSize={12} fill="var(--ink-soft)" textAnchor={i === 0 ? "start" : "middle"}>
          {label}
        </text>
      ))}
    </svg>
  );
}

export function AgeRules({ scale, height }: { scale: AgeScale; height: number }) {
  return ticks.map(({ age }) => (
    <line
      key={age}
      x1={scale.at(age)}
      x2={scale.at(age)}
      y1={0}
      y2={height}
      stroke="var(--hairline)"
      strokeWidth={age === 0 ? 0 : 1}
    />
  ));
}

type HistogramProps = { axis: AgeAxis; scale: AgeScale; contents: TierContents[]; height: number };

/** Bytes by age, standing on the strip, each bar split by the tier where the bytes really are. Heights compare within one bucket. */
export function Histogram({ axis, scale, contents, height }: HistogramProps) {
  const { prices } = useEstate();
  const totals = axis.binStarts.map((_, bin) => contents.reduce((sum, tier) => sum + (tier.bytesByAge[bin] ?? 0), 0));
  const most = Math.max(...totals, 1);
  return axis.binStarts.map((start, bin) => {
    if (!totals[bin]) return null;
    const x = scale.at(start);
    const width = Math.max(1.5, scale.at(axis.binStarts[bin + 1] ?? axis.oldest) - x - 0.75);
    let top = height;
    return contents.map((tier) => {
      const part = tier.bytesByAge[bin] ?? 0;
      if (part === 0) return null;
      const tall = Math.max(1, (part / most) * height);
      top -= tall;
      return (
        <rect
          key={`${start}-${tier.tier}`}
          x={x}
          y={top}
          width={width}
          height={tall}
          fill={tierFill(tierOf(prices, tier.tier).place)}
        />
      );
    });
  });
}

export const laneName = (lane: AgeStrip["lanes"][number]) =>
  lane.applies === "earlier"
    ? `earlier versions ${lane.prefix}`.trim()
    : lane.prefix || (lane.rules.length > 0 ? "everything" : "everything else");

type LaneProps = { lane: AgeStrip["lanes"][number]; scale: AgeScale; width: number; height: number; named: boolean };

/** One lane of a strip: bands of tiers, the stretches that are paid for nothing, and the end where objects expire. */
export function Lane({ lane, scale, width, height, named }: LaneProps) {
  const { prices } = useEstate();
  const end = lane.expireAt == null ? width : scale.at(lane.expireAt);
  return (
    <>
      {lane.bands.map((band) => {
        const x = scale.at(band.from);
        const wide = (band.to == null ? width : scale.at(band.to)) - x;
        const { place, name } = tierOf(prices, band.tier);
        return (
          <g key={`${band.tier}-${band.from}`}>
            <rect x={x} width={Math.max(0, wide)} height={height} fill={tierFill(place)} />
            {named && wide > name.length * 7 + 14 && (
              <>
                <rect x={x + 4} y={height / 2 - 6.5} width={name.length * 6.2 + 8} height={13} rx={2} fill="var(--paper)" />
                <text x={x + 8} y={height / 2 + 4} fontSize={11.5} fill="var(--ink)">
                  {name}
                </text>
              </>
            )}
          </g>
        );
      })}
      {lane.expireAt != null && (
        <>
          <line x1={end} x2={width} y1={height / 2} y2={height / 2} stroke="var(--hairline-strong)" strokeDasharray="2 4" />
          <path d={`M${end} -2V${height + 2}M${end + 3} -2V${height + 2}`} stroke="var(--ink)" strokeWidth={1.4} />
        </>
      )}
      {lane.shortStays.map((stay) => (
        <rect
          key={`${stay.tier}-${stay.from}`}
          x={scale.at(stay.from)}
          width={Math.max(4, scale.at(stay.to) - scale.at(stay.from))}
          height={height}
          fill="url(#unpaid-stay)"
          stroke="var(--bad)"
          strokeWidth={0.8}
        />
      ))}
    </>
  );
}

/** The keep rule as a bracket under the strip. */
export function KeepBracket({
  strip,
  scale,
  width,
  labelled,
}: {
  strip: AgeStrip;
  scale: AgeScale;
  width: number;
  labelled: boolean;
}) {
  if (strip.keepDays == null && strip.keepUntil == null) return null;
  const end = strip.keepDays == null ? width - 1 : scale.at(strip.keepDays);
  const words = strip.keepDays == null ? `kept until ${day(strip.keepUntil ?? "")}` : `kept ${strip.keepDays} days`;
  const inside = end > words.length * 6.2 + 12;
  return (
    <>
      <path d={`M0.7 0V5H${end}V0`} fill="none" stroke="var(--ink)" strokeWidth={1.4} />
      {labelled && (
        <text
          x={inside ? end / 2 : end + 6}
          y={inside ? 17 : 8}
          fontSize={12}
          fill="var(--ink)"
          textAnchor={inside ? "middle" : "start"}
        >
          {words}
        </text>
      )}
    </>
  );
}

/** Legal holds keep whatever is of the lane at every age: a line under all of it, named where nothing lies any more by the rules. */
export function HeldMark({
  lane,
  scale,
  width,
  height,
}: {
  lane: AgeStrip["lanes"][number];
  scale: AgeScale;
  width: number;
  height: number;
}) {
  if (lane.holds.length === 0) return null;
  const words = `held by ${lane.holds.join(", ")}`;
  const end = lane.expireAt == null ? width : scale.at(lane.expireAt);
  const hasRoom = width - end > words.length * 6.2 + 24;
  return (
    <g>
      <title>{words}</title>
      <path d={`M0 ${height + 1.5}H${width}`} stroke="var(--ink)" strokeWidth={2} strokeDasharray="1 2" />
      {hasRoom && (
        <text
          x={end + 18}
          y={height / 2 + 4}
          fontSize={12}
          fill="var(--ink)"
          stroke="var(--paper)"
          strokeWidth={4}
          paintOrder="stroke"
        >
          {words}
        </text>
      )}
    </g>
  );
}

/** A strip in words, for those who do not see it. */
export function useStripWords() {
  const { tierName } = useEstate();
  return (strip: AgeStrip) => {
    const lanes = strip.lanes.map((lane) => {
      const bands = lane.bands
        .map((band) => `${tierName(band.tier)} ${band.byReading ? `after ${band.from} days unread` : `from day ${band.from}`}`)
        .join(", ");
      const end = lane.expireAt == null ? "never expires" : `expires at day ${lane.expireAt}`;
      const held = lane.holds.length > 0 ? `, held by ${lane.holds.join(" and ")}` : "";
      return `${laneName(lane)}: ${bands}, ${end}${held}`;
    });
    if (strip.keepDays != null) lanes.push(`kept ${strip.keepDays} days`);
    if (strip.keepUntil != null) lanes.push(`kept until ${day(strip.keepUntil)}`);
    return lanes.join("; ");
  };
}
