import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { deleteBucket, readContentTotals } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { TypedConfirmation } from "../../ui/typed-confirmation";
import { draftKey } from "./use-draft";

/** Deleting cannot be undone: the name has to be typed. */
export function DeleteBucket({ name, etag }: { name: string; etag: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { bytes, estate } = useEstate();
  const { hash } = useLocation();
  // A change that made the bucket is taken back here.
  const [open, setOpen] = useState(hash === "#delete");
  const contents = useQuery({ queryKey: ["contents", name], queryFn: () => readContentTotals(name), enabled: open }).data;
  const remove = useMutation({
    mutationFn: () => deleteBucket(name, etag),
    onSuccess: async () => {
      localStorage.removeItem(draftKey(estate.identity, name));
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
        <TypedConfirmation
          word={name}
          action="Delete the bucket"
          busy={remove.isPending}
          onConfirm={() => remove.mutate()}
          onCancel={() => setOpen(false)}
        />
        {remove.error && <ErrorNote error={remove.error} />}
      </Dialog>
    </div>
  );
}
