import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type LogCursor, type LoggedChange, linesOfLog, readChange, readChanges, type YearChange } from "../../api/client";
import { keys } from "../../api/keys";
import { apart } from "../../draft/parts-in-words";
import { useEstate } from "../../estate-context";
import { moment } from "../../format";
import { yearNames } from "../../money/year-table";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useUndo } from "./use-undo";

const deeds: Record<string, string> = {
  "estate-imported": "Estate imported",
  "bucket-made": "Bucket made",
  "bucket-changed": "Bucket changed",
  "bucket-deleted": "Bucket deleted",
  "switched-over": "Failover",
  "switched-back": "Failback",
  "line-changed": "Line changed",
  "prices-changed": "Prices changed",
  "bill-brought": "Bill brought",
  "bill-removed": "Bill forgotten",
  "budget-fixed": "Budget fixed",
  "budget-changed": "Budget changed",
  "keep-rule-lifted": "Retention lifted",
  "hold-placed": "Legal hold placed",
  "hold-released": "Legal hold released",
  "folder-taken": "The folder's state taken",
  "database-taken": "The database's state taken",
  "credential-made": "Credential kept",
  "credential-changed": "Credential changed",
  "credential-removed": "Credential forgotten",
  "target-made": "Backup target made",
  "target-changed": "Backup target changed",
  "target-removed": "Backup target removed",
  "workload-made": "Workload added",
  "workload-changed": "Workload changed",
  "workload-removed": "Workload removed",
  "plan-made": "Backup plan made",
  "plan-changed": "Backup plan changed",
  "plan-removed": "Backup plan removed",
  "list-changed": "List changed",
  "done-by-hand": "Done by hand",
};

/** Decisions are numbered from 1 up, deeds at the provider from -1 down. */
function placeBelow(lines: LoggedChange[]): LogCursor {
  const lowest = (ids: number[]) => (ids.length > 0 ? Math.min(...ids) : undefined);
  const before = lowest(lines.filter((l) => l.id > 0).map((l) => l.id));
  const beforeDeed = lowest(lines.filter((l) => l.id < 0).map((l) => -l.id));
  return { ...(before ? { before } : {}), ...(beforeDeed ? { beforeDeed } : {}) };
}

/** What was changed, when and by whom; older changes follow as one asks, documents when they are opened. */
export function LogPlace() {
  usePageTitle("Log");
  const changes = useInfiniteQuery({
    queryKey: keys.changes,
    queryFn: ({ pageParam }) => readChanges(pageParam),
    initialPageParam: {} as LogCursor,
    getNextPageParam: (page, pages) => (page.length < linesOfLog ? null : placeBelow(pages.flat())),
  });
  const lines = changes.data?.pages.flat() ?? [];
  return (
    <div className="px-6 pb-24">
      <h1 className="py-4 text-3xl">Log</h1>
      {changes.error && <ErrorNote error={changes.error} />}
      <ol>
        {lines.map((change) => (
          <li
            key={change.id}
            className="grid grid-cols-[12rem_11rem_minmax(0,1fr)_9rem_6rem] gap-x-6 border-t border-hairline py-2"
          >
            <time dateTime={change.at} className="text-ink-soft">
              {moment(change.at)}
            </time>
            <span>
              {deeds[change.kind] ?? change.kind}
              <span className="block text-sm text-ink-soft">{change.actor}</span>
            </span>
            <Details change={change} />
            <Weight change={change} />
            <Undo change={change} />
          </li>
        ))}
      </ol>
      {changes.hasNextPage && (
        <Button className="mt-3" disabled={changes.isFetchingNextPage} onClick={() => void changes.fetchNextPage()}>
          Show older ones
        </Button>
      )}
    </div>
  );
}

function Undo({ change }: { change: LoggedChange }) {
  const { can, undo, error } = useUndo(change);
  if (!can) return <span />;
  return (
    <span className="text-right">
      <Button kind="quiet" aria-label={`Undo: ${deeds[change.kind]} ${change.subject}`} onClick={() => void undo()}>
        Undo…
      </Button>
      {error && <span className="block text-sm text-bad">{error.message}</span>}
    </span>
  );
}

function Details({ change }: { change: LoggedChange }) {
  return change.kind === "done-by-hand" ? (
    <p>
      {change.subject && `${change.subject}: `}
      {change.after}
    </p>
  ) : (
    <Decision change={change} />
  );
}

/** Prices and lines between regions are nobody's: what they change is the estate's. */
function costOf(change: LoggedChange) {
  const ofEstate = change.kind === "line-changed" || change.kind === "prices-changed";
  return {
    ofEstate,
    before: (year: YearChange) => (ofEstate ? year.estateBefore : year.bucketBefore),
    after: (year: YearChange) => (ofEstate ? year.estateAfter : year.bucketAfter),
  };
}

/** What the change was shown to cost in the tenth year, before and after, as two bars: the text beside it has the numbers. */
function Weight({ change }: { change: LoggedChange }) {
  const year = change.shown?.at(-1);
  if (!year) return <span />;
  const { before, after } = costOf(change);
  const most = Math.max(before(year), after(year));
  if (most <= 0) return <span />;
  const bar = (amount: number) => `${(100 * Math.max(0, amount)) / most}%`;
  return (
    <span aria-hidden="true" className="flex flex-col gap-1 pt-1.5" title="in the tenth year, before and after">
      <span className="h-2 border border-ink-soft" style={{ width: bar(before(year)) }} />
      <span className={`h-2 ${after(year) > before(year) ? "bg-bad" : "bg-good"}`} style={{ width: bar(after(year)) }} />
    </span>
  );
}

function Decision({ change }: { change: LoggedChange }) {
  const { money } = useEstate();
  const { ofEstate, before, after } = costOf(change);
  const aboutBucket =
    change.kind.startsWith("bucket") ||
    change.kind === "keep-rule-lifted" ||
    change.kind.startsWith("hold-") ||
    change.kind.startsWith("switched");
  return (
    <div className="min-w-0">
      {aboutBucket && change.kind !== "bucket-deleted" ? (
        <Link to={`/buckets/${change.subject}`}>{change.subject}</Link>
      ) : (
        <span>{change.subject}</span>
      )}
      {change.reason && <span className="ml-3">because: {change.reason}</span>}
      {change.parts.length > 0 && <span className="ml-3 text-ink-soft">{change.parts.map(apart).join(", ")}</span>}
      {change.shown && (
        <span className="block text-sm">
          shown before applying, {ofEstate ? "the estate a year" : "a year"}:{" "}
          {change.shown
            .map((year) => `${yearNames[year.year] ?? year.year} ${money(before(year))} → ${money(after(year))}`)
            .join(", ")}
        </span>
      )}
      <Documents id={change.id} />
    </div>
  );
}

/** Before and after, fetched when they are opened. */
function Documents({ id }: { id: number }) {
  const [whole, setWhole] = useState<LoggedChange | Error | null>(null);
  const open = async () => {
    if (whole && !(whole instanceof Error)) return;
    try {
      setWhole(await readChange(id));
    } catch (error) {
      setWhole(error as Error);
    }
  };
  return (
    <details className="text-sm" onToggle={(event) => event.currentTarget.open && void open()}>
      <summary className="cursor-pointer text-ink-soft">before and after</summary>
      {whole instanceof Error && <ErrorNote error={whole} />}
      {whole && !(whole instanceof Error) && (
        <div className="grid grid-cols-2 gap-4">
          {[whole.before, whole.after].map((document, i) => (
            <pre key={i === 0 ? "before" : "after"} className="max-h-80 overflow-auto border-l border-hairline pl-3 text-xs">
              {document ?? (i === 0 ? "There was nothing before." : "There is nothing after.")}
            </pre>
          ))}
        </div>
      )}
    </details>
  );
}
