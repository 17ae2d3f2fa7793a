import { Link, useParams, useSearchParams } from "react-router";
import { useEstate } from "../../estate-context";
import { moment } from "../../format";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { LineList } from "./line-list";
import { pairOf, regionsOf } from "./map-geometry";
import { PassTime } from "./pass-time";
import { RecordList } from "./record-list";
import { ReplicationMap } from "./replication-map";
import { RuleList } from "./rule-list";
import { useReplication } from "./use-replication";

/** Copies elsewhere: which objects are safe, how late the rest is, and how to prove it. A rule opens in the list (/replication/rules/…). */
export function ReplicationPlace() {
  usePageTitle("Replication");
  const copies = useReplication();
  const { estate, regionName } = useEstate();
  const pair = useSearchParams()[0].get("pair");
  const open = Number(useParams().rule ?? Number.NaN);
  if (copies.error && !copies.data) return <ErrorPage what="Replication" error={copies.error} />;
  if (!copies.data) return <div className="h-96" />;
  const { now, regions, rules, lines, probes, records } = copies.data.value;
  const late = rules.filter((r) => r.standing === "late").length;
  const regionOf = regionsOf(regions);
  const shown = pair ? rules.filter((r) => pairOf(regionOf, r) === pair) : rules;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-1 pt-5">
        <h1 className="text-3xl">Replication</h1>
        <p className="text-ink-soft">
          As of {moment(now)}.{" "}
          {rules.length === 0
            ? "Nothing is copied."
            : late === 0
              ? "No rule is late."
              : `${late} of ${rules.length} rules ${late === 1 ? "is" : "are"} late.`}
        </p>
        <span className="ml-auto flex flex-wrap items-baseline gap-4">
          <PassTime />
          <Link to="/replication/move">Migrate a bucket…</Link>
          {estate.buckets.length > 0 && (
            <Link
              to="/replication/new"
              className="rounded-sm border border-accent bg-accent px-3 py-1 font-medium text-paper no-underline"
            >
              New replication rule
            </Link>
          )}
        </span>
      </div>
      {rules.length === 0 && (
        <p className="mt-3 max-w-3xl">
          A replication rule protects a bucket against the loss of its region: what arrives there is copied to a bucket in another
          region, and you see at any moment which objects are safe and how late the rest is.
        </p>
      )}
      <div className="mt-5">
        <ReplicationMap regions={regions} rules={shown} open={open} each={pair !== null} />
        {pair && (
          <p className="text-sm">
            Only {shown.length} rules from {pair.split("~").map(regionName).join(" to ")}. <Link to="/replication">Show all</Link>
          </p>
        )}
      </div>
      {rules.length > 0 && <RuleList rules={shown} probes={probes} records={records} open={open} etag={copies.data.etag} />}
      <LineList lines={lines} regions={regions} etag={copies.data.etag} />
      <RecordList records={records} />
    </div>
  );
}
