import { scaleLinear } from "d3-scale";
import { useWidth } from "../../ui/use-width";
import type { FanOf } from "./fan-of";
import { FutureAmount } from "./future-amount";

const height = 20;
const right = 12;

/** What each uncertainty alone does to the sum of all months, the strongest first. */
export function DriverBars({ fan }: { fan: FanOf }) {
  const [box, width] = useWidth<HTMLDivElement>();
  if (fan.drivers.length === 0) return <p className="text-sm text-ink-soft">Nothing is uncertain.</p>;
  const ends = [...fan.drivers.flatMap((d) => [d.low, d.high]), fan.total.p50];
  const x = scaleLinear()
    .domain([Math.min(...ends), Math.max(...ends)])
    .range([0, Math.max(1, width - right)]);
  const all = { scenario: fan.scenario, from: fan.months[0] ?? "", to: fan.months[fan.months.length - 1] ?? "" };
  return (
    <ul className="text-sm">
      {fan.drivers.map((d, i) => (
        <li key={d.driver} className="flex gap-3 pb-1">
          <span className="w-16 shrink-0">{d.driver}</span>
          <div ref={i === 0 ? box : undefined} className="min-w-0 grow">
            <svg width={width} height={height} className="block" aria-hidden="true">
              <line x1={x(fan.total.p50)} x2={x(fan.total.p50)} y1={0} y2={height} stroke="var(--hairline-strong)" />
              <rect
                x={x(Math.min(d.low, d.high))}
                y={3}
                width={Math.max(1.5, Math.abs(x(d.high) - x(d.low)))}
                height={13}
                fill="var(--accent)"
              />
            </svg>
            <FutureAmount amount={d.low} future={d.futures[0]} {...all} label={`tenth of ${d.driver}`} /> to{" "}
            <FutureAmount amount={d.high} future={d.futures[1]} {...all} label={`nine tenths of ${d.driver}`} />
          </div>
        </li>
      ))}
    </ul>
  );
}
