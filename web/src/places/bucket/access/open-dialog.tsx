import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { openToPublic } from "../../../api/client";
import { Button, Field, inputLook } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

/** Opening a bucket to everybody is deliberate: its name is typed, and the log keeps it. */
export function OpenDialog({ bucket, onClose }: { bucket: string; onClose: () => void }) {
  const queries = useQueryClient();
  const [typed, setTyped] = useState("");
  const open = useMutation({
    mutationFn: () => openToPublic(bucket, typed),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["access", bucket] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={`Open ${bucket} to everybody?`}>
      <p className="mb-3">
        Anybody who knows or guesses an address can read the object there, without a key, and what they read is charged to this
        bucket. Listing and writing stay closed. The log keeps that it was opened.
      </p>
      <Field label={`Type ${bucket} to confirm`}>
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-full`}
            value={typed}
            autoComplete="off"
            onChange={(e) => setTyped(e.target.value)}
          />
        )}
      </Field>
      {open.error && <ErrorNote error={open.error} />}
      <div className="mt-4 flex gap-3">
        <Button kind="primary" disabled={typed !== bucket || open.isPending} onClick={() => open.mutate()}>
          Open it
        </Button>
        <Button onClick={onClose}>Keep it closed</Button>
      </div>
    </Dialog>
  );
}
