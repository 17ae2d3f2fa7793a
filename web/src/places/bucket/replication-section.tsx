import { Link } from "react-router";
import type { Bucket } from "../../api/client";
import { useEstate } from "../../estate-context";
import { useReplication } from "../replication/use-replication";
import { scope, span } from "../replication/words";

/** Where this bucket is copied to and from, and how late it is; rules are made and changed at Copies, where both sides are seen. */
export function ReplicationSection({ bucket }: { bucket: Bucket }) {
  const { tierName } = useEstate();
  const copies = useReplication();
  const rules = copies.data?.value.rules ?? [];
  const out = rules.filter((r) => r.bucket === bucket.name);
  const into = rules.filter((r) => r.target === bucket.name);
  return (
    <section id="replication" aria-label="Replication" className="scroll-mt-16">
      <h2 className="text-lg">Replication</h2>
      {out.length === 0 && into.length === 0 && (
        <p className="text-ink-soft">What lies here is nowhere else: it is lost with its region.</p>
      )}
      {out.map((r) => (
        <p key={r.id}>
          <Link to={`/replication/rules/${r.id}`}>
            {scope(r.rule)} – {r.target}
          </Link>
          {r.rule.tier ? `, landing in ${tierName(r.rule.tier)}` : ""}
          {r.rule.followDeletions ? ", deletions too" : ""}:{" "}
          {r.lagHours > 0 ? (
            <span className={r.standing === "late" ? "text-bad" : ""}>{span(r.lagHours)} late</span>
          ) : (
            "nothing waits"
          )}
          .
        </p>
      ))}
      {into.map((r) => (
        <p key={r.id}>
          Receives <Link to={`/replication/rules/${r.id}`}>{scope(r.rule)}</Link> from {r.bucket}.
        </p>
      ))}
      <p className="mt-1 text-sm">
        <Link to={`/replication/new?from=${bucket.name}`}>New replication rule</Link>
      </p>
    </section>
  );
}
