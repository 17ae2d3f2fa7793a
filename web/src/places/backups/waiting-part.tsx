import { useQuery } from "@tanstack/react-query";
import { giveUpRestore, readWaitingRestores } from "../../api/client";
import { keys } from "../../api/keys";
import { moment } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed } from "./use-backups";

/** Restores and rehearsals that wait for what they read. */
export function WaitingPart({ id, stamp }: { id: string; stamp: string }) {
  const waiting = useQuery({
    queryKey: [...keys.waitingRestores(id), stamp],
    queryFn: () => readWaitingRestores(id),
    placeholderData: (p) => p,
  });
  const giveUp = useBackupDeed((restore: number) => giveUpRestore(id, restore));
  if (!waiting.data?.length) return null;
  return (
    <section aria-label="Waits for a recall">
      <h2 className="text-xl">Waits for a recall</h2>
      <ul className="mt-1">
        {waiting.data.map((w) => (
          <li key={w.id} className="border-b border-hairline py-1">
            {w.into == null ? "A rehearsal" : `${w.under || "Everything"} into ${w.into}`}: done by itself at{" "}
            {moment(w.readyFrom)} of the provider's clock{" "}
            <ConfirmButton
              label="Give up"
              about={w.into ?? "the rehearsal"}
              question="What was recalled stays readable until its day. Give it up?"
              onConfirm={() => giveUp.mutate(w.id)}
            />
          </li>
        ))}
      </ul>
      {giveUp.error && <ErrorNote error={giveUp.error} />}
    </section>
  );
}
