import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { importEstate } from "../../api/client";
import { ApiError } from "../../refusal";
import { Button } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { FilePicker } from "../../ui/file-picker";

/** Picks an estate document and puts it in the place of what is there; asks first when something is. */
export function ImportEstate({ etag, kind = "plain" }: { etag: string | null; kind?: "primary" | "plain" | "quiet" }) {
  const queries = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const bring = useMutation({
    mutationFn: ({ chosen, discard }: { chosen: File; discard: boolean }) => importEstate(chosen, etag, discard),
    onSuccess: () => {
      setFile(null);
      return queries.invalidateQueries();
    },
  });
  const wouldLose = bring.error instanceof ApiError && bring.error.code === "contents-would-go";
  const pick = (chosen: File) => {
    bring.reset();
    if (etag === null) bring.mutate({ chosen, discard: false });
    else setFile(chosen);
  };
  return (
    <div>
      <FilePicker
        label="Import an estate document…"
        inputLabel="Estate document"
        kind={kind}
        accept="application/json,.json"
        disabled={bring.isPending}
        onPick={(files) => files[0] && pick(files[0])}
      />
      {etag === null && bring.error && <ErrorNote error={bring.error} />}
      <Dialog open={file !== null} onClose={() => setFile(null)} title="Put this document in the place of the estate?">
        <p>
          Everything here now is replaced by what is in <strong>{file?.name}</strong>. Export the present estate first if you may
          want it back.
        </p>
        {bring.error && <ErrorNote error={bring.error} />}
        <div className="mt-5 flex gap-3">
          <Button
            kind="primary"
            disabled={bring.isPending}
            onClick={() => file && bring.mutate({ chosen: file, discard: wouldLose })}
          >
            {wouldLose ? "Replace the estate and lose those objects" : "Replace the estate"}
          </Button>
          <Button onClick={() => setFile(null)}>Leave it as it is</Button>
        </div>
      </Dialog>
    </div>
  );
}
