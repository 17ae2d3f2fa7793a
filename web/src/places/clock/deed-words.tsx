import type { NightReading } from "../../api/client";
import { TierName } from "../../strip/tiers";

type Deed = Pick<NightReading["sums"][number], "deed" | "from" | "to">;

export const deeds = {
  expires: "expires",
  "steps-back": "becomes an earlier version",
  moves: "moves",
  "comes-back": "comes back, read",
  discards: "is removed, an upload that nobody completed,",
};

/** What is done, and between which tiers. */
export function DeedWords({ deed, from, to }: Deed) {
  return (
    <>
      {deeds[deed]} {to == null ? "from" : ""} <TierName id={from} />
      {to != null && (
        <>
          {" "}
          to <TierName id={to} />
        </>
      )}
    </>
  );
}
