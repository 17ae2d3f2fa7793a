import { useEstate } from "../../estate-context";
import { count } from "../../format";

/** From here on a place counts as nearly full. */
const nearly = 0.85;

/** How full a place is, drawn and said, with marks at some shares of it. */
export function Fill({ used, of, marks = [] }: { used: number; of: number; marks?: number[] }) {
  const { bytes } = useEstate();
  const share = Math.min(1, used / of);
  return (
    <span className="mt-1 flex max-w-sm items-center gap-3">
      <span aria-hidden="true" className="relative h-2.5 flex-1 border border-hairline-strong bg-paper-deep">
        <span
          className={`block h-full ${share >= nearly ? "bg-bad" : "bg-accent"}`}
          style={{ width: `${(share * 100).toFixed(1)}%` }}
        />
        {marks.map((mark) => (
          <span
            key={mark}
            className="absolute -top-1 -bottom-1 w-0.5 bg-ink"
            style={{ left: `calc(${(mark * 100).toFixed(1)}% - 1px)` }}
          />
        ))}
      </span>
      <span className={`text-sm whitespace-nowrap ${share >= nearly ? "text-bad" : "text-ink-soft"}`}>
        {share >= nearly ? "nearly full: " : ""}
        {count(share * 100, 0)} % of {bytes(of)}
      </span>
    </span>
  );
}
