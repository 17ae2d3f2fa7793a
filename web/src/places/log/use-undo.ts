import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiError, type Bucket, type LoggedChange, readBucket, readChange } from "../../api/client";
import { merge } from "../../draft/merge";

const ofBuckets = new Set(["bucket-changed", "switched-over", "switched-back"]);

/**
 * Takes a change back by a new draft, which is looked at and applied like any other: of what is there now, the parts that the change made
 * are made what they were before; what others changed since stays.
 */
export function useUndo(change: LoggedChange) {
  const navigate = useNavigate();
  const [error, setError] = useState<Error | null>(null);
  const can =
    ofBuckets.has(change.kind) ||
    change.kind === "bucket-deleted" ||
    change.kind === "bucket-made" ||
    change.kind === "line-changed";
  const undo = async () => {
    try {
      setError(null);
      const whole = await readChange(change.id);
      if (change.kind === "line-changed") {
        await navigate("/replication", { state: { line: JSON.parse(whole.before ?? whole.after ?? "{}") } });
        return;
      }
      if (change.kind === "bucket-made") {
        await navigate({ pathname: `/buckets/${change.subject}`, hash: "delete" });
        return;
      }
      const before = JSON.parse(whole.before ?? "{}") as Bucket;
      if (change.kind === "bucket-deleted") {
        await navigate("/new", {
          state: { bucket: before, why: "As the log has it from before it was deleted; its objects are not among it." },
        });
        return;
      }
      const after = JSON.parse(whole.after ?? "{}") as Bucket;
      const now = await readBucket(change.subject);
      await navigate(`/buckets/${change.subject}`, { state: { draft: merge(after, before, now.value).merged } });
    } catch (refusal) {
      setError(refusal instanceof ApiError ? refusal : (refusal as Error));
    }
  };
  return { can, undo, error };
}
