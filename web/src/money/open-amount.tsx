import type { PricedTerm } from "../api/client";
import { TermTable } from "./priced-terms";

type OpenAmountProps = {
  id: string;
  /** Whose amount it is, for who cannot see its row. */
  label: string;
  text: string;
  /** What makes it; without any there is nothing to open. */
  terms: PricedTerm[];
  opened: string | null;
  onOpen: (id: string | null) => void;
};

/** An amount in a cell; a press opens what makes it in a row below, and shuts it again. */
export function OpenAmount({ id, label, text, terms, opened, onOpen }: OpenAmountProps) {
  if (terms.length === 0) return <span className="italic">{text}</span>;
  const isOpen = opened === id;
  return (
    <button
      type="button"
      aria-expanded={isOpen}
      aria-label={`${text}, ${label}: what makes it`}
      className="cursor-pointer italic underline decoration-ink-soft decoration-dotted underline-offset-4"
      onClick={() => onOpen(isOpen ? null : id)}
    >
      {text}
    </button>
  );
}

/** What makes the amount that is open, across the table. */
export function TermRow({ columns, terms }: { columns: number; terms: PricedTerm[] }) {
  return (
    <tr className="border-b border-hairline-strong">
      <td colSpan={columns} className="pb-3 pl-3">
        <TermTable terms={terms} />
      </td>
    </tr>
  );
}
