import type { Verdict } from "../../api/client";
import { verdictWords } from "./plan-words";

/** A verdict as a word with a sign: colour never stands alone. */
export function Mark({ verdict }: { verdict: Verdict }) {
  const look = { met: "text-good", missed: "font-medium text-bad", "not-agreed": "text-ink-soft" }[verdict];
  const sign = { met: "✓", missed: "✕", "not-agreed": "–" }[verdict];
  return (
    <span className={look}>
      <span aria-hidden="true">{sign} </span>
      {verdictWords[verdict]}
    </span>
  );
}
