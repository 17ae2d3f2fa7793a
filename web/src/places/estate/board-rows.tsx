import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useLayoutEffect, useRef } from "react";
import { Link } from "react-router";
import { type Board, type BoardQuery, findBuckets } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { useAsOf } from "../../rail/as-of";
import { ageScale } from "../../strip/axis";
import { AgeAxisLabels } from "../../strip/marks";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";
import { done } from "../../ui/toasts";
import { useWidth } from "../../ui/use-width";
import { BoardLine, lineHeight } from "./board-line";
import { gridOf, shownColumns } from "./columns";
import { useSelection } from "./selection";
import { useRows } from "./use-board";

const placeKey = "ripen-board-place";

/** All rows that match, of which only those in the window are there. Coming back finds the place where one left. */
export function BoardRows({ board, query }: { board: Board; query: BoardQuery }) {
  const { estate } = useEstate();
  const { params } = useAddress();
  const [stripBox, stripWidth] = useWidth<HTMLDivElement>();
  const { at } = useAsOf(estate.months);
  const list = useRef<HTMLUListElement>(null);
  const selection = useSelection();
  const shown = shownColumns(params);
  const rows = useWindowVirtualizer({
    count: board.matching,
    estimateSize: () => lineHeight,
    overscan: 6,
    scrollMargin: list.current?.offsetTop ?? 0,
  });
  const items = rows.getVirtualItems();
  const rowAt = useRows(query, items[0]?.index ?? 0, items.at(-1)?.index ?? 0);
  usePlace(JSON.stringify(query));
  return (
    <section aria-label="Buckets" className="board">
      <div className="grid items-end gap-x-4 pt-2 pb-1 text-sm text-ink-soft" style={{ gridTemplateColumns: gridOf(shown) }}>
        <SelectAll board={board} query={query} />
        <SortBy field="name" words="bucket" />
        <div ref={stripBox}>
          {stripWidth > 0 && <AgeAxisLabels scale={ageScale(board.axis, stripWidth)} width={stripWidth} />}
        </div>
        {shown.map((column) => (
          <span key={column.id} className="text-right">
            {column.sort ? (
              <SortBy field={column.sort} words={column.id === "cost" ? month(board.month, "short") : column.label} />
            ) : (
              column.label
            )}
          </span>
        ))}
      </div>
      <ul ref={list} className="relative" style={{ height: rows.getTotalSize() }}>
        {items.map((item) => {
          const row = rowAt(item.index);
          return (
            <li
              key={item.key}
              className="absolute inset-x-0 top-0"
              style={{ transform: `translateY(${item.start - rows.options.scrollMargin}px)`, height: lineHeight }}
              aria-setsize={board.matching}
              aria-posinset={item.index + 1}
            >
              {row ? (
                <BoardLine
                  row={row}
                  axis={board.axis}
                  projected={board.projected}
                  stripWidth={stripWidth}
                  at={at}
                  shown={shown}
                  selected={selection.names.has(row.name)}
                  onSelect={() => selection.toggle(row.name)}
                />
              ) : (
                <div className="border-t border-hairline" style={{ height: lineHeight }} />
              )}
            </li>
          );
        })}
      </ul>
      <SelectionBar />
    </section>
  );
}

/** Sorts by a figure or name: once for the usual direction, again for the other, and a third time for the estate's own order. */
function SortBy({ field, words }: { field: string; words: string }) {
  const { params, setAll } = useAddress();
  const sorted = params.get("sort") === field;
  const down = params.get("order") === "down";
  const first = field === "name" ? null : "down";
  const next = !sorted
    ? { sort: field, order: first }
    : down === (first === "down")
      ? { sort: field, order: down ? null : "down" }
      : { sort: null, order: null };
  return (
    <button
      type="button"
      className="text-left underline decoration-hairline-strong underline-offset-4 hover:decoration-accent"
      aria-label={`Sort by ${words}${sorted ? `, now ${down ? "largest first" : "smallest first"}` : ""}`}
      onClick={() => setAll(next)}
    >
      {words}
      {sorted && (down ? " ↓" : " ↑")}
    </button>
  );
}

/** Puts all that match to those selected already; a view at a time, any number can be gathered. */
function SelectAll({ board, query }: { board: Board; query: BoardQuery }) {
  const { names, select } = useSelection();
  const take = async () => {
    try {
      select([...names, ...(await findBuckets(query))]);
    } catch (error) {
      done((error as Error).message);
    }
  };
  return (
    <button
      type="button"
      className="text-left underline decoration-hairline-strong underline-offset-4 hover:decoration-accent"
      aria-label={`Select all ${board.matching} that match`}
      title={`Select all ${board.matching} that match`}
      onClick={() => void take()}
    >
      all
    </button>
  );
}

function SelectionBar() {
  const { names, clear } = useSelection();
  if (names.size === 0) return null;
  return (
    <div role="status" className="sticky bottom-0 z-10 flex items-center gap-6 border-t border-hairline-strong bg-paper py-2">
      <span>
        {count(names.size)} {names.size === 1 ? "bucket" : "buckets"} selected
      </span>
      <Link to="/change" className="rounded-sm border border-accent px-3 py-1 font-medium text-accent no-underline">
        Change them together…
      </Link>
      <Button kind="quiet" onClick={clear}>
        Select none
      </Button>
    </div>
  );
}

/** Remembers how far down one was in this very view of the board, and goes there again. */
function usePlace(view: string) {
  useLayoutEffect(() => {
    const [of, y] = JSON.parse(sessionStorage.getItem(placeKey) ?? "[]") as [string?, number?];
    window.scrollTo(0, of === view && y ? y : 0);
  }, [view]);
  // Gone before the page that follows makes the window scroll.
  useLayoutEffect(() => {
    const remember = () => sessionStorage.setItem(placeKey, JSON.stringify([view, window.scrollY]));
    window.addEventListener("scroll", remember, { passive: true });
    return () => window.removeEventListener("scroll", remember);
  }, [view]);
}
