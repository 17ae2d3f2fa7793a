import { Link, useLocation } from "react-router";
import type { AgeAxis, BoardRow } from "../../api/client";
import { useEstate } from "../../estate-context";
import { Strip } from "../../strip/strip";
import { Figure } from "../../ui/controls";
import { Sparkline } from "../../ui/sparkline";

/** The columns that the board's heading and all its lines share. */
export const boardColumns = "grid grid-cols-[11.5rem_minmax(0,1fr)_5.5rem_6.5rem_7.5rem] gap-x-5";

type LineProps = { row: BoardRow; axis: AgeAxis; projected: boolean; stripWidth: number; at: number; open: boolean };

export function BoardLine({ row, axis, projected, stripWidth, at, open }: LineProps) {
  const { money, bytes, regionName } = useEstate();
  const { search } = useLocation();
  return (
    <div className={`${boardColumns} items-end py-3`}>
      <div className="min-w-0 self-center">
        <Link
          to={{ pathname: open ? "/" : `/buckets/${row.name}`, search }}
          aria-expanded={open}
          className="block truncate font-serif text-lg leading-tight no-underline hover:underline"
        >
          {row.name}
        </Link>
        <span className="block truncate text-sm text-ink-soft">{regionName(row.region)}</span>
      </div>
      <div>{stripWidth > 0 && <Strip axis={axis} strip={row.strip} contents={row.contents} width={stripWidth} />}</div>
      <p className="text-right">
        <Figure projected={projected}>{bytes(row.bytes)}</Figure>
      </p>
      <p className="text-right">
        <Figure projected>{money(row.monthCost)}</Figure>
      </p>
      <div className="flex flex-col items-end">
        <Sparkline values={row.trend} at={at} width={110} height={28} />
        <span className="text-sm text-ink-soft">
          to <Figure projected>{money(row.trend.at(-1) ?? 0)}</Figure>
        </span>
      </div>
    </div>
  );
}
