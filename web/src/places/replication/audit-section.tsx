import { useState } from "react";
import { Link } from "react-router";
import { type AuditResult, auditRule, type CopyRuleStatus, type MendOrder, mendDifferences } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { ItemTable, inWords } from "./item-table";
import { useDeed } from "./use-replication";

const mendWords: Record<MendOrder["mend"], string> = {
  copy: "Copy it",
  "bring-back": "Bring it back here",
  remove: "Remove it there",
  mend: "Write it anew from the other side",
  "try-again": "Try again at once",
};

/** Both sides compared; every difference with what can be done about it, one by one or all of a kind. */
export function AuditSection({ rule, onClose }: { rule: CopyRuleStatus; onClose: () => void }) {
  const [readEverything, setReadEverything] = useState(false);
  const audit = useDeed(() => auditRule(rule.id, readEverything));
  const mend = useDeed(
    (order: MendOrder) => mendDifferences(rule.id, order),
    () => audit.mutate(undefined),
  );
  const error = audit.error ?? mend.error;
  return (
    <Dialog open wide onClose={onClose} title={`${rule.bucket} and ${rule.target}, compared`}>
      <p>
        Keys, versions and checksums of both sides are compared. Reading every byte takes longer and finds what was damaged on the
        disk as well; reading is not charged.
      </p>
      <p className="mt-2 flex items-baseline gap-5">
        <label className="inline-flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={readEverything}
            onChange={(e) => setReadEverything(e.target.checked)}
          />
          Read every byte
        </label>
        <Button kind="primary" disabled={audit.isPending} onClick={() => audit.mutate(undefined)}>
          {audit.data ? "Compare again" : "Compare now"}
        </Button>
      </p>
      {error && <ErrorNote error={error} />}
      {audit.data && <Result result={audit.data} busy={mend.isPending} onMend={(order) => mend.mutate(order)} />}
    </Dialog>
  );
}

type ResultProps = { result: AuditResult; busy: boolean; onMend: (order: MendOrder) => void };

function Result({ result, busy, onMend }: ResultProps) {
  const { bytes } = useEstate();
  const kinds = [...new Set(result.differences.map((d) => d.item.kind))];
  return (
    <div className="mt-4" role="status">
      <p className={`border-l-4 px-3 ${result.good ? "border-good" : "border-bad"}`}>
        {count(result.compared)} objects, {bytes(result.bytes)}: {count(result.same)} the same on both sides,{" "}
        {count(result.waiting)} waiting.{" "}
        {result.differences.length === 0
          ? "No difference."
          : result.good
            ? "Nothing that has to be there is missing."
            : "The two sides differ."}{" "}
        {result.record != null && <Link to={`/replication/records/${result.record}`}>The record</Link>}
      </p>
      {kinds.map((kind) => {
        const differences = result.differences.filter((d) => d.item.kind === kind);
        const mends = differences[0]?.mends ?? [];
        return (
          <div key={kind} className="mt-4">
            <p className="flex flex-wrap items-baseline gap-3">
              <strong>
                {count(differences.reduce((sum, d) => sum + d.item.objects, 0))} {inWords(kind)}
              </strong>
              {mends.map((one) => (
                <Button
                  key={one}
                  disabled={busy}
                  aria-label={`${mendWords[one]}, all of them: ${inWords(kind)}`}
                  onClick={() => onMend({ kind, mend: one, version: null })}
                >
                  {mendWords[one]}, all of them
                </Button>
              ))}
            </p>
            <ItemTable
              label={inWords(kind)}
              items={differences.map((d) => d.item)}
              mends={(item) =>
                item.version > 0 &&
                mends.map((one) => (
                  <Button
                    key={one}
                    kind="quiet"
                    disabled={busy}
                    aria-label={`${mendWords[one]}: ${item.key}`}
                    onClick={() => onMend({ kind, mend: one, version: item.version })}
                  >
                    {mendWords[one]}
                  </Button>
                ))
              }
            />
          </div>
        );
      })}
    </div>
  );
}
