import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { readUntouched } from "../../../api/client";
import { Button } from "../../../ui/controls";
import { InventoryDialog } from "./inventory-dialog";
import { UntouchedTable } from "./untouched-table";

/** What of the bucket nobody reads, and the way to bring a list of data that is elsewhere. */
export function UntouchedSection({ bucket }: { bucket: string }) {
  const [bringing, setBringing] = useState(false);
  const untouched = useQuery({ queryKey: ["untouched", bucket], queryFn: () => readUntouched(bucket, "") });
  return (
    <section id="untouched" aria-label="Untouched" className="scroll-mt-16">
      <h2 className="text-lg">Not accessed for</h2>
      {untouched.data && untouched.data.length > 0 ? (
        <UntouchedTable prefixes={untouched.data} />
      ) : (
        <p className="text-ink-soft">Nothing lies here yet.</p>
      )}
      <p className="mt-1 text-sm text-ink-soft">
        Storage at the first price band. A simulated workload counts from its writing on: its reading habit is a share, not an
        object.
      </p>
      <Button className="mt-2" onClick={() => setBringing(true)}>
        Import an inventory…
      </Button>
      {bringing && <InventoryDialog bucket={bucket} onClose={() => setBringing(false)} />}
    </section>
  );
}
