import type { AgeAxis, ArrayReading } from "../../api/client";
import { tierOf, useEstate } from "../../estate-context";
import { ageScale } from "../../strip/axis";
import { AgeAxisLabels, AgeRules } from "../../strip/marks";
import { Handle } from "../../strip/strip-editor";
import { tierFill } from "../../strip/tiers";
import { useWidth } from "../../ui/use-width";

type StripProps = {
  axis: AgeAxis;
  reading: ArrayReading;
  /** Where what is away lands; null while the array has no bucket. */
  landing: string | null;
  onAge: (rule: string, age: number) => void;
};

const tall = 120;
const lane = 18;
const gap = 26;

/** An array by days since use: bytes above, by what becomes of them; below, from which day on each rule takes them. */
export function ArrayStrip({ axis, reading, landing, onAge }: StripProps) {
  const { prices } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const scale = ageScale(axis, width);
  const { bins, leaving } = reading;
  const away = landing === null ? "var(--hairline-strong)" : tierFill(tierOf(prices, landing).place);
  const layers = [
    { bytes: bins.fixed, fill: "url(#array-fixed)" },
    { bytes: bins.staying, fill: "var(--ink-soft)" },
    { bytes: bins.leaving, fill: "var(--accent)" },
    { bytes: bins.away, fill: away },
  ];
  const totals = axis.binStarts.map((_, bin) => layers.reduce((sum, l) => sum + (l.bytes[bin] ?? 0), 0));
  const most = Math.max(...totals, 1);
  const height = tall + leaving.length * (lane + gap);
  return (
    <div ref={box} className="min-w-0">
      {width > 0 && (
        <>
          <AgeAxisLabels scale={scale} width={width} />
          <svg width={width} height={height} className="block touch-none overflow-visible select-none">
            <title>Bytes by days since anybody used them, and from which day on rules take them</title>
            <defs>
              <pattern id="array-fixed" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
                <rect width="5" height="5" fill="var(--paper-deep)" />
                <rect width="2" height="5" fill="var(--hairline-strong)" />
              </pattern>
            </defs>
            <AgeRules scale={scale} height={height} />
            {axis.binStarts.map((start, bin) => {
              const x = scale.at(start);
              const wide = Math.max(2, scale.at(axis.binStarts[bin + 1] ?? axis.oldest) - x - 0.75);
              let top = tall;
              return layers.map(({ bytes, fill }) => {
                const part = ((bytes[bin] ?? 0) / most) * (tall - 6);
                if (part === 0) return null;
                top -= Math.max(1, part);
                return <rect key={`${start} ${fill}`} x={x} y={top} width={wide} height={Math.max(1, part)} fill={fill} />;
              });
            })}
            {leaving.map((rule, i) => (
              <g key={i} transform={`translate(0 ${tall + i * (lane + gap) + 8})`}>
                <rect
                  x={0}
                  width={scale.at(rule.afterDays)}
                  height={lane}
                  fill="var(--paper-deep)"
                  stroke="var(--hairline-strong)"
                />
                <rect
                  x={scale.at(rule.afterDays)}
                  width={Math.max(0, width - scale.at(rule.afterDays))}
                  height={lane}
                  fill={away}
                  opacity={landing === null ? 0.4 : 1}
                />
                <text y={lane + 15} fontSize={12} fill="var(--ink-soft)">
                  {rule.id}
                </text>
                <Handle
                  label={`${rule.id}: days since use`}
                  labelAt={Math.min(Math.max(scale.at(rule.afterDays), rule.id.length * 6.6 + 40), width - 30)}
                  laneHeight={lane}
                  age={rule.afterDays}
                  least={0}
                  axis={axis}
                  width={width}
                  unread
                  onChange={(age) => onAge(rule.id, age)}
                />
              </g>
            ))}
          </svg>
          <ul className="mt-1 flex flex-wrap gap-x-5 text-sm text-ink-soft">
            <Key fill="var(--ink-soft)">stays</Key>
            <Key fill="var(--accent)">leaves tonight</Key>
            <Key fill={away}>away, or leaves from that day on</Key>
            <Key fill="url(#array-fixed)">cannot take part</Key>
          </ul>
        </>
      )}
    </div>
  );
}

function Key({ fill, children }: { fill: string; children: string }) {
  return (
    <li className="flex items-center gap-1.5">
      <svg width={12} height={12} aria-hidden="true">
        <rect width={12} height={12} fill={fill} />
      </svg>
      {children}
    </li>
  );
}
