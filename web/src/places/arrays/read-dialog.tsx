import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { readArrayReading, readFromArray } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { AwayBill } from "./away-bill";

type ReadProps = { array: string; volume: { id: string; name: string }; onClose: () => void };

/** Reading from a volume, as somebody who uses the array does: what it costs and where the data is afterwards, before anything is read. */
export function ReadDialog({ array, volume, onClose }: ReadProps) {
  const { bytes } = useEstate();
  const queries = useQueryClient();
  const [folder, setFolder] = useState("");
  const draft = useQuery({
    queryKey: keys.arrayReading(array, volume.id, folder),
    queryFn: () => readArrayReading(array, volume.id, folder),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const deed = useMutation({
    mutationFn: () => readFromArray(array, volume.id, folder),
    onSuccess: async (read) => {
      await queries.invalidateQueries();
      done(`${volume.name}: ${bytes(read.homeBytes + read.bytes)} read${read.comesHome ? "; they are at home again" : ""}.`);
      onClose();
    },
  });
  const none = draft.error instanceof ApiError && draft.error.code === "no-folder" ? draft.error.message : undefined;
  const read = draft.error ? undefined : draft.data;
  return (
    <Dialog open onClose={onClose} title={`Read from ${volume.name}`}>
      <div className="min-h-72">
        <Field label="Paths that begin" error={none} hint="Empty for all of the volume.">
          {(ids) => <input {...ids} className={`${inputLook} w-64`} value={folder} onChange={(e) => setFolder(e.target.value)} />}
        </Field>
        {read && (
          <>
            {read.homeBytes > 0 && <p className="mt-2">{bytes(read.homeBytes)} are on the array, and are read at no charge.</p>}
            {read.bytes > 0 && (
              <>
                <p className="mt-2">
                  {count(read.objects)} files, {bytes(read.bytes)}, are away: they are read in the bucket
                  {read.comesHome ? ", come home, and leave it." : ", and stay there."}
                </p>
                {read.staysBecause != null && <p className="text-ink-soft">They would come home. {read.staysBecause}</p>}
                <AwayBill charges={read.charges} />
              </>
            )}
            <p className="mt-2 text-ink-soft">All of it counts as used today.</p>
            {read.refusal != null && <p className="mt-2 text-bad">{read.refusal}</p>}
          </>
        )}
        {draft.error && none === undefined && <ErrorNote error={draft.error} />}
        {deed.error && <ErrorNote error={deed.error} />}
      </div>
      <div className="mt-4 flex gap-3">
        <Button kind="primary" disabled={!read || read.refusal != null || deed.isPending} onClick={() => deed.mutate()}>
          Read it
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
