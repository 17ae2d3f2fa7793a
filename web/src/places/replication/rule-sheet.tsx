import { useState } from "react";
import { Link } from "react-router";
import {
  type CopyRuleStatus,
  giveUpProbe,
  mendDifferences,
  type ProofHead,
  readBucket,
  removeCopyRule,
  sendProbe,
} from "../../api/client";
import { useBucketUndo } from "../../draft/bucket-undo";
import { useEstate } from "../../estate-context";
import { count, day, instant } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { AuditSection } from "./audit-section";
import { LineControls } from "./line-controls";
import { useDeed } from "./use-replication";
import { span } from "./words";

type SheetProps = {
  rule: CopyRuleStatus;
  probes: { id: number; key: string; written: string }[];
  records: ProofHead[];
  etag: string;
};

/** One rule, read downwards: its terms, its line, what failed and why, and its proofs. */
export function RuleSheet({ rule, probes, records, etag }: SheetProps) {
  const { bytes, tierName } = useEstate();
  const [auditing, setAuditing] = useState(false);
  const probe = useDeed(() => sendProbe(rule.id));
  const giveUp = useDeed((id: number) => giveUpProbe(id));
  const tryAgain = useDeed(() => mendDifferences(rule.id, { kind: "failed", mend: "try-again", version: null }));
  const undo = useBucketUndo();
  const remove = useDeed(
    async () => {
      const before = await readBucket(rule.bucket);
      await removeCopyRule(rule.id, etag);
      return { before: before.value, after: (await readBucket(rule.bucket)).value };
    },
    ({ before, after }) =>
      done(`The replication rule from ${rule.bucket} to ${rule.target} is removed.`, {
        label: "Undo",
        onClick: () => void undo(rule.bucket, before, after),
      }),
  );
  const terms = [
    rule.rule.tier ? `Copies land in ${tierName(rule.rule.tier)}.` : "Copies land where everything new lands there.",
    rule.rule.followDeletions ? "Deletions follow." : "Deletions do not follow: what is deleted here stays there.",
    `In force since ${instant(rule.made)}; ${bytes(rule.copiedBytes)} copied, ${bytes(rule.bytesADay)} a day of late.`,
  ];
  const last = records.find((r) => r.kind === "probe");
  const error = probe.error ?? giveUp.error ?? tryAgain.error ?? remove.error;
  return (
    <div className="grid grid-cols-2 gap-x-10 gap-y-3 pl-4" data-testid="rule-sheet">
      <div className="space-y-2">
        <p>{terms.join(" ")}</p>
        {rule.failures.map((failure) => (
          <p key={failure.code} className="border-l-4 border-bad px-3">
            <strong>
              {count(failure.objects)} {failure.objects === 1 ? "copy" : "copies"} failed.
            </strong>{" "}
            {failure.why} The next try is on {instant(failure.nextTry)}.{" "}
            <Button kind="quiet" onClick={() => tryAgain.mutate(undefined)}>
              Try again at once
            </Button>
          </p>
        ))}
        <LineControls rule={rule} />
        <p className="flex flex-wrap items-baseline gap-3">
          {!rule.bringsBack && (
            <>
              <Link to={`/replication/change/${rule.id}`}>Edit…</Link>
              <ConfirmButton
                label="Remove the rule"
                about={`from ${rule.bucket} to ${rule.target}`}
                question="What waits stays here; copies stay there. Remove it?"
                onConfirm={() => remove.mutate(undefined)}
              />
            </>
          )}
        </p>
        {error && <ErrorNote error={error} />}
      </div>
      <div className="space-y-2">
        <h2 className="text-lg">Proof</h2>
        <p className="flex flex-wrap items-baseline gap-3">
          <Button disabled={probe.isPending || rule.line === "lost"} onClick={() => probe.mutate(undefined)}>
            Send a probe
          </Button>
          <Button disabled={rule.line === "lost"} onClick={() => setAuditing(true)}>
            Compare both sides…
          </Button>
        </p>
        {rule.probeStaysUntil && (
          <p className="text-ink-soft">
            Retention has every probe sent now stay on both sides until {day(rule.probeStaysUntil)}.
          </p>
        )}
        {probes.map((p) => (
          <p key={p.id} role="status">
            The probe {p.key} was written on {instant(p.written)}. When it has arrived it is compared byte for byte and, unless a
            retention forbids it, removed on both sides: advance the clock.{" "}
            <Button kind="quiet" onClick={() => giveUp.mutate(p.id)}>
              Give it up
            </Button>
          </p>
        ))}
        {probes.length === 0 && last && (
          <p>
            The last probe: <Link to={`/replication/records/${last.id}`}>{last.summary}</Link>
          </p>
        )}
        {probes.length === 0 && !last && <p className="text-ink-soft">It was never proved by a probe.</p>}
        {rule.worstLagHours > 0 && (
          <p className="text-ink-soft">The latest copy of the last 30 days was {span(rule.worstLagHours)} late.</p>
        )}
      </div>
      {auditing && <AuditSection rule={rule} onClose={() => setAuditing(false)} />}
    </div>
  );
}
