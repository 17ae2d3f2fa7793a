import { Button } from "../ui/controls";
import type { Choice, Conflict, Merge } from "./merge";
import { apart, inWords } from "./parts-in-words";

type NoteProps = {
  /** What was changed: "bucket", "rule" or "line". */
  what: string;
  draft: {
    choices: Record<string, Choice>;
    choose: (part: string, side: Choice) => void;
    takeMerged: () => void;
    discard: () => void;
  };
  merged: Merge<object>;
};

/** Somebody else changed the same meanwhile: what of it goes together by itself, and what has to be chosen. */
export function MergeNote({ what, draft, merged }: NoteProps) {
  const open = merged.conflicts.filter((c) => draft.choices[c.part] === undefined);
  return (
    <div role="alert" className="my-2 border-l-4 border-bad px-3 py-1 text-sm">
      <p>Somebody changed this {what} after your draft began. Your draft is kept.</p>
      {merged.theirParts.length > 0 && <p>Their change goes together with yours: {merged.theirParts.map(apart).join(", ")}.</p>}
      {merged.conflicts.map((conflict) => (
        <Side key={conflict.part} conflict={conflict} chosen={draft.choices[conflict.part]} choose={draft.choose} />
      ))}
      <div className="mt-2 flex flex-wrap gap-2">
        <Button disabled={open.length > 0} onClick={draft.takeMerged}>
          Go on with both changes
        </Button>
        <Button kind="quiet" onClick={draft.discard}>
          Discard mine
        </Button>
      </div>
    </div>
  );
}

type SideProps = {
  conflict: Conflict;
  chosen: Choice | undefined;
  choose: (part: string, side: Choice) => void;
};

function Side({ conflict, chosen, choose }: SideProps) {
  return (
    <fieldset className="mt-2">
      <legend className="font-semibold">Both changed {apart(conflict.part)}</legend>
      {(["mine", "theirs"] as const).map((side) => (
        <label key={side} className="flex items-start gap-2">
          <input
            type="radio"
            className="mt-1 accent-(--accent)"
            checked={chosen === side}
            onChange={() => choose(conflict.part, side)}
          />
          <span>
            {side === "mine" ? "yours: " : "theirs: "}
            {inWords(conflict[side])}
          </span>
        </label>
      ))}
    </fieldset>
  );
}
