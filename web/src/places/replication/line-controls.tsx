import { type CopyRuleStatus, cutLine, restoreLine } from "../../api/client";
import { useEstate } from "../../estate-context";
import { instant } from "../../format";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { Emptying } from "./rule-list";
import { useDeed, useReplication } from "./use-replication";
import { span } from "./words";

/** The line that a rule uses: whether anything passes, and cutting it to see what happens. */
export function LineControls({ rule }: { rule: CopyRuleStatus }) {
  const { regionName } = useEstate();
  const copies = useReplication();
  const cut = useDeed((hours: number | null) => cutLine(from, to, hours));
  const restore = useDeed(() => restoreLine(from, to));
  const regionOf = (bucket: string) => copies.data?.value.regions.find((r) => r.buckets.some((b) => b.name === bucket))?.id ?? "";
  const [from, to] = [regionOf(rule.bucket), regionOf(rule.target)];
  const error = cut.error ?? restore.error;
  return (
    <div>
      <p>
        {regionName(from)} – {regionName(to)}:{" "}
        {rule.line === "open"
          ? "the line is open."
          : rule.line === "lost"
            ? "a region is lost; nothing passes until it is back."
            : `the line is cut${rule.lineOpens ? ` until ${instant(rule.lineOpens)}` : ""}.`}{" "}
        {rule.failedTries > 0 &&
          `Tried ${rule.failedTries} times in vain${rule.nextTry ? `; the next try is on ${instant(rule.nextTry)}` : ""}. `}
        {rule.waiting > 0 && (
          <>
            The backlog is gone: <Emptying rule={rule} />.{" "}
          </>
        )}
        {rule.lagHours > 0 && `The oldest${rule.oldestKey ? ` (${rule.oldestKey})` : ""} has waited for ${span(rule.lagHours)}.`}
      </p>
      {rule.line !== "lost" && (
        <p className="mt-1 flex gap-3">
          {rule.line === "cut" ? (
            <Button disabled={restore.isPending} onClick={() => restore.mutate(undefined)}>
              Restore the line
            </Button>
          ) : (
            <>
              <Button disabled={cut.isPending} onClick={() => cut.mutate(null)}>
                Cut the line
              </Button>
              <Button disabled={cut.isPending} onClick={() => cut.mutate(6)}>
                Cut it for 6 hours
              </Button>
            </>
          )}
        </p>
      )}
      {error && <ErrorNote error={error} />}
    </div>
  );
}
