import { ReplicationMap } from "./replication-map";
import { useReplication } from "./use-replication";

type PartMapProps = { concerns: (bucket: string, region: string) => boolean };

/** Of the map of all copies the part about some buckets: they, and what copies into or out of them. */
export function PartMap({ concerns }: PartMapProps) {
  const copies = useReplication().data?.value;
  if (!copies) return null;
  const about = new Set(copies.regions.flatMap((r) => r.buckets.filter((b) => concerns(b.name, r.id)).map((b) => b.name)));
  const rules = copies.rules.filter((r) => about.has(r.bucket) || about.has(r.target));
  const ends = new Set(rules.flatMap((r) => [r.bucket, r.target]));
  const regions = copies.regions
    .map((r) => ({ ...r, buckets: r.buckets.filter((b) => ends.has(b.name)) }))
    .filter((r) => r.buckets.length > 0);
  if (rules.length === 0) return <p className="text-ink-soft">No replication rule leads there or from there.</p>;
  return <ReplicationMap regions={regions} rules={rules} open={0} each={false} />;
}
