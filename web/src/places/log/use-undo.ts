import { useState } from "react";
import { useNavigate } from "react-router";
import { type Bucket, type LoggedChange, type PriceBook, readChange, readPrices, type Transfer } from "../../api/client";
import { undoing } from "../../draft/bucket-undo";

type Way = { to: string; state?: unknown };

/** Where each kind of change is taken back. A failover has its failback at the rule; it changed two buckets at once. */
const ways: Record<string, (change: LoggedChange) => Promise<Way>> = {
  "bucket-changed": async ({ subject, before, after }) => ({
    to: `/buckets/${subject}`,
    state: { draft: await undoing(subject, JSON.parse(before ?? "{}") as Bucket, JSON.parse(after ?? "{}") as Bucket) },
  }),
  "bucket-deleted": async ({ before }) => ({
    to: "/new",
    state: {
      bucket: JSON.parse(before ?? "{}") as Bucket,
      why: "As the log has it from before it was deleted; its objects are not among it.",
    },
  }),
  "bucket-made": async ({ subject }) => ({ to: `/buckets/${subject}#delete` }),
  "prices-changed": async ({ before, after }) => {
    const { prices } = (await readPrices()).value;
    if (!isSameBook(prices, JSON.parse(after ?? "{}") as PriceBook))
      throw new Error("Prices were changed again since then, or others begin to hold: type in what is to hold under Prices.");
    return { to: "/prices", state: { draft: JSON.parse(before ?? "{}") as PriceBook } };
  },
  "line-changed": async ({ before, after }) => ({
    to: "/replication",
    // Where the price book had no line, it was free and without a limit.
    state: { line: before ? JSON.parse(before) : { ...pick(JSON.parse(after ?? "{}") as Transfer), price: 0 } },
  }),
};

const isSameBook = ({ earlier: _, ...one }: PriceBook, { earlier: __, ...other }: PriceBook) =>
  JSON.stringify(one) === JSON.stringify(other);

const pick = ({ from, to }: Transfer) => ({ from, to });

/** Takes a change back by a new draft, which is looked at and applied like any other; what others changed since stays. */
export function useUndo(change: LoggedChange) {
  const navigate = useNavigate();
  const [error, setError] = useState<Error | null>(null);
  const way = ways[change.kind];
  const undo = async () => {
    try {
      setError(null);
      const { to, state } = (await way?.(await readChange(change.id))) ?? { to: "/log" };
      await navigate(to, { state });
    } catch (refusal) {
      setError(refusal as Error);
    }
  };
  return { can: way !== undefined, undo, error };
}
