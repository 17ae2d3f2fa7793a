import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { BatchSum, ListingPage, StoredVersion } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { count, day } from "../../../format";
import { TierName } from "../../../strip/tiers";
import { Button, Figure } from "../../../ui/controls";
import { keptUntil } from "./kept-words";

const lineHeight = 34;

/** Pixels for the page's head and the fields that ask. */
const roomAbove = 240;

type Row =
  | { kind: "prefix"; key: string }
  | { kind: "batch"; key: string; batch: BatchSum }
  | { kind: "object"; key: string; object: StoredVersion };

type RowsProps = {
  pages: ListingPage[];
  prefix: string;
  /** What the pages answer, as a text. */
  question: string;
  onPrefix: (prefix: string) => void;
  onOpen: (key: string) => void;
  hasMore: boolean;
  onMore: () => void;
};

/** Every key that was listed, of which only those in the window are there; the next page comes when the end is near. */
export function ObjectRows({ pages, prefix, question, onPrefix, onOpen, hasMore, onMore }: RowsProps) {
  const table = useRef<HTMLTableSectionElement>(null);
  const [top, setTop] = useState(0);
  // What stands above may have grown: where the list begins is looked at after every drawing.
  useLayoutEffect(() => setTop(Math.round((table.current?.getBoundingClientRect().top ?? 0) + window.scrollY)));
  // Another question begins at its first answer, wherever one was in those of the last.
  const listTop = useRef(top);
  listTop.current = top;
  // biome-ignore lint/correctness/useExhaustiveDependencies: for every question anew
  useEffect(() => {
    if (window.scrollY > listTop.current) window.scrollTo(0, listTop.current - roomAbove);
  }, [question]);
  const rows: Row[] = pages.flatMap((page) => [
    ...page.prefixes.map((key) => ({ kind: "prefix" as const, key })),
    ...page.batches.map((batch) => ({ kind: "batch" as const, key: `${batch.key} ${batch.tier}`, batch })),
    ...page.objects.map((object) => ({ kind: "object" as const, key: String(object.version), object })),
  ]);
  const lines = useWindowVirtualizer({
    count: rows.length,
    estimateSize: () => lineHeight,
    overscan: 12,
    scrollMargin: top,
  });
  const items = lines.getVirtualItems();
  const last = items.at(-1)?.index ?? -1;
  useEffect(() => {
    if (hasMore && last >= rows.length - 40) onMore();
  }, [hasMore, last, rows.length, onMore]);
  const margin = lines.options.scrollMargin;
  const before = (items[0]?.start ?? margin) - margin;
  const after = lines.getTotalSize() - ((items.at(-1)?.end ?? margin) - margin);
  return (
    <table className="w-full table-fixed" aria-rowcount={hasMore ? -1 : rows.length + 1}>
      <thead className="text-left text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="py-1 font-normal">key</th>
          <th className="w-24 text-right font-normal">bytes</th>
          <th className="w-28 pl-6 font-normal">tier</th>
          <th className="w-48 font-normal">created</th>
          <th className="w-32 font-normal">kept until</th>
        </tr>
      </thead>
      <tbody ref={table}>
        {before > 0 && <Gap height={before} />}
        {items.map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          const index = item.index + 2;
          if (row.kind === "prefix")
            return (
              <PrefixLine key={row.key} index={index} text={row.key.slice(prefix.length)} onOpen={() => onPrefix(row.key)} />
            );
          if (row.kind === "batch") return <BatchLine key={row.key} index={index} batch={row.batch} prefix={prefix} />;
          return (
            <ObjectLine key={row.key} index={index} object={row.object} prefix={prefix} onOpen={() => onOpen(row.object.key)} />
          );
        })}
        {after > 0 && <Gap height={after} />}
      </tbody>
    </table>
  );
}

const Gap = ({ height }: { height: number }) => (
  <tr>
    <td colSpan={5} style={{ height, padding: 0 }} />
  </tr>
);

type LineProps = { index: number };

function PrefixLine({ index, text, onOpen }: LineProps & { text: string; onOpen: () => void }) {
  return (
    <tr className="border-b border-hairline" style={{ height: lineHeight }} aria-rowindex={index}>
      <td colSpan={5}>
        <Button kind="quiet" className="max-w-full truncate text-left" onClick={onOpen}>
          {text}
        </Button>
      </td>
    </tr>
  );
}

function ObjectLine({
  index,
  object,
  prefix,
  onOpen,
}: LineProps & { object: StoredVersion; prefix: string; onOpen: () => void }) {
  const { bytes } = useEstate();
  return (
    <tr className="border-b border-hairline" style={{ height: lineHeight }} aria-rowindex={index}>
      <td>
        <Button kind="quiet" className="max-w-full truncate text-left" onClick={onOpen}>
          {object.key.slice(prefix.length)}
        </Button>
      </td>
      <td className="text-right">{bytes(object.bytes)}</td>
      <td className="pl-6">
        <TierName id={object.tier} />
      </td>
      <td>{day(object.created)}</td>
      <td>{object.kept == null ? <span className="text-ink-soft">–</span> : keptUntil(object.kept)}</td>
    </tr>
  );
}

/** What a simulated workload wrote: so many objects without content, together. */
function BatchLine({ index, batch, prefix }: LineProps & { batch: BatchSum; prefix: string }) {
  const { bytes } = useEstate();
  const under = batch.key.slice(prefix.length);
  return (
    <tr className="border-b border-hairline text-ink-soft" style={{ height: lineHeight }} aria-rowindex={index}>
      <td className="truncate pl-1">
        {under && `${under}: `}
        <Figure projected={!Number.isInteger(batch.count)}>{count(batch.count)}</Figure> simulated objects, no content
      </td>
      <td className="text-right">{bytes(batch.bytes)}</td>
      <td className="pl-6">
        <TierName id={batch.tier} />
      </td>
      <td colSpan={2}>
        {day(batch.oldest)}
        {batch.newest !== batch.oldest && ` to ${day(batch.newest)}`}
      </td>
    </tr>
  );
}
