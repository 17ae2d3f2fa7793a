import { Link } from "react-router";
import type { TargetReading } from "../../api/client";

/** What one should know of a target, before and after it is made. */
export function DoubtList({ doubts, bucket }: { doubts: TargetReading["doubts"]; bucket: string | null }) {
  if (doubts.length === 0) return null;
  return (
    <ul className="mt-2 max-w-3xl space-y-1" aria-label="Worth knowing">
      {doubts.map((doubt) => (
        <li key={doubt.sentence} className="border-l-4 border-hairline-strong pl-3">
          {doubt.sentence}
          {doubt.code === "same-place" && bucket && (
            <>
              {" "}
              <Link to={`/replication/new?from=${bucket}`}>Copy it elsewhere</Link>
            </>
          )}
        </li>
      ))}
    </ul>
  );
}
