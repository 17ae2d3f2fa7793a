import { useQuery } from "@tanstack/react-query";
import { promoteCopy, readPromotion } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { CostTable } from "./cost-table";
import { useDeed } from "./use-replication";

/** A copy takes the place of its original: what that means stands here before it is done. */
export function PromoteDialog({ from, to, onClose }: { from: string; to: string; onClose: () => void }) {
  const { bytes } = useEstate();
  const reading = useQuery({ queryKey: ["promotion", from, to], queryFn: () => readPromotion(from, to), retry: false });
  const promote = useDeed(() => promoteCopy(from, to, reading.data?.etag ?? ""), onClose);
  const { problems, cost, rule } = reading.data?.value ?? { problems: [], cost: [], rule: null };
  return (
    <Dialog open onClose={onClose} title={`${to} takes the place of ${from}`}>
      <p>
        Workload and reading habit move to {to}. What is written there is copied back to {from} as soon as it can be reached, so
        that it can be taken back on the way of a move.
      </p>
      {rule && rule.waiting > 0 && (
        <p className="mt-2 border-l-4 border-bad px-3">
          {count(rule.waiting)} objects, {bytes(rule.waitingBytes)}, still wait to be copied; they arrive when the line is open
          again.
        </p>
      )}
      {problems.map((p) => (
        <p key={p.code} role="alert" className="mt-2 border-l-4 border-bad px-3">
          {p.message}
        </p>
      ))}
      <div className="mt-3 max-w-sm">
        <CostTable cost={cost} />
      </div>
      {reading.error && <ErrorNote error={reading.error} />}
      {promote.error && <ErrorNote error={promote.error} />}
      <div className="mt-4 flex gap-3">
        <Button
          kind="primary"
          disabled={!reading.data || problems.length > 0 || promote.isPending}
          onClick={() => promote.mutate(undefined)}
        >
          Promote it
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
