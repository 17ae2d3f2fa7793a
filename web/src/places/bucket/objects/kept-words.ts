import type { StoredVersion } from "../../../api/client";
import { day } from "../../../format";

type Kept = NonNullable<StoredVersion["kept"]>;

/** A hold that has no end bears the calendar's last day. */
const endless = "9999-12-31";

/** Until when something is kept, in a word or two. */
export const keptUntil = (kept: Kept) => (kept.until === endless ? "released" : day(kept.until));

/** The same, and by what. */
export const keptWords = (kept: Kept) =>
  kept.isHeld ? `${keptUntil(kept)}, by a legal hold` : `${day(kept.until)}, ${kept.strength}`;
