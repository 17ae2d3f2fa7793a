import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useEffect, useState } from "react";
import { type BatchSum, type Bucket, listDeletions, listObjects, type StoredVersion } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { count, day } from "../../../format";
import { TierName } from "../../../strip/tiers";
import { useAddress } from "../../../ui/address";
import { Button, Figure } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import { FilePicker } from "../../../ui/file-picker";
import { droppedFiles, type PathAndFile, pickedFiles } from "./dropped-files";
import { MoveDialog } from "./move-dialog";
import { ObjectSheet } from "./object-sheet";
import { UploadList } from "./upload-list";
import { addUploads, onStored } from "./uploads";

/** What lies in the bucket, prefix by prefix: files go in here and come out. The place is in the address (?in=, ?object=). */
export function ObjectsSection({ bucket }: { bucket: Bucket }) {
  const { name } = bucket;
  const queries = useQueryClient();
  const { params, goTo } = useAddress();
  const prefix = params.get("in") ?? "";
  const chosen = params.get("object");
  const [over, setOver] = useState(false);
  const [moving, setMoving] = useState(false);
  const pages = useInfiniteQuery({
    queryKey: ["objects", name, prefix],
    queryFn: ({ pageParam }) => listObjects(name, prefix, pageParam),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next ?? null,
  });
  useEffect(
    () =>
      onStored((stored) => stored === name && void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" })),
    [name, queries],
  );
  const add = (files: PathAndFile[]) => addUploads(name, prefix, files);
  const onDrop = async (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    add(await droppedFiles(event.dataTransfer.items));
  };
  const prefixes = pages.data?.pages.flatMap((p) => p.prefixes) ?? [];
  const batches = pages.data?.pages.flatMap((p) => p.batches) ?? [];
  const objects = pages.data?.pages.flatMap((p) => p.objects) ?? [];
  const empty = prefixes.length + batches.length + objects.length === 0;
  return (
    <section
      id="objects"
      aria-label="Objects"
      className={`scroll-mt-16 ${over ? "outline-2 outline-offset-4 outline-accent outline-dashed" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => void onDrop(event)}
    >
      <h3 className="text-lg">Objects</h3>
      <div className="my-2 flex flex-wrap items-center gap-3">
        <FilePicker label="Upload files…" multiple onPick={(files) => add(pickedFiles(files))} />
        <FilePicker label="Upload a folder…" folder onPick={(files) => add(pickedFiles(files))} />
        <span className="text-sm text-ink-soft">or drop files and folders here</span>
        {!empty && (
          <Button kind="quiet" className="ml-auto" onClick={() => setMoving(true)}>
            Move {prefix ? `everything under ${prefix}` : "everything here"} to another tier…
          </Button>
        )}
      </div>
      <UploadList bucket={name} />
      <Trail prefix={prefix} onGo={(to) => goTo("in", to || null)} />
      {pages.error && <ErrorNote error={pages.error} />}
      <table className="w-full">
        <thead className="text-left text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 font-normal">key</th>
            <th className="text-right font-normal">bytes</th>
            <th className="pl-6 font-normal">tier</th>
            <th className="font-normal">created</th>
            <th className="font-normal">kept until</th>
          </tr>
        </thead>
        <tbody>
          {prefixes.map((p) => (
            <tr key={p} className="border-b border-hairline">
              <td colSpan={5} className="py-1">
                <Button kind="quiet" className="max-w-full truncate text-left" onClick={() => goTo("in", p)}>
                  {p.slice(prefix.length)}
                </Button>
              </td>
            </tr>
          ))}
          {batches.map((b) => (
            <BatchLine key={b.key + b.tier} batch={b} prefix={prefix} />
          ))}
          {objects.map((o) => (
            <ObjectLine key={o.version} object={o} prefix={prefix} onOpen={() => goTo("object", o.key)} />
          ))}
        </tbody>
      </table>
      {pages.data && empty && (
        <p className="py-3 text-ink-soft">
          {prefix
            ? "Nothing lies under this prefix."
            : "Nothing lies here yet: upload a file, import an inventory, or let a stream arrive as time passes."}
        </p>
      )}
      {pages.hasNextPage && (
        <Button className="mt-2" disabled={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
          Show more
        </Button>
      )}
      {bucket.versioning && <Deleted bucket={name} prefix={prefix} onOpen={(key) => goTo("object", key)} />}
      {chosen !== null && <ObjectSheet bucket={bucket} name={chosen} onClose={() => goTo("object", null)} />}
      {moving && <MoveDialog bucket={bucket} scope={prefix} wholePrefix onClose={() => setMoving(false)} />}
    </section>
  );
}

function ObjectLine({ object, prefix, onOpen }: { object: StoredVersion; prefix: string; onOpen: () => void }) {
  const { bytes } = useEstate();
  return (
    <tr className="border-b border-hairline">
      <td className="max-w-72 py-1">
        <Button kind="quiet" className="max-w-full truncate text-left" onClick={onOpen}>
          {object.key.slice(prefix.length)}
        </Button>
      </td>
      <td className="text-right">{bytes(object.bytes)}</td>
      <td className="pl-6">
        <TierName id={object.tier} />
      </td>
      <td>{day(object.created)}</td>
      <td>{object.kept == null ? <span className="text-ink-soft">–</span> : day(object.kept.until)}</td>
    </tr>
  );
}

/** What a simulated workload wrote: so many objects without content, together. */
function BatchLine({ batch, prefix }: { batch: BatchSum; prefix: string }) {
  const { bytes } = useEstate();
  const under = batch.key.slice(prefix.length);
  return (
    <tr className="border-b border-hairline text-ink-soft">
      <td className="py-1 pl-1">
        {under && `${under}: `}
        <Figure projected={!Number.isInteger(batch.count)}>{count(batch.count)}</Figure> weightless objects
      </td>
      <td className="text-right">{bytes(batch.bytes)}</td>
      <td className="pl-6">
        <TierName id={batch.tier} />
      </td>
      <td colSpan={2}>
        {day(batch.oldest)}
        {batch.newest !== batch.oldest && ` to ${day(batch.newest)}`}
      </td>
    </tr>
  );
}

/** What was deleted and can be brought back. */
function Deleted({ bucket, prefix, onOpen }: { bucket: string; prefix: string; onOpen: (key: string) => void }) {
  const deleted = useQuery({ queryKey: ["deletions", bucket, prefix], queryFn: () => listDeletions(bucket, prefix) }).data ?? [];
  if (deleted.length === 0) return null;
  return (
    <details className="mt-3">
      <summary className="cursor-pointer text-ink-soft">
        {deleted.length === 1 ? "One deleted object" : `${deleted.length} deleted objects`} that can be brought back
      </summary>
      <ul>
        {deleted.map((d) => (
          <li key={d.version} className="flex items-baseline gap-3 border-t border-hairline py-1">
            <Button kind="quiet" onClick={() => onOpen(d.key)}>
              {d.key.slice(prefix.length)}
            </Button>
            <span className="text-sm text-ink-soft">deleted {day(d.created)}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}

/** From the bucket down to where one is; every part leads back there. */
function Trail({ prefix, onGo }: { prefix: string; onGo: (prefix: string) => void }) {
  const parts = prefix.split("/").slice(0, -1);
  if (prefix === "") return null;
  return (
    <nav aria-label="Prefix" className="flex flex-wrap items-center">
      <Button kind="quiet" onClick={() => onGo("")}>
        the whole bucket
      </Button>
      {parts.map((part, i) => (
        <span key={parts.slice(0, i + 1).join("/")}>
          <span aria-hidden="true">/</span>
          <Button kind="quiet" onClick={() => onGo(`${parts.slice(0, i + 1).join("/")}/`)}>
            {part || "(empty)"}
          </Button>
        </span>
      ))}
    </nav>
  );
}
