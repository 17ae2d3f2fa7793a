import { Button } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import type { PathAndFile } from "./dropped-files";

const shown = 12;

export type Question = { files: PathAndFile[]; taken: string[] };

type DialogProps = {
  question: Question;
  prefix: string;
  versioning: boolean;
  onAnswer: (files: PathAndFile[], overwrite: boolean) => void;
  onClose: () => void;
};

/** Asks before an upload overwrites what is there. */
export function OverwriteDialog({ question: { files, taken }, prefix, versioning, onAnswer, onClose }: DialogProps) {
  const there = new Set(taken);
  const rest = files.filter((f) => !there.has(prefix + f.path));
  return (
    <Dialog
      open
      onClose={onClose}
      title={taken.length === 1 ? "One object is there already" : `${taken.length} objects are there already`}
    >
      <p>
        {versioning
          ? "Overwritten, each stays as an earlier version, which is stored and paid for as well."
          : "Overwritten, what they hold now is gone: versioning is off in this bucket."}
      </p>
      <ul className="my-3 max-h-56 overflow-y-auto text-sm">
        {taken.slice(0, shown).map((key) => (
          <li key={key} className="border-t border-hairline py-1 break-all">
            {key}
          </li>
        ))}
        {taken.length > shown && <li className="py-1 text-ink-soft">and {taken.length - shown} more</li>}
      </ul>
      <div className="flex flex-wrap gap-3">
        <Button kind="primary" onClick={() => onAnswer(files, true)}>
          Overwrite {taken.length === 1 ? "it" : "them"}
        </Button>
        {rest.length > 0 && (
          <Button onClick={() => onAnswer(rest, false)}>
            Upload only the {rest.length === 1 ? "new one" : `${rest.length} new ones`}
          </Button>
        )}
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
