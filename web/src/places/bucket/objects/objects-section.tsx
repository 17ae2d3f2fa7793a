import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useDeferredValue, useEffect, useRef, useState } from "react";
import { type Bucket, listDeletions, listObjects, readTakenKeys } from "../../../api/client";
import { keys } from "../../../api/keys";
import { day } from "../../../format";
import { useAddress } from "../../../ui/address";
import { Button, inputLook } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import { FilePicker } from "../../../ui/file-picker";
import { BundleDialog } from "./bundle-dialog";
import { type PathAndFile, pickedFiles } from "./dropped-files";
import { MoveDialog } from "./move-dialog";
import { ObjectRows } from "./object-rows";
import { ObjectSheet } from "./object-sheet";
import { OverwriteDialog, type Question } from "./overwrite-dialog";
import { RecallDialog } from "./recall-dialog";
import { UnfinishedUploads } from "./unfinished-uploads";
import { UploadList } from "./upload-list";
import { addUploads, onStored } from "./uploads";
import { useWindowDrop } from "./use-window-drop";

/** What lies in the bucket, prefix by prefix: files go in here and come out. The place is in the address (?in=, ?object=). */
export function ObjectsSection({ bucket }: { bucket: Bucket }) {
  const { name } = bucket;
  const queries = useQueryClient();
  const { params, goTo, goToAll } = useAddress();
  const prefix = params.get("in") ?? "";
  const chosen = params.get("object");
  const begin = useDeferredValue(params.get("begin") ?? "");
  const find = useDeferredValue(params.get("find") ?? "");
  const [question, setQuestion] = useState<Question | null>(null);
  const [wrong, setWrong] = useState<Error | null>(null);
  const [dialog, setDialog] = useState<"move" | "recall" | "bundle" | null>(null);
  const pages = useInfiniteQuery({
    queryKey: keys.objects(name, prefix, begin, find),
    queryFn: ({ pageParam, signal }) => listObjects(name, { prefix, begin, find }, pageParam, signal),
    placeholderData: keepPreviousData,
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next ?? null,
  });
  // What was looked for was looked for here.
  const goInto = (to: string | null) => goToAll({ in: to, begin: null, find: null });
  const more = useCallback(() => void pages.fetchNextPage(), [pages.fetchNextPage]);
  useEffect(
    () =>
      onStored((stored) => {
        if (stored !== name) return;
        for (const queryKey of [keys.objectsOf(name), keys.bucket(name), keys.boards])
          void queries.invalidateQueries({ queryKey });
      }),
    [name, queries],
  );
  const upload = (files: PathAndFile[], overwrite: boolean) => {
    setQuestion(null);
    addUploads(name, prefix, files, overwrite);
  };
  const add = async (files: PathAndFile[]) => {
    setWrong(null);
    try {
      const taken = await readTakenKeys(
        name,
        files.map((f) => prefix + f.path),
      );
      if (taken.length > 0) setQuestion({ files, taken });
      else upload(files, false);
    } catch (error) {
      setWrong(error as Error);
    }
  };
  const over = useWindowDrop((files) => void add(files));
  const prefixes = pages.data?.pages.flatMap((p) => p.prefixes) ?? [];
  const batches = pages.data?.pages.flatMap((p) => p.batches) ?? [];
  const objects = pages.data?.pages.flatMap((p) => p.objects) ?? [];
  const empty = prefixes.length + batches.length + objects.length === 0;
  return (
    <section
      id="objects"
      aria-label="Objects"
      className={`scroll-mt-16 ${over ? "outline-2 outline-offset-4 outline-accent outline-dashed" : ""}`}
    >
      <h2 className="text-lg">Objects</h2>
      <div className="my-2 flex flex-wrap items-center gap-3">
        <FilePicker label="Upload files…" multiple onPick={(files) => void add(pickedFiles(files))} />
        <FilePicker label="Upload a folder…" folder onPick={(files) => void add(pickedFiles(files))} />
        <span className="text-sm text-ink-soft">or drop files and folders anywhere on this page</span>
        {!empty && (
          <span className="ml-auto">
            <Button kind="quiet" onClick={() => setDialog("move")}>
              Move {prefix ? `everything under ${prefix}` : "everything here"} to another tier…
            </Button>
            <Button kind="quiet" onClick={() => setDialog("recall")}>
              Recall it…
            </Button>
            {!bucket.versioning && (
              <Button kind="quiet" onClick={() => setDialog("bundle")}>
                Bundle small ones…
              </Button>
            )}
          </span>
        )}
      </div>
      <UploadList bucket={name} />
      <UnfinishedUploads bucket={bucket} />
      <KeyFinder />
      {wrong && <ErrorNote error={wrong} />}
      <Trail prefix={prefix} onGo={(to) => goInto(to || null)} />
      {pages.error && <ErrorNote error={pages.error} />}
      <ObjectRows
        pages={pages.data?.pages ?? []}
        prefix={prefix}
        question={`${prefix} ${begin} ${find}`}
        onPrefix={(p) => goInto(p)}
        onOpen={(key) => goTo("object", key)}
        hasMore={pages.hasNextPage && !pages.isFetchingNextPage}
        onMore={more}
      />
      {pages.data && empty && (
        <p className="py-3 text-ink-soft">
          {find || begin
            ? "No key here is like that."
            : prefix
              ? "Nothing lies under this prefix."
              : "Nothing lies here yet: upload a file, import an inventory, or let a stream arrive as time passes."}
        </p>
      )}
      {bucket.versioning && <Deleted bucket={name} prefix={prefix} onOpen={(key) => goTo("object", key)} />}
      {question && (
        <OverwriteDialog
          question={question}
          prefix={prefix}
          versioning={bucket.versioning ?? false}
          onAnswer={upload}
          onClose={() => setQuestion(null)}
        />
      )}
      {chosen !== null && <ObjectSheet bucket={bucket} name={chosen} onClose={() => goTo("object", null)} />}
      {dialog === "move" && <MoveDialog bucket={bucket} scope={prefix} wholePrefix onClose={() => setDialog(null)} />}
      {dialog === "bundle" && <BundleDialog bucket={name} prefix={prefix} onClose={() => setDialog(null)} />}
      {dialog === "recall" && (
        <RecallDialog
          bucket={name}
          scope={{ prefix }}
          title={prefix ? `Recall everything under ${prefix}` : "Recall everything here"}
          onClose={() => setDialog(null)}
        />
      )}
    </section>
  );
}

/** Looks for a text in all keys here, or jumps to where a key would stand. */
function KeyFinder() {
  return (
    <search className="no-print my-2 flex flex-wrap gap-x-6 gap-y-1">
      <KeyField name="find" label="Find in keys" hint="part of a key" />
      <KeyField name="begin" label="Begin at" hint="a key, or how it begins" />
    </search>
  );
}

function KeyField({ name, label, hint }: { name: string; label: string; hint: string }) {
  const { params, set } = useAddress();
  const told = params.get(name) ?? "";
  const [text, setText] = useState(told);
  const field = useRef<HTMLInputElement>(null);
  // The address lags behind somebody who types; it sets the field only when it was changed elsewhere.
  useEffect(() => {
    if (document.activeElement !== field.current) setText(told);
  }, [told]);
  return (
    <label className="flex items-baseline gap-2">
      <span className="text-sm text-ink-soft">{label}</span>
      <input
        ref={field}
        className={`${inputLook} w-44`}
        autoComplete="off"
        spellCheck={false}
        placeholder={hint}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          set(name, event.target.value || null);
        }}
      />
    </label>
  );
}

/** What was deleted and can be brought back. */
function Deleted({ bucket, prefix, onOpen }: { bucket: string; prefix: string; onOpen: (key: string) => void }) {
  const deleted = useQuery({ queryKey: keys.deletions(bucket, prefix), queryFn: () => listDeletions(bucket, prefix) }).data ?? [];
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
