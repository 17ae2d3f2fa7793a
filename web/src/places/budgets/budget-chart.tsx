import { scaleLinear } from "d3-scale";
import type { BudgetReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { axisRoom, HeightAxis } from "../../ui/height-axis";
import { SavePicture } from "../../ui/save-picture";
import { useChartReading } from "../../ui/use-chart-reading";
import { useWidth } from "../../ui/use-width";

const height = 230;
const margin = { top: 12, right: 8, bottom: 26, left: 64 };

/** Months as columns, full for what was charged and open for what is to come, against the lines of plan and limit. */
export function BudgetChart({ reading }: { reading: BudgetReading }) {
  const { money } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const { months } = reading;
  const last = months.length - 1;
  const most = Math.max(1e-9, ...months.map((m) => Math.max(m.limit, m.expected)));
  const y = scaleLinear()
    .domain([0, most])
    .nice(4)
    .range([height - margin.bottom, margin.top]);
  const begin = axisRoom(y, 4, money, margin.left);
  const step = Math.max(4, (width - begin - margin.right) / months.length);
  const bar = Math.min(44, step * 0.6);
  const left = (i: number) => begin + i * step;
  const { at, isRead, handlers } = useChartReading(last, 0, 12, (place) => (place - begin) / step - 0.5);
  const read = months[at];
  const words = read
    ? `planned ${money(read.planned)}, charged ${money(read.charged)}, to come ${money(read.toCome)}, in the end ${money(read.expected)}`
    : "";
  const every = Math.max(1, Math.ceil(64 / step));
  return (
    <div ref={box} className="mt-3">
      {width > 0 && (
        <div
          role="slider"
          tabIndex={0}
          aria-label="Months of the budget, read with the arrow keys"
          aria-valuemin={0}
          aria-valuemax={last}
          aria-valuenow={at}
          aria-valuetext={`${month(read?.month ?? "")}: ${words}`}
          {...handlers}
        >
          <svg width={width} height={height} className="block" aria-hidden="true">
            <HeightAxis y={y} ticks={4} from={begin} to={width - margin.right} words={money} />
            {months.map((m, i) => {
              const from = left(i) + (step - bar) / 2;
              const fill = m.isAbove ? "var(--bad)" : "var(--ripe-0)";
              return (
                <g key={m.month} opacity={isRead && i !== at ? 0.6 : 1}>
                  <rect x={from} width={bar} y={y(m.charged)} height={y(0) - y(m.charged)} fill={fill} />
                  <rect
                    x={from + 0.75}
                    width={Math.max(1, bar - 1.5)}
                    y={y(m.expected)}
                    height={Math.max(0, y(m.charged) - y(m.expected))}
                    fill={fill}
                    fillOpacity={0.16}
                    stroke={fill}
                    strokeWidth={m.toCome > 0 ? 1.5 : 0}
                    strokeDasharray="3 2"
                  />
                  <line
                    x1={left(i) + 2}
                    x2={left(i) + step - 2}
                    y1={y(m.limit)}
                    y2={y(m.limit)}
                    stroke="var(--ink-soft)"
                    strokeDasharray="2 3"
                  />
                  <line
                    x1={left(i) + 2}
                    x2={left(i) + step - 2}
                    y1={y(m.planned)}
                    y2={y(m.planned)}
                    stroke="var(--ink)"
                    strokeWidth={2}
                  />
                  {i % every === 0 && (
                    <text x={left(i) + step / 2} y={height - 8} fontSize={12} fill="var(--ink-soft)" textAnchor="middle">
                      {month(m.month, "short")}
                    </text>
                  )}
                </g>
              );
            })}
          </svg>
        </div>
      )}
      <p className="flex min-h-6 items-baseline gap-4 text-sm">
        <output aria-label="Reading">
          {isRead ? (
            <>
              <span className="font-serif">{month(read?.month ?? "")}</span>: {words}
            </>
          ) : (
            <span className="text-ink-soft">
              Full: charged. Open: to come. The line is the plan, the dotted one its limit. Read it with the arrow keys.
            </span>
          )}
        </output>
        <span className="ml-auto">{width > 0 && <SavePicture of={box} name="budget" />}</span>
      </p>
    </div>
  );
}
