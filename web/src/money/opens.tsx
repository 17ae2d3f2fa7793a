import type { ReactNode } from "react";
import { Link } from "react-router";
import type { MonthPart } from "../api/client";

/** Which amount: of a month or of several, as it stands or under a scenario or an offer, to come or charged, and which part of it. */
export type WhichAmount = MonthPart & { month: string; to?: string; scenario?: string; offer?: string; of?: "charged" };

/** Where an amount opens. */
export const whyOf = (amount: WhichAmount) => `/why?${new URLSearchParams(amount)}`;

type OpensProps = { why: WhichAmount; label: string; children: ReactNode };

/** An amount in a table that opens into what makes it. */
export function Opens({ why, label, children }: OpensProps) {
  return (
    <Link to={whyOf(why)} aria-label={`Why ${label}`} className="decoration-hairline-strong hover:decoration-current">
      {children}
    </Link>
  );
}
