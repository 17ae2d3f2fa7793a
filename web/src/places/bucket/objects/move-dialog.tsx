import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bucket, moveToTier, readTierMove, type TierMove } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { count } from "../../../format";
import { WhatMakesIt } from "../../../money/priced-terms";
import { TierName } from "../../../strip/tiers";
import { Button, Field, Figure, Select } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

type MoveDialogProps = { bucket: Bucket; scope: string; wholePrefix: boolean; onClose: () => void };

/** Moving by hand: the tier is chosen, what it costs stands below it, and only then it is done. */
export function MoveDialog({ bucket, scope, wholePrefix, onClose }: MoveDialogProps) {
  const { prices } = useEstate();
  const queries = useQueryClient();
  const offered = prices.regions.find((r) => r.id === bucket.region)?.prices.map((p) => p.tier) ?? [];
  const tiers = prices.tiers.filter((t) => offered.includes(t.id));
  const [tier, setTier] = useState(tiers.at(-1)?.id ?? bucket.tier);
  const order = { scope, wholePrefix, tier };
  const draft = useQuery({ queryKey: ["tier-move", bucket.name, order], queryFn: () => readTierMove(bucket.name, order) });
  const move = useMutation({
    mutationFn: () => moveToTier(bucket.name, order),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onClose();
    },
  });
  const nothing = draft.data?.parts.length === 0;
  return (
    <Dialog
      open
      onClose={onClose}
      title={wholePrefix ? `Move ${scope ? `everything under ${scope}` : "everything"} by hand` : `Move ${scope} by hand`}
    >
      <Field label="To the tier">
        {(ids) => (
          <Select
            {...ids}
            value={tier}
            options={tiers.map((t) => ({ value: t.id, label: t.name }))}
            onChange={(e) => setTier(e.target.value)}
          />
        )}
      </Field>
      <div className="mt-3 min-h-32">
        {draft.data && <Consequence move={draft.data} />}
        {draft.error && <ErrorNote error={draft.error} />}
        {move.error && <ErrorNote error={move.error} />}
      </div>
      <div className="mt-4 flex gap-3">
        <Button kind="primary" disabled={!draft.data || nothing || move.isPending} onClick={() => move.mutate()}>
          Move now
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}

function Consequence({ move }: { move: TierMove }) {
  const { money, bytes, tierName } = useEstate();
  if (move.parts.length === 0) return <p>Everything of it is in {tierName(move.toTier)} already.</p>;
  return (
    <>
      <ul className="space-y-1">
        {move.parts.map((p) => (
          <li key={p.fromTier}>
            {count(p.objects)} {p.objects === 1 ? "object" : "objects"}, {bytes(p.bytes)}, leave <TierName id={p.fromTier} />
            {p.moveCharge > 0 && `; the move ${money(p.moveCharge)}`}
            {p.recallCharge > 0 && `; the recall ${money(p.recallCharge)}`}
            {p.earlyLeaveCharge > 0 && `; leaving early ${money(p.earlyLeaveCharge)}`}.
          </li>
        ))}
      </ul>
      <p className="mt-2 font-semibold">Once: {money(move.onceCharge)}</p>
      <WhatMakesIt amount={move.onceCharge} terms={move.parts.flatMap((p) => p.terms)} />
      <p>
        Storing it: <Figure projected>{money(move.monthlyBefore)}</Figure> a month before,{" "}
        <Figure projected>{money(move.monthlyAfter)}</Figure> after.
      </p>
      {move.waitHours > 0 && <p>From then on it cannot be read at once: the first byte takes {move.waitHours} hours.</p>}
      {move.waitBefore > 0 && <p>The recall takes {move.waitBefore} hours; until then it cannot be read.</p>}
      {move.rulesUndo.length > 0 && (
        <p className="mt-1 border-l-2 border-bad pl-2">
          The next daily run takes it back to a colder tier by {move.rulesUndo.length === 1 ? "rule" : "rules"}{" "}
          {move.rulesUndo.join(", ")}.
        </p>
      )}
    </>
  );
}
