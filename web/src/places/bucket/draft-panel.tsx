import { MergeNote } from "../../draft/merge-note";
import { useEstate } from "../../estate-context";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { KeepForWhatIf } from "../scenarios/keep-for-what-if";
import { ConsequencesPanel } from "./consequences-panel";
import type { useDraft } from "./use-draft";

/** What the draft would do, and Apply: possible only while these are the consequences of exactly what is typed. */
export function DraftPanel({ draft }: { draft: ReturnType<typeof useDraft> }) {
  const { reading, changed, merged, applying, answered } = draft;
  const { estate } = useEstate();
  const wrong = (reading.data?.problems.length ?? 1) > 0;
  const assume = answered && !wrong && draft.bucket ? [{ bucket: { stated: estate.today, as: draft.bucket } }] : undefined;
  return (
    <aside aria-label="Consequences" className="min-w-0">
      <div className="sticky top-13 max-h-[calc(100vh-4rem)] overflow-y-auto border-l border-hairline pl-5">
        <div className="sticky top-0 z-10 flex flex-wrap items-center gap-x-3 gap-y-1 bg-paper pb-2">
          <Button
            kind="primary"
            disabled={!changed || applying || !answered || merged !== null || wrong}
            onClick={() => void draft.apply()}
          >
            Apply
          </Button>
          <Button disabled={!changed || applying} onClick={draft.discard}>
            Discard
          </Button>
          {changed && <KeepForWhatIf assume={assume} />}
          <span role="status" className="text-sm text-ink-soft">
            {applying ? "being applied" : changed ? "a draft; nothing is done yet" : "no changes"}
          </span>
        </div>
        {merged && <MergeNote what="bucket" draft={draft} merged={merged} />}
        {draft.applyError && !merged && <ErrorNote error={draft.applyError} />}
        {reading.error && <ErrorNote error={reading.error} />}
        {reading.data && (
          <div data-stale={!answered}>
            <ConsequencesPanel bucket={draft.bucket?.name ?? ""} reading={reading.data} changed={changed} assume={assume} />
          </div>
        )}
      </div>
    </aside>
  );
}
