import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bucket, type KeepRule, liftKeepRule, type Versioned } from "../../api/client";
import { Button, Field, inputLook } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { TypedConfirmation } from "../../ui/typed-confirmation";

const words = (keep: KeepRule | null) =>
  keep === null ? "no retention" : `${keep.days != null ? `${keep.days} days` : `until ${keep.until}`}, ${keep.strength}`;

type LiftProps = { stored: Versioned<Bucket>; wanted: KeepRule | null; onLifted: () => void };

/** A liftable keep rule is weakened by a request of its own, with a reason, and by nothing else. */
export function LiftKeepRule({ stored, wanted, onLifted }: LiftProps) {
  const queries = useQueryClient();
  const { name, keep } = stored.value;
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const same = JSON.stringify(wanted) === JSON.stringify(keep);
  const next = same ? null : wanted;
  const lift = useMutation({
    mutationFn: () => liftKeepRule(name, { reason, confirm: name, keep: next }, stored.etag),
    onSuccess: async () => {
      setOpen(false);
      onLifted();
      await queries.invalidateQueries();
    },
  });
  return (
    <span className="pt-4">
      <Button kind="quiet" onClick={() => setOpen(true)}>
        Lift retention…
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)} title={`Lift retention of ${name}?`}>
        <p className="mb-3">
          Now: {words(keep ?? null)}. Afterwards: {words(next)}. What was kept by it may be deleted at once, by lifecycle rules
          too. The log keeps who lifted it and why.
        </p>
        <Field label="Why" hint="1 to 1,000 characters">
          {(ids) => (
            <textarea
              {...ids}
              rows={2}
              className={`${inputLook} mb-3 w-full`}
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
          )}
        </Field>
        <TypedConfirmation
          word={name}
          action="Lift it"
          busy={lift.isPending || reason.trim() === ""}
          onConfirm={() => lift.mutate()}
          onCancel={() => setOpen(false)}
        />
        {lift.error && <ErrorNote error={lift.error} />}
      </Dialog>
    </span>
  );
}
