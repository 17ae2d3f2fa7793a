import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { bringHome, readHomecoming } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { AwayBill } from "./away-bill";

type HomeProps = { array: string; volume: { id: string; name: string }; onClose: () => void };

/** Bringing a volume home: what comes and what it costs, or why it cannot be done, before anything is. */
export function HomeDialog({ array, volume, onClose }: HomeProps) {
  const { bytes } = useEstate();
  const queries = useQueryClient();
  const draft = useQuery({
    queryKey: keys.homecoming(array, volume.id),
    queryFn: () => readHomecoming(array, volume.id),
    retry: false,
  });
  const deed = useMutation({
    mutationFn: () => bringHome(array, volume.id),
    onSuccess: async (came) => {
      await queries.invalidateQueries();
      done(`${volume.name}: ${bytes(came.bytes)} are at home again.`);
      onClose();
    },
  });
  const home = draft.data;
  return (
    <Dialog open onClose={onClose} title={`Bring ${volume.name} home`}>
      <div className="min-h-28">
        {home?.refusal != null && <p className="text-bad">{home.refusal}</p>}
        {home && home.refusal == null && (
          <>
            <p>
              {count(home.objects)} files, {bytes(home.bytes)}, are read and leave the bucket. They count as used today: rules
              take them again only when nobody uses them.
            </p>
            <AwayBill charges={home.charges} />
            <p className="mt-2 text-ink-soft">{bytes(home.roomAfter)} are free on the array afterwards.</p>
          </>
        )}
        {draft.error && <ErrorNote error={draft.error} />}
        {deed.error && <ErrorNote error={deed.error} />}
      </div>
      <div className="mt-4 flex gap-3">
        <Button kind="primary" disabled={!home || home.refusal != null || deed.isPending} onClick={() => deed.mutate()}>
          Bring it home
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
