import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { deleteBucket, readContentTotals } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button, Field, inputLook } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";

/** Deleting cannot be undone: the name has to be typed. */
export function DeleteBucket({ name, etag }: { name: string; etag: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { bytes } = useEstate();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const contents = useQuery({ queryKey: ["contents", name], queryFn: () => readContentTotals(name), enabled: open }).data;
  const remove = useMutation({
    mutationFn: () => deleteBucket(name, etag),
    onSuccess: async () => {
      localStorage.removeItem(`ripen-draft:${name}`);
      await navigate("/");
      await queries.invalidateQueries();
    },
  });
  return (
    <div className="border-t border-hairline pt-3">
      <Button kind="quiet" className="text-bad" onClick={() => setOpen(true)}>
        Delete this bucket…
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)} title={`Delete ${name}?`}>
        <p className="mb-3">
          The bucket goes with everything in it and its rules. The log keeps its document; its objects are gone.
          {contents && contents.objects > 0 && (
            <strong className="text-bad">
              {" "}
              {count(contents.objects)} uploaded objects with {bytes(contents.bytes)} go for good.
            </strong>
          )}
        </p>
        <Field label={`Type ${name} to confirm`}>
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
        {remove.error && <ErrorNote error={remove.error} />}
        <div className="mt-4 flex gap-3">
          <Button kind="primary" disabled={typed !== name || remove.isPending} onClick={() => remove.mutate()}>
            Delete the bucket
          </Button>
          <Button onClick={() => setOpen(false)}>Keep it</Button>
        </div>
      </Dialog>
    </div>
  );
}
