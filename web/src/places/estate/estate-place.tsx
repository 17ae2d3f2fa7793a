import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { type Board, type BoardRow, readBoard, readEstate } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { useAsOf } from "../../rail/as-of";
import { ageScale } from "../../strip/axis";
import { AgeAxisLabels } from "../../strip/marks";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Figure, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useKey } from "../../ui/keys";
import { Sparkline } from "../../ui/sparkline";
import { useWidth } from "../../ui/use-width";
import { BucketSheet } from "../bucket/bucket-sheet";
import { NewBucket } from "../bucket/new-bucket";
import { BoardLine, boardColumns } from "./board-line";
import { ImportEstate } from "./import-estate";

const orders: Record<string, { label: string; compare: (a: BoardRow, b: BoardRow) => number }> = {
  estate: { label: "estate's order", compare: () => 0 },
  name: { label: "name", compare: (a, b) => a.name.localeCompare(b.name) },
  bytes: { label: "bytes", compare: (a, b) => b.bytes - a.bytes },
  cost: { label: "cost", compare: (a, b) => b.monthCost - a.monthCost },
  growth: { label: "growth", compare: (a, b) => growth(b) - growth(a) },
};

const growth = (row: BoardRow) => (row.trend.at(-1) ?? 0) - (row.trend[0] ?? 0);

/** The board of strips; a row opens into the bucket's sheet in its own place. */
export function EstatePlace({ making = false }: { making?: boolean }) {
  const { open } = useParams();
  const [search] = useSearchParams();
  const board = useQuery({
    queryKey: ["board", search.get("on")],
    queryFn: () => readBoard(search.get("on")),
    placeholderData: keepPreviousData,
  });
  if (board.error) return <ErrorNote error={board.error} />;
  if (!board.data) return null;
  return (
    <div className="px-6 pb-24">
      <Totals board={board.data} />
      {making && <NewBucket />}
      <Rows board={board.data} open={open} />
      {open && !board.data.buckets.some((b) => b.name === open) && (
        <ErrorNote error={new Error(`There is no bucket '${open}'.`)} />
      )}
      <Foot />
    </div>
  );
}

function Totals({ board }: { board: Board }) {
  const { estate, money, bytes } = useEstate();
  const { at } = useAsOf(board.months);
  return (
    <section aria-label="Totals" className="flex flex-wrap items-end gap-x-12 gap-y-2 py-5">
      <h1 className="text-3xl">{estate.name}</h1>
      <p>
        <span className="block font-serif text-3xl leading-none">
          <Figure projected={board.projected}>{bytes(board.bytes)}</Figure>
        </span>
        <span className="text-sm text-ink-soft">
          {count(board.objects, 0)} objects in {board.buckets.length} {board.buckets.length === 1 ? "bucket" : "buckets"}
        </span>
      </p>
      <p>
        <span className="block font-serif text-3xl leading-none">
          <Figure projected>{money(board.monthCost)}</Figure>
        </span>
        <span className="text-sm text-ink-soft">in {month(board.month)}</span>
      </p>
      <p>
        <Sparkline values={board.trend} at={at} width={180} height={34} />
        <span className="text-sm text-ink-soft">
          <Figure projected>{money(board.trend.at(-1) ?? 0)}</Figure> a month in {board.months.at(-1)?.slice(0, 4)}
        </span>
      </p>
    </section>
  );
}

function Rows({ board, open }: { board: Board; open: string | undefined }) {
  const { params, set } = useAddress();
  const [find, setFind] = useState(params.get("find") ?? "");
  const finder = useRef<HTMLInputElement>(null);
  const [stripBox, stripWidth] = useWidth<HTMLDivElement>();
  const { at } = useAsOf(board.months);
  useKey("/", () => finder.current?.focus());

  const order = orders[params.get("sort") ?? "estate"] ?? orders.estate;
  const shown = board.buckets.filter((b) => b.name === open || matches(b, find)).toSorted(order?.compare);
  return (
    <section aria-label="Buckets">
      <div className="flex items-center gap-6 border-b border-hairline-strong pb-2 text-sm">
        <label>
          Find{" "}
          <input
            ref={finder}
            type="search"
            value={find}
            onChange={(e) => {
              setFind(e.target.value);
              set("find", e.target.value || null);
            }}
            placeholder="name, region, tier"
            className={`${inputLook} w-44`}
          />
        </label>
        <label>
          Sort by{" "}
          <select
            value={params.get("sort") ?? "estate"}
            onChange={(e) => set("sort", e.target.value === "estate" ? null : e.target.value)}
            className={inputLook}
          >
            {Object.entries(orders).map(([key, { label }]) => (
              <option key={key} value={key} className="bg-paper text-ink">
                {label}
              </option>
            ))}
          </select>
        </label>
        <Legend />
        <Link
          to={{ pathname: "/new", search: params.toString() }}
          className="ml-auto rounded-sm border border-accent bg-accent px-3 py-1 font-medium text-paper no-underline"
        >
          New bucket
        </Link>
      </div>
      <div className={`${boardColumns} items-end pt-3 pb-1 text-sm text-ink-soft`} aria-hidden="true">
        <span>bucket</span>
        <div ref={stripBox}>
          {stripWidth > 0 && <AgeAxisLabels scale={ageScale(board.axis, stripWidth)} width={stripWidth} />}
        </div>
        <span className="text-right">bytes</span>
        <span className="text-right">{month(board.month, "short")}</span>
        <span className="text-right">ten years</span>
      </div>
      <ul>
        {shown.map((row) => (
          <li key={row.name} className="scroll-mt-14 border-t border-hairline">
            <BoardLine
              row={row}
              axis={board.axis}
              projected={board.projected}
              stripWidth={stripWidth}
              at={at}
              open={row.name === open}
            />
            {row.name === open && <BucketSheet key={row.name} name={row.name} axis={board.axis} contents={row.contents} />}
          </li>
        ))}
      </ul>
      {shown.length === 0 && (
        <p className="py-6 text-ink-soft">
          {find ? `No bucket matches “${find}”.` : "No buckets yet: make the first one with n."}
        </p>
      )}
    </section>
  );
}

function matches(row: BoardRow, find: string): boolean {
  const text = `${row.name} ${row.region} ${row.scheme} ${row.contents.map((c) => c.tier).join(" ")}`;
  return find
    .toLowerCase()
    .split(" ")
    .every((word) => text.includes(word));
}

function Legend() {
  const { prices } = useEstate();
  return (
    <span className="flex gap-4">
      {prices.tiers.map((tier) => (
        <TierName key={tier.id} id={tier.id} />
      ))}
    </span>
  );
}

function Foot() {
  const etag = useQuery({ queryKey: ["estate"], queryFn: readEstate }).data?.etag ?? null;
  return (
    <footer className="no-print mt-10 flex items-center gap-6 border-t border-hairline pt-3 text-sm text-ink-soft">
      <a href="/api/estate/document" download="estate.json">
        Export the estate document
      </a>
      <ImportEstate etag={etag} kind="quiet" />
      <Link to="/http">HTTP interface</Link>
      <span className="ml-auto">? lists the keys</span>
    </footer>
  );
}
