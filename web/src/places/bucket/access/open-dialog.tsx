import { useMutation, useQueryClient } from "@tanstack/react-query";
import { openToPublic } from "../../../api/client";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { TypedConfirmation } from "../../../ui/typed-confirmation";

/** Opening a bucket to everybody is deliberate: its name is typed, and the log keeps it. */
export function OpenDialog({ bucket, onClose }: { bucket: string; onClose: () => void }) {
  const queries = useQueryClient();
  const open = useMutation({
    mutationFn: () => openToPublic(bucket, bucket),
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
      <TypedConfirmation
        word={bucket}
        action="Open it"
        busy={open.isPending}
        onConfirm={() => open.mutate()}
        onCancel={onClose}
      />
      {open.error && <ErrorNote error={open.error} />}
    </Dialog>
  );
}
