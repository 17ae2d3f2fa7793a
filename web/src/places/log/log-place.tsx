import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type LoggedChange, readChanges } from "../../api/client";
import { useEstate } from "../../estate-context";
import { ErrorNote } from "../../ui/error-note";

const deeds: Record<string, string> = {
  "estate-imported": "Estate imported",
  "bucket-made": "Bucket made",
  "bucket-changed": "Bucket changed",
  "bucket-deleted": "Bucket deleted",
  "switched-over": "Copy took over",
  "switched-back": "Taken back",
  "line-changed": "Line changed",
  "keep-rule-lifted": "Keep rule lifted",
  "folder-taken": "The folder's state taken",
  "database-taken": "The database's state taken",
  "done-by-hand": "Done by hand",
};

const ordinals: Record<number, string> = { 1: "first", 3: "third", 10: "tenth" };

/** What was changed and when, with the document before and after. */
export function LogPlace() {
  const changes = useQuery({ queryKey: ["changes"], queryFn: readChanges });
  if (changes.error) return <ErrorNote error={changes.error} />;
  return (
    <div className="px-6 pb-24">
      <h1 className="py-5 text-3xl">Log</h1>
      <ol>
        {(changes.data ?? []).map((change) => (
          <li key={change.id} className="grid grid-cols-[13rem_11rem_1fr] gap-x-6 border-t border-hairline py-2">
            <time dateTime={change.at} className="text-ink-soft">
              {new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short", timeZone: "UTC" }).format(
                new Date(change.at),
              )}{" "}
              UTC
            </time>
            <span>
              {deeds[change.kind] ?? change.kind}
              <span className="block text-sm text-ink-soft">{change.actor}</span>
            </span>
            <Details change={change} />
          </li>
        ))}
      </ol>
    </div>
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

function Decision({ change }: { change: LoggedChange }) {
  const { money } = useEstate();
  const parts = changedParts(change);
  const aboutBucket =
    change.kind.startsWith("bucket") || change.kind === "keep-rule-lifted" || change.kind.startsWith("switched");
  return (
    <div className="min-w-0">
      {aboutBucket && change.kind !== "bucket-deleted" ? (
        <Link to={`/buckets/${change.subject}`}>{change.subject}</Link>
      ) : (
        <span>{change.subject}</span>
      )}
      {change.reason && <span className="ml-3">because: {change.reason}</span>}
      {parts.length > 0 && <span className="ml-3 text-ink-soft">{parts.join(", ")}</span>}
      {change.shown && (
        <span className="ml-3">
          shown before applying, a year:{" "}
          {change.shown
            .map((year) => `${ordinals[year.year] ?? year.year} ${money(year.bucketBefore)} → ${money(year.bucketAfter)}`)
            .join(", ")}
        </span>
      )}
      <details className="text-sm">
        <summary className="cursor-pointer text-ink-soft">the documents</summary>
        <div className="grid grid-cols-2 gap-4">
          {[change.before, change.after].map((document, i) => (
            <pre key={i === 0 ? "before" : "after"} className="max-h-80 overflow-auto border-l border-hairline pl-3 text-xs">
              {document ?? (i === 0 ? "There was nothing before." : "There is nothing after.")}
            </pre>
          ))}
        </div>
      </details>
    </div>
  );
}

/** The names of a bucket's parts that differ between the two documents. */
function changedParts(change: LoggedChange): string[] {
  if (!change.before || !change.after) return [];
  const [before, after] = [JSON.parse(change.before), JSON.parse(change.after)];
  return [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
    (part) => JSON.stringify(before[part]) !== JSON.stringify(after[part]),
  );
}
