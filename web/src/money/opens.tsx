import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Assumption, MonthPart } from "../api/client";

/**
 * Which amount: of a month or of several, and which part of it; to come or charged; as it stands, under a scenario or an offer, if
 * prices rose so much a year, or if assumptions came true that are stored nowhere; or what the last of these changes.
 */
export type WhichAmount = MonthPart & {
  month: string;
  to?: string;
  scenario?: string;
  offer?: string;
  rise?: string;
  of?: "charged";
  change?: "last";
  assume?: Assumption[];
};

// A hundred buckets are written once for all amounts that assume them.
const written = new WeakMap<Assumption[], string>();

function hashOf(assume: Assumption[]) {
  const known = written.get(assume);
  if (known !== undefined) return known;
  const hash = assume.length > 0 ? `#${new URLSearchParams({ assume: JSON.stringify(assume) })}` : "";
  written.set(assume, hash);
  return hash;
}

/** Where an amount opens. What is assumed stands behind the #, where an address may be long. */
export const whyOf = ({ assume = [], ...amount }: WhichAmount) => `/why?${new URLSearchParams(amount)}${hashOf(assume)}`;

/** What such an address assumes; null where it is damaged. */
export function assumedIn(hash: string): Assumption[] | null {
  const text = new URLSearchParams(hash.slice(1)).get("assume");
  if (text === null) return [];
  try {
    const read: unknown = JSON.parse(text);
    return Array.isArray(read) ? read : null;
  } catch {
    return null;
  }
}

type OpensProps = { why: WhichAmount; label: string; children: ReactNode };

/** An amount in a table that opens into what makes it. */
export function Opens({ why, label, children }: OpensProps) {
  return (
    <Link to={whyOf(why)} aria-label={`Why ${label}`} className="decoration-hairline-strong hover:decoration-current">
      {children}
    </Link>
  );
}
