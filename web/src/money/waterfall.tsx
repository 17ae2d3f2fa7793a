import { scaleLinear } from "d3-scale";
import { useEstate } from "../estate-context";
import { SavePicture } from "../ui/save-picture";
import { useWidth } from "../ui/use-width";
import { tone } from "./year-table";

const row = 30;
const bar = 14;
const margin = { left: 12, right: 118, top: 6 };

type WaterfallProps = {
  before: { label: string; amount: number };
  /** They lead from before to after. */
  steps: { label: string; change: number }[];
  after: { label: string; amount: number };
  /** What a picture of it is called. */
  picture: string;
};

/** From an amount, through what each step adds, to what it becomes with all of them: a bar below the other. */
export function Waterfall({ before, steps, after, picture }: WaterfallProps) {
  const { money, moneyChange } = useEstate();
  const [box, width] = useWidth<HTMLDivElement>();
  const totals = [before.amount];
  for (const { change } of steps) totals.push((totals.at(-1) ?? 0) + change);
  const [least, most] = [Math.min(...totals), Math.max(...totals)];
  // Where changes are small against the whole, bars of the whole are cut, so that one sees them.
  const begin = most > 0 && least / most > 0.6 ? Math.max(0, least - (most - least) * 0.6) : 0;
  const labels = Math.min(260, width * 0.36);
  const x = scaleLinear()
    .domain([begin, most > begin ? most : begin + 1])
    .range([margin.left + labels, Math.max(margin.left + labels + 1, width - margin.right)]);
  const rows = [
    { label: before.label, from: begin, to: before.amount, text: money(before.amount), change: null },
    ...steps.map(({ label, change }, i) => ({
      label,
      from: totals[i] ?? 0,
      to: totals[i + 1] ?? 0,
      text: moneyChange(change),
      change,
    })),
    { label: after.label, from: begin, to: after.amount, text: money(after.amount), change: null },
  ];
  const height = margin.top * 2 + rows.length * row;
  return (
    <div ref={box} className="relative">
      {width > 0 && (
        <svg
          width={width}
          height={height}
          className="block"
          role="img"
          aria-label={rows.map((r) => `${r.label}: ${r.text}`).join("; ")}
        >
          {rows.map((r, i) => {
            const y = margin.top + i * row;
            const [left, right] = [Math.min(x(r.from), x(r.to)), Math.max(x(r.from), x(r.to))];
            const fill = r.change === null ? "var(--ink-soft)" : r.change < 0 ? "var(--good)" : "var(--bad)";
            return (
              <g key={r.label}>
                <text x={0} y={y + row / 2 + 4} fontSize={13} fill="var(--ink)">
                  {fitting(r.label, labels / 6.6)}
                </text>
                <rect x={left} y={y + (row - bar) / 2} width={Math.max(1.5, right - left)} height={bar} fill={fill} />
                {r.change === null && begin > 0 && (
                  <path d={`M${x(begin) + 8} ${y + 4} l4 7 l-4 7 l4 7`} stroke="var(--paper)" strokeWidth={3} fill="none" />
                )}
                {i < rows.length - 1 && (
                  <line
                    x1={x(r.to)}
                    x2={x(r.to)}
                    y1={y + (row + bar) / 2}
                    y2={y + row + (row - bar) / 2}
                    stroke="var(--hairline-strong)"
                  />
                )}
                <text
                  x={right + 6}
                  y={y + row / 2 + 4}
                  fontSize={13}
                  fontStyle="italic"
                  className={r.change === null ? "" : tone(r.change)}
                  fill="currentColor"
                >
                  {r.text}
                </text>
              </g>
            );
          })}
        </svg>
      )}
      <p className="flex items-baseline text-sm text-ink-soft">
        {begin > 0 && <span>The bars begin at {money(begin)}.</span>}
        <span className="ml-auto">{width > 0 && <SavePicture of={box} name={picture} />}</span>
      </p>
    </div>
  );
}

/** A label that is cut where it would run into its bar; what it is cut from stands whole beside it. */
const fitting = (text: string, letters: number) =>
  text.length <= letters ? text : `${text.slice(0, Math.max(4, Math.floor(letters) - 1))}…`;
