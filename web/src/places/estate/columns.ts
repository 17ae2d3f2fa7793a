/** Figures and names that the board can show beside a strip, in their order. */
export const columns = [
  { id: "scheme", label: "redundancy", width: "9rem", sort: null },
  { id: "tenant", label: "tenant", width: "9rem", sort: null },
  { id: "objects", label: "objects", width: "6rem", sort: "objects" },
  { id: "bytes", label: "bytes", width: "5.5rem", sort: "bytes" },
  { id: "cost", label: "cost", width: "6.5rem", sort: "cost" },
  { id: "trend", label: "ten years", width: "7.5rem", sort: "later" },
] as const;

export type ColumnId = (typeof columns)[number]["id"];

const usual: ColumnId[] = ["bytes", "cost", "trend"];

/** The columns that the address asks for (?columns=a,b). */
export function shownColumns(params: URLSearchParams) {
  const asked = params.get("columns")?.split(",") ?? usual;
  return columns.filter((c) => asked.includes(c.id));
}

/** What the address says after one column was put in or taken out; null for the usual ones. */
export function toggled(params: URLSearchParams, id: ColumnId): string | null {
  const now = shownColumns(params).map((c) => c.id);
  const next = columns.map((c) => c.id).filter((c) => (c === id ? !now.includes(c) : now.includes(c)));
  return next.join() === usual.join() ? null : next.join();
}

/** The grid that the heading and all rows share. */
export const gridOf = (shown: readonly { width: string }[]) =>
  `1.5rem minmax(9rem, 12rem) minmax(0, 1fr) ${shown.map((c) => c.width).join(" ")}`;
