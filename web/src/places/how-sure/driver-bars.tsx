import { scaleLinear } from "d3-scale";
import type { Fan } from "../../api/client";
import { useEstate } from "../../estate-context";
import { useWidth } from "../../ui/use-width";

const row = 34;
const left = 90;
const right = 12;

/** What each uncertainty alone does to the sum of all months, the strongest first. */
export function DriverBars({ fan }: { fan: Fan }) {
  const { money } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  if (fan.drivers.length === 0) return <p className="text-sm text-ink-soft">Nothing is uncertain.</p>;
  const ends = fan.drivers.flatMap((d) => [d.low, d.high]);
  const x = scaleLinear()
    .domain([Math.min(...ends, fan.total.p50), Math.max(...ends, fan.total.p50)])
    .range([left, Math.max(left + 1, width - right)]);
  return (
    <div ref={box}>
      {width > 0 && (
        <svg
          width={width}
          height={fan.drivers.length * row + 4}
          className="block"
          role="img"
          aria-label={fan.drivers.map((d) => `${d.driver}: ${money(d.low)} to ${money(d.high)}`).join("; ")}
        >
          <line
            x1={x(fan.total.p50)}
            x2={x(fan.total.p50)}
            y1={0}
            y2={fan.drivers.length * row}
            stroke="var(--hairline-strong)"
          />
          {fan.drivers.map((d, i) => {
            const [from, to] = [Math.min(d.low, d.high), Math.max(d.low, d.high)];
            return (
              <g key={d.driver}>
                <text x={0} y={i * row + 14} fontSize={13} fill="var(--ink)">
                  {d.driver}
                </text>
                <rect x={x(from)} y={i * row + 3} width={Math.max(1.5, x(to) - x(from))} height={13} fill="var(--accent)" />
                <text x={left} y={i * row + 29} fontSize={12} fontStyle="italic" fill="var(--ink-soft)">
                  {money(d.low)} to {money(d.high)}
                </text>
              </g>
            );
          })}
        </svg>
      )}
    </div>
  );
}
