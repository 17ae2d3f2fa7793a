import { type MouseEvent, useEffect, useRef } from "react";
import { useLocation } from "react-router";
import type { AgeAxis, TierContents } from "../../api/client";
import { StripEditor } from "../../strip/strip-editor";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { AccessSection } from "./access/access-section";
import { ConsequencesPanel } from "./consequences-panel";
import { DeleteBucket } from "./delete-bucket";
import { UntouchedSection } from "./inventory/untouched-section";
import { KeepEditor } from "./keep-editor";
import { MoneyChart } from "./money-chart";
import { ObjectsSection } from "./objects/objects-section";
import { PlaceFields } from "./place-fields";
import { ReadsEditor } from "./reads-editor";
import { ReplicationSection } from "./replication-section";
import { RulesEditor, withExpiry, withStep } from "./rules-editor";
import { StreamsEditor } from "./streams-editor";
import { useDraft, useProblems } from "./use-draft";

type SheetProps = { name: string; axis: AgeAxis; contents: TierContents[] };

/** A bucket's sheet, read downwards: where it is, how it ages, what arrives and is read, how long it is kept; what the draft would do beside it. */
export function BucketSheet({ name, axis, contents }: SheetProps) {
  const draft = useDraft(name);
  const { bucket, reading, good, edit } = draft;
  const strip = good?.strip;
  const sheet = useScrollToOpened(bucket !== undefined);
  const problemAt = useProblems(reading.data?.problems);
  if (draft.stored.error) return <ErrorNote error={draft.stored.error} />;
  if (!bucket) return <div className="h-96" />;
  return (
    <section
      ref={sheet}
      aria-label={`Sheet of ${name}`}
      className="mb-8 grid grid-cols-[minmax(0,1fr)_22rem] gap-x-10 border-t border-hairline pt-4"
    >
      <div className="min-w-0 space-y-7">
        <Within name={name} />
        <PlaceFields bucket={bucket} edit={edit} problemAt={problemAt} />
        {strip ? (
          <div id="ageing" className={`scroll-mt-16 ${reading.data?.strip ? "" : "opacity-50"}`}>
            <StripEditor
              axis={axis}
              strip={strip}
              contents={contents}
              rules={bucket.rules ?? []}
              onStep={(r, s, age) => edit((b) => withStep(b, r, s, { age }))}
              onExpiry={(r, age) => edit((b) => withExpiry(b, r, age))}
            />
          </div>
        ) : (
          <div className="h-40" />
        )}
        <RulesEditor bucket={bucket} edit={edit} problemAt={problemAt} suggested={good} />
        <StreamsEditor bucket={bucket} edit={edit} problemAt={problemAt} />
        <ReadsEditor bucket={bucket} edit={edit} problemAt={problemAt} />
        <KeepEditor bucket={bucket} stored={draft.stored.data} discard={draft.discard} edit={edit} problemAt={problemAt} />
        <ReplicationSection bucket={bucket} />
        <MoneyChart bucket={name} />
        <ObjectsSection bucket={draft.stored.data?.value ?? bucket} />
        <AccessSection bucket={name} />
        <UntouchedSection bucket={name} />
        <DeleteBucket name={name} etag={draft.stored.data?.etag ?? ""} />
      </div>
      <aside aria-label="Consequences" className="min-w-0">
        <div className="sticky top-16 max-h-[calc(100vh-5rem)] overflow-y-auto border-l border-hairline pl-6">
          <div className="sticky top-0 z-10 flex items-center gap-3 bg-paper pb-2">
            <Button
              kind="primary"
              disabled={!draft.changed || draft.applying || draft.overtaken || (reading.data?.problems.length ?? 1) > 0}
              onClick={draft.apply}
            >
              Apply
            </Button>
            <Button disabled={!draft.changed || draft.applying} onClick={draft.discard}>
              Discard
            </Button>
            <span role="status" className="text-sm text-ink-soft">
              {draft.changed ? "a draft; nothing is done yet" : "no changes"}
            </span>
          </div>
          {draft.overtaken && (
            <div role="alert" className="my-2 border-l-4 border-bad px-3 py-1 text-sm">
              <p>Somebody changed this bucket after your draft began. Your draft is kept.</p>
              <Button kind="quiet" onClick={draft.takeUpNewer}>
                Keep my draft and compare it with the newer one
              </Button>
              <Button kind="quiet" onClick={draft.discard}>
                Discard mine
              </Button>
            </div>
          )}
          {draft.applyError && !draft.overtaken && <ErrorNote error={draft.applyError} />}
          {reading.error && <ErrorNote error={reading.error} />}
          {reading.data && <ConsequencesPanel reading={reading.data} changed={draft.changed} />}
        </div>
      </aside>
    </section>
  );
}

const parts = [
  { id: "ageing", label: "ageing" },
  { id: "replication", label: "replication" },
  { id: "money", label: "money" },
  { id: "objects", label: "objects" },
  { id: "access", label: "access" },
  { id: "untouched", label: "untouched" },
];

/** Ways down the page to its parts, each with an address of its own. */
function Within({ name }: { name: string }) {
  const { search } = useLocation();
  return (
    <nav aria-label="Parts of the sheet" className="flex gap-4 text-sm">
      {parts.map((part) => (
        <a key={part.id} href={`/buckets/${name}${search}#${part.id}`} onClick={(event) => goTo(event, part.id)}>
          {part.label}
        </a>
      ))}
    </nav>
  );
}

function goTo(event: MouseEvent, id: string) {
  event.preventDefault();
  window.history.replaceState(window.history.state, "", `#${id}`);
  document.getElementById(id)?.scrollIntoView({ block: "start" });
}

/** Brings the opened row under the rail when most of its sheet would lie outside the window. */
function useScrollToOpened(loaded: boolean) {
  const sheet = useRef<HTMLElement>(null);
  useEffect(() => {
    if (!loaded || !sheet.current) return;
    const part = window.location.hash && document.getElementById(window.location.hash.slice(1));
    if (part) {
      part.scrollIntoView({ block: "start" });
      return;
    }
    const { top } = sheet.current.getBoundingClientRect();
    if (top < 0 || top > window.innerHeight * 0.75) sheet.current.parentElement?.scrollIntoView({ block: "start" });
  }, [loaded]);
  return sheet;
}
