import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bundling, bundleObjects, readBundling } from "../../../api/client";
import { keys } from "../../../api/keys";
import { useEstate } from "../../../estate-context";
import { count } from "../../../format";
import { WhatMakesIt } from "../../../money/priced-terms";
import { Button } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { SizeField } from "../../../ui/size-field";
import { done } from "../../../ui/toasts";

type BundleProps = { bucket: string; prefix: string; onClose: () => void };

/** Bundling by hand: what goes into the archive, what stays out and why, and what that costs and saves, before it is done. */
export function BundleDialog({ bucket, prefix, onClose }: BundleProps) {
  const queries = useQueryClient();
  const [smallerThan, setSmallerThan] = useState<number | null>(1_000_000);
  const draft = useQuery({
    queryKey: keys.bundling(bucket, prefix, smallerThan ?? 0),
    queryFn: () => readBundling(bucket, prefix, smallerThan ?? 0),
    enabled: smallerThan !== null && smallerThan > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const deed = useMutation({
    mutationFn: () => bundleObjects(bucket, prefix, smallerThan ?? 0),
    onSuccess: async (made) => {
      await queries.invalidateQueries();
      done(`${count(made.objects)} objects lie in ${made.bundle} now.`);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={prefix ? `Bundle small objects under ${prefix}` : "Bundle small objects"}>
      <p className="mb-3 text-ink-soft">
        They are put into one tar archive, which any tar program opens, with an index beside it, so that each can be read by
        itself. The originals go when the archive has been read back and every one compared. It is a new object: its age counts
        from today.
      </p>
      <SizeField label="Only objects smaller than" value={smallerThan} onChange={setSmallerThan} />
      <div className="mt-3 min-h-24" aria-live="polite">
        {draft.error ? <ErrorNote error={draft.error} /> : draft.data && <Foreseen bundling={draft.data} />}
        {deed.error && <ErrorNote error={deed.error} />}
      </div>
      <div className="mt-3 flex gap-3">
        <Button kind="primary" disabled={!draft.data || draft.error !== null || deed.isPending} onClick={() => deed.mutate()}>
          Bundle them
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}

function Foreseen({ bundling }: { bundling: Bundling }) {
  const { bytes, money } = useEstate();
  const out = [
    bundling.kept > 0 && `${count(bundling.kept)} stay because they are kept`,
    bundling.waiting > 0 && `${count(bundling.waiting)} stay because reading them takes a wait`,
    bundling.more > 0 && `${count(bundling.more)} are left for another bundle`,
  ].filter((words) => words !== false);
  return (
    <>
      <p>
        {count(bundling.objects)} objects, {bytes(bundling.bytes)}, become one. Once: {money(bundling.onceCharge)}, and reading
        the archive back. A month: {money(bundling.monthlyAfter)} instead of {money(bundling.monthlyBefore)}.
      </p>
      <WhatMakesIt amount={bundling.onceCharge} terms={bundling.once} />
      {out.length > 0 && <p className="text-ink-soft">{out.join("; ")}.</p>}
    </>
  );
}
