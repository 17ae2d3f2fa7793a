import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import { type BucketMoney, readBucketMoney } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { axisRoom, HeightAxis } from "../../ui/height-axis";
import { SavePicture } from "../../ui/save-picture";
import { useWidth } from "../../ui/use-width";

const height = 170;
const margin = { top: 18, right: 12, bottom: 22, left: 76 };

/** Money by month on one axis: metered up to today, projected from there on; the running month is both, one upon the other. */
export function MoneyChart({ bucket }: { bucket: string }) {
  const [box, width] = useWidth<HTMLDivElement>();
  const data = useQuery({ queryKey: ["money", bucket], queryFn: () => readBucketMoney(bucket) }).data;
  return (
    <section id="money" aria-label="Money" className="scroll-mt-16">
      <h2 className="text-lg">Charged and projected, by month</h2>
      <div ref={box} style={{ minHeight: height }}>
        {data && width > 0 && <Bars data={data} width={width} />}
      </div>
      <p className="text-sm text-ink-soft">
        Filled: metered by the provider. Dashed: projected.{" "}
        <a href={`/api/ledger/rows.csv?bucket=${bucket}`} download={`${bucket}-ledger.csv`}>
          The ledger as CSV
        </a>
        {data && width > 0 && <SavePicture of={box} name={`${bucket}-by-month`} />}
      </p>
      {data && <Table bucket={bucket} data={data} />}
    </section>
  );
}

/** The same numbers to read. */
function Table({ bucket, data }: { bucket: string; data: BucketMoney }) {
  const { moneyColumn } = useEstate();
  const money = moneyColumn([...data.metered, ...data.projected].map((m) => m.amount));
  const metered = new Map(data.metered.map((m) => [m.month, m.amount]));
  const projected = new Map(data.projected.map((m) => [m.month, m.amount]));
  const months = [...new Set([...metered.keys(), ...projected.keys()])].toSorted();
  return (
    <details className="text-sm">
      <summary className="cursor-pointer text-ink-soft">The numbers</summary>
      <table className="mt-1 w-96 text-right">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline">
            <th className="text-left font-normal">month</th>
            <th className="font-normal">metered</th>
            <th className="font-normal">projected</th>
          </tr>
        </thead>
        <tbody>
          {months.map((m) => (
            <tr key={m} className="border-b border-hairline">
              <th scope="row" className="text-left font-normal">
                {month(m)}
              </th>
              <td>
                {metered.has(m) ? (
                  <Link to={`/why?month=${m}&bucket=${bucket}&of=charged`}>{money(metered.get(m) ?? 0)}</Link>
                ) : (
                  "–"
                )}
              </td>
              <td>
                {projected.has(m) ? <Link to={`/why?month=${m}&bucket=${bucket}`}>{money(projected.get(m) ?? 0)}</Link> : "–"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

function Bars({ data, width }: { data: BucketMoney; width: number }) {
  const { money } = useEstate();
  const metered = new Map(data.metered.map((m) => [m.month, m.amount]));
  const projected = new Map(data.projected.map((m) => [m.month, m.amount]));
  const months = [...new Set([...metered.keys(), ...projected.keys()])].toSorted();
  const now = data.today.slice(0, 7);
  const of = (m: string) => ({ was: metered.get(m) ?? 0, will: projected.get(m) ?? 0 });
  const most = Math.max(...months.map((m) => of(m).was + of(m).will), 1e-9);
  const y = scaleLinear([0, most], [height - margin.bottom, margin.top]).nice(4);
  const left = axisRoom(y, 4, money, margin.left);
  const x = scaleLinear([0, months.length], [left, Math.max(left + 1, width - margin.right)]);
  const bar = Math.max(1, x(1) - x(0) - 2);
  const [year, monthOfYear, dayOfMonth] = data.today.split("-").map(Number) as [number, number, number];
  const daysInMonth = new Date(Date.UTC(year, monthOfYear, 0)).getUTCDate();
  const today = x(months.indexOf(now) + (dayOfMonth - 1) / daysInMonth);
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`${month(now)}: metered ${money(of(now).was)} so far, projected ${money(of(now).will)} for the rest of it`}
    >
      <HeightAxis y={y} ticks={4} from={left} to={width - margin.right} words={money} />
      {months.map((m, i) => (
        <g key={m}>
          <title>
            {month(m)}:{" "}
            {[metered.has(m) && `metered ${money(of(m).was)}`, projected.has(m) && `projected ${money(of(m).will)}`]
              .filter(Boolean)
              .join(", ")}
          </title>
          <rect x={x(i) + 1} width={bar} y={margin.top} height={height - margin.top - margin.bottom} fill="transparent" />
          <rect x={x(i) + 1} width={bar} y={y(of(m).was)} height={y(0) - y(of(m).was)} fill="var(--ink-soft)" />
          <rect
            x={x(i) + 1.5}
            width={Math.max(1, bar - 1)}
            y={y(of(m).was + of(m).will)}
            height={y(0) - y(of(m).will)}
            fill="var(--paper-deep)"
            stroke="var(--hairline-strong)"
            strokeDasharray="2 2"
          />
          {(i === 0 || (i > 2 && m.endsWith("-01"))) && (
            <text x={x(i)} y={height - 6} fontSize={12} fill="var(--ink-soft)">
              {i === 0 ? month(m, "short") : m.slice(0, 4)}
            </text>
          )}
        </g>
      ))}
      <line x1={today} x2={today} y1={margin.top - 6} y2={height - margin.bottom} stroke="var(--accent)" strokeWidth={1.5} />
      <text x={today + 4} y={margin.top - 6} fontSize={12} fill="var(--accent)">
        today
      </text>
    </svg>
  );
}
