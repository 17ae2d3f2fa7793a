import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Link } from "react-router";
import { type Board, readEstate } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { Opens } from "../../money/opens";
import { useAsOf } from "../../rail/as-of";
import { TierName } from "../../strip/tiers";
import { Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { Sparkline } from "../../ui/sparkline";
import { OverBudget } from "../budgets/over-budget";
import { BoardFilters } from "./board-filters";
import { BoardRows } from "./board-rows";
import { FirstVisit } from "./first-visit";
import { ImportEstate } from "./import-estate";
import { useBoard } from "./use-board";

const NewBucket = lazy(() => import("../bucket/new-bucket").then((m) => ({ default: m.NewBucket })));

/** The board of strips: every bucket is a row, and a row leads to the bucket's page. */
export function EstatePlace({ making = false }: { making?: boolean }) {
  usePageTitle(making ? "New bucket" : "Estate");
  const { query, board } = useBoard();
  return (
    <div className="px-6 pb-6">
      {board.error && <ErrorNote error={board.error} />}
      {board.data && <Totals board={board.data} />}
      {board.data && !making && <FirstVisit />}
      {making && (
        <Suspense fallback={<div className="h-80" />}>
          <NewBucket />
        </Suspense>
      )}
      {board.data && (
        <>
          <BoardFilters />
          <BoardRows board={board.data} query={query} />
          {board.data.matching === 0 && (
            <p className="py-6 text-ink-soft">
              {board.data.inAll > 0 ? (
                "No bucket matches."
              ) : (
                <>
                  No buckets yet. <Link to="/new">Make the first one</Link> (or press n), or{" "}
                  <Link to="/advice">answer a few questions</Link> and let them fill it in.
                </>
              )}
            </p>
          )}
        </>
      )}
      <Foot />
    </div>
  );
}

function Totals({ board }: { board: Board }) {
  const { estate, money, bytes, prices } = useEstate();
  const { at } = useAsOf(estate.months);
  const some = board.matching < board.inAll;
  return (
    <section aria-label="Totals" className="flex flex-wrap items-end gap-x-10 gap-y-1 py-3">
      <h1 className="text-3xl">{estate.name}</h1>
      <span className="grid grid-flow-col grid-rows-2 gap-x-5 text-sm">
        <Link to="/keeping">Keeping</Link>
        <Link to="/cheapest">Cheapest schedules</Link>
        <Link to="/arrays">Local arrays</Link>
      </span>
      <p>
        <span className="font-serif text-2xl leading-none">
          <Figure projected={board.projected}>{bytes(board.bytes)}</Figure>
        </span>{" "}
        <span className="text-sm text-ink-soft">
          {count(board.objects, 0)} objects in {some && `${count(board.matching)} of `}
          {count(board.inAll)} {board.inAll === 1 ? "bucket" : "buckets"}
        </span>
      </p>
      <p>
        <span className="font-serif text-2xl leading-none">
          <Figure projected>{money(board.monthCost)}</Figure>
        </span>{" "}
        <span className="text-sm text-ink-soft">
          {some ? (
            `in ${month(board.month)}`
          ) : (
            <Link
              to={`/why?month=${board.month}`}
              title={board.agreed === 0 ? "what makes it" : `with agreements of ${money(board.agreed)}, which no bucket has`}
            >
              in {month(board.month)}
            </Link>
          )}
        </span>{" "}
        <OverBudget />
      </p>
      <p className="flex items-end gap-2">
        <Sparkline values={board.trend} at={at} width={140} height={28} />
        <span className="text-sm text-ink-soft">
          {some ? (
            <Figure projected>{money(board.trend.at(-1) ?? 0)}</Figure>
          ) : (
            <Opens why={{ month: estate.months.at(-1) ?? "" }} label={`${money(board.trend.at(-1) ?? 0)} at the end`}>
              <Figure projected>{money(board.trend.at(-1) ?? 0)}</Figure>
            </Opens>
          )}{" "}
          a month in {estate.months.at(-1)?.slice(0, 4)}
        </span>
      </p>
      <p className="ml-auto flex gap-4 text-sm">
        {prices.tiers.map((tier) => (
          <TierName key={tier.id} id={tier.id} />
        ))}
      </p>
    </section>
  );
}

function Foot() {
  const etag = useQuery({ queryKey: keys.estate, queryFn: readEstate }).data?.etag ?? null;
  return (
    <footer className="no-print mt-10 flex flex-wrap items-center gap-6 border-t border-hairline pt-3 text-sm text-ink-soft">
      <a href="/api/estate/document" download="estate.json">
        Export the estate document
      </a>
      <ImportEstate etag={etag} kind="quiet" />
      <Link to="/about">What Ripen computes</Link>
      <Link to="/http">HTTP interface</Link>
      <span className="ml-auto">? lists the keys</span>
    </footer>
  );
}
