import { Link, useLocation } from "react-router";
import type { AgeAxis, BoardRow } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Opens } from "../../money/opens";
import { Strip } from "../../strip/strip";
import { Figure } from "../../ui/controls";
import { Sparkline } from "../../ui/sparkline";
import { type columns, gridOf } from "./columns";
import { marks } from "./marks";

export const lineHeight = 68;

type LineProps = {
  row: BoardRow;
  axis: AgeAxis;
  projected: boolean;
  stripWidth: number;
  at: number;
  shown: readonly (typeof columns)[number][];
  selected: boolean;
  onSelect: () => void;
};

export function BoardLine({ row, axis, projected, stripWidth, at, shown, selected, onSelect }: LineProps) {
  const { regionName } = useEstate();
  const { search } = useLocation();
  const grave = row.marks.filter((m) => marks[m].grave);
  return (
    <div
      className={`grid items-end gap-x-4 border-t border-hairline py-1.5 ${selected ? "bg-paper-deep" : ""}`}
      style={{ gridTemplateColumns: gridOf(shown), height: lineHeight }}
    >
      <input
        type="checkbox"
        className="mb-6 size-4 accent-(--accent)"
        aria-label={`Select ${row.name}`}
        checked={selected}
        onChange={onSelect}
      />
      <div className="min-w-0 self-center">
        <Link
          to={{ pathname: `/buckets/${row.name}`, search }}
          title={row.name}
          className="block truncate font-serif text-lg leading-tight no-underline hover:underline"
        >
          {row.name}
        </Link>
        <span className="block truncate text-sm text-ink-soft">
          {grave.length > 0 ? (
            <span className="text-bad">{grave.map((m) => marks[m].short).join(", ")}</span>
          ) : (
            regionName(row.region)
          )}
        </span>
      </div>
      <div>{stripWidth > 0 && <Strip axis={axis} strip={row.strip} contents={row.contents} width={stripWidth} />}</div>
      {shown.map((column) => (
        <Cell key={column.id} column={column.id} row={row} projected={projected} at={at} />
      ))}
    </div>
  );
}

type CellProps = { column: (typeof columns)[number]["id"]; row: BoardRow; projected: boolean; at: number };

function Cell({ column, row, projected, at }: CellProps) {
  const { estate, moneyColumn, bytes, schemeName } = useEstate();
  const money = moneyColumn([1]);
  if (column === "tenant") return <p className="truncate text-right text-sm">{row.tenant ?? "–"}</p>;
  if (column === "scheme") return <p className="truncate text-right text-sm">{schemeName(row.scheme)}</p>;
  if (column === "trend")
    return (
      <div className="flex flex-col items-end">
        <Sparkline values={row.trend} at={at} width={110} height={26} />
        <span className="text-sm text-ink-soft">
          to{" "}
          <Opens
            why={{ month: estate.months.at(-1) ?? "", bucket: row.name }}
            label={`${money(row.trend.at(-1) ?? 0)}: ${row.name} at the end`}
          >
            <Figure projected>{money(row.trend.at(-1) ?? 0)}</Figure>
          </Opens>
        </span>
      </div>
    );
  return (
    <p className="text-right">
      {column === "objects" && <Figure projected={projected}>{count(row.objects, 0)}</Figure>}
      {column === "bytes" && <Figure projected={projected}>{bytes(row.bytes)}</Figure>}
      {column === "cost" &&
        (row.monthCost === 0 ? (
          money(0)
        ) : (
          <Opens why={{ month: estate.months[at] ?? "", bucket: row.name }} label={`${money(row.monthCost)}: ${row.name}`}>
            <Figure projected>{money(row.monthCost)}</Figure>
          </Opens>
        ))}
    </p>
  );
}
