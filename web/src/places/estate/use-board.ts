import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { type BoardQuery, type BoardRow, readBoard } from "../../api/client";
import { keys } from "../../api/keys";

/** Rows of one question. */
export const stretch = 60;

/** What the address asks of the board. */
export function boardQuery(params: URLSearchParams): BoardQuery {
  const text = (name: string) => params.get(name) ?? undefined;
  const cost = Number(params.get("cost"));
  const query: BoardQuery = {
    on: text("on"),
    find: text("find"),
    region: text("region"),
    tier: text("tier"),
    sort: text("sort"),
    state: params.getAll("state"),
    costFrom: cost > 0 ? cost : undefined,
    descending: params.get("order") === "down" ? true : undefined,
    limit: stretch,
  };
  return Object.fromEntries(Object.entries(query).filter(([, v]) => v !== undefined && !(Array.isArray(v) && v.length === 0)));
}

/** The first stretch, with the sums over all that match. */
export function useBoard() {
  const [params] = useSearchParams();
  const query = boardQuery(params);
  const board = useQuery({
    queryKey: keys.board(query),
    queryFn: ({ signal }) => readBoard(query, signal),
    placeholderData: keepPreviousData,
  });
  return { query, board };
}

/** The rows from `first` to `last`, as far as they are there; asks for the stretches that are not. */
export function useRows(query: BoardQuery, first: number, last: number): (place: number) => BoardRow | undefined {
  const from = Math.max(0, Math.floor(first / stretch));
  const to = Math.max(from, Math.floor(last / stretch));
  const pages = Array.from({ length: to - from + 1 }, (_, i) => from + i);
  const answers = useQueries({
    queries: pages.map((page) => {
      const part = page === 0 ? query : { ...query, offset: page * stretch };
      return {
        queryKey: keys.board(part),
        queryFn: ({ signal }: { signal: AbortSignal }) => readBoard(part, signal),
        placeholderData: keepPreviousData,
      };
    }),
  });
  return (place) => {
    const answer = answers[Math.floor(place / stretch) - from]?.data;
    const row = answer?.buckets[place - Math.floor(place / stretch) * stretch];
    return answer?.offset === Math.floor(place / stretch) * stretch ? row : undefined;
  };
}
