import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bucket, discardUpload, listUploads } from "../../../api/client";
import { keys } from "../../../api/keys";
import { useEstate } from "../../../estate-context";
import { day } from "../../../format";
import { Button } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import { useUploads } from "./uploads";

/** What has come of files whose sending broke off, here or elsewhere; those that this page is sending are not among them. */
export function UnfinishedUploads({ bucket }: { bucket: Bucket }) {
  const { bytes } = useEstate();
  const queries = useQueryClient();
  const [asked, setAsked] = useState<string | null>(null);
  const here = new Set(useUploads(bucket.name).map((u) => u.key));
  const all = useQuery({ queryKey: keys.uploads(bucket.name), queryFn: () => listUploads(bucket.name) });
  const discard = useMutation({
    mutationFn: (id: string) => discardUpload(bucket.name, id),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.uploads(bucket.name) }),
  });
  const broken = all.data?.filter((u) => !here.has(u.key)) ?? [];
  if (broken.length === 0) return null;
  return (
    <section aria-label="Uploads that are not complete" className="my-2 border-y border-hairline py-2">
      <h3>{broken.length === 1 ? "One upload is" : `${broken.length} uploads are`} not complete</h3>
      <p className="text-sm text-ink-soft">Send the same file to the same place again, and it goes on where it stood.</p>
      <div className="max-h-52 overflow-y-auto">
        <table className="w-full text-left">
          <thead className="text-sm text-ink-soft">
            <tr>
              <th className="font-normal">Key</th>
              <th className="px-3 text-right font-normal">Has come</th>
              <th className="px-3 font-normal">Last byte</th>
              <th className="px-3 font-normal">Removed</th>
              <th>
                <span className="sr-only">Discard</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {broken.map((u) => (
              <tr key={u.id} className="border-t border-hairline">
                <td className="break-all py-1">{u.key}</td>
                <td className="whitespace-nowrap px-3 text-right">
                  {bytes(u.received)} of {bytes(u.length)}
                </td>
                <td className="whitespace-nowrap px-3">{day(u.lastReceived)}</td>
                <td className="whitespace-nowrap px-3">{u.removedOn == null ? "never by itself" : day(u.removedOn)}</td>
                <td className="text-right">
                  {asked === u.id ? (
                    <Button kind="quiet" autoFocus onBlur={() => setAsked(null)} onClick={() => discard.mutate(u.id)}>
                      Remove {bytes(u.received)} for good
                    </Button>
                  ) : (
                    <Button kind="quiet" aria-label={`Discard what came of ${u.key}`} onClick={() => setAsked(u.id)}>
                      Discard…
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {discard.error && <ErrorNote error={discard.error} />}
      {all.error && <ErrorNote error={all.error} />}
    </section>
  );
}
