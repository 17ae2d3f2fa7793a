import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { readRecall, recall } from "../../../api/client";
import { keys } from "../../../api/keys";
import { moment } from "../../../format";
import { Button } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { isRecallDays, type RecallChoice, RecallChoiceFields } from "../../../ui/recall-choice";
import { done } from "../../../ui/toasts";

type RecallDialogProps = { bucket: string; scope: { keys: string[] } | { prefix: string }; title: string; onClose: () => void };

/** Recalling: the speed is chosen, what it costs and when it is there stands beside it, and only then it is ordered. */
export function RecallDialog({ bucket, scope, title, onClose }: RecallDialogProps) {
  const queries = useQueryClient();
  const [choice, setChoice] = useState<RecallChoice>({ speed: null, days: 7 });
  const order = { ...scope, days: choice.days };
  const draft = useQuery({
    queryKey: keys.recall(bucket, order),
    queryFn: () => readRecall(bucket, order),
    enabled: isRecallDays(choice.days),
    placeholderData: keepPreviousData,
  });
  const deed = useMutation({
    mutationFn: () => recall(bucket, { ...order, speed: choice.speed }),
    onSuccess: async (ordered) => {
      await queries.invalidateQueries();
      done(`Recalled: it can be read from ${moment(ordered.readyFrom)} on.`);
      onClose();
    },
  });
  const first = draft.data?.[0]?.recall;
  const nothing = first && first.storageCharge === 0 && first.objects === 0;
  return (
    <Dialog open onClose={onClose} title={title}>
      <div className="min-h-32">
        {nothing && <p>All of it can be read at once, or for at least so long.</p>}
        {draft.data && !nothing && <RecallChoiceFields speeds={draft.data} choice={choice} onChange={setChoice} />}
        {draft.error && <ErrorNote error={draft.error} />}
        {deed.error && <ErrorNote error={deed.error} />}
      </div>
      <div className="mt-4 flex gap-3">
        <Button
          kind="primary"
          disabled={!draft.data || nothing || !isRecallDays(choice.days) || deed.isPending}
          onClick={() => deed.mutate()}
        >
          Recall now
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
