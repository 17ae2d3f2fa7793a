import type { ReactNode } from "react";
import type { ProofItem } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, instant } from "../../format";

const words: Record<string, string> = {
  equal: "the same on both sides",
  failed: "failed",
  lost: "nowhere else",
  deletion: "the mark of a deletion, nowhere else",
  "missing-there": "missing there",
  "left-behind": "left behind: older than the rule",
  "only-there": "only there",
  differs: "differs",
  "damaged-here": "damaged here",
  "damaged-there": "damaged there",
};

export const inWords = (kind: string) => words[kind] ?? kind;

const most = 500;

/** Objects by name and size, with what is the matter with them. */
export function ItemTable({
  items,
  label,
  mends,
}: {
  items: ProofItem[];
  label: string;
  mends?: (item: ProofItem) => ReactNode;
}) {
  const { bytes } = useEstate();
  return (
    <div className="mt-4">
      <section aria-label={label} tabIndex={0} className="max-h-[26rem] overflow-y-auto">
        <table className="w-full">
          <thead className="sticky top-0 bg-paper text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">object</th>
              <th className="text-left font-normal">in</th>
              <th className="text-left font-normal">what</th>
              <th className="text-right font-normal">objects</th>
              <th className="text-right font-normal">size</th>
              <th className="pl-6 text-left font-normal">written</th>
              {mends && <td />}
            </tr>
          </thead>
          <tbody>
            {items.slice(0, most).map((item) => (
              <tr
                key={`${item.kind} ${item.bucket} ${item.key} ${item.version} ${item.written} ${item.bytes}`}
                className="border-b border-hairline align-top"
              >
                <th scope="row" className="max-w-md py-1 pr-4 text-left font-normal break-all">
                  {item.key === "" ? "(no prefix)" : item.key}
                  {item.version > 0 && <span className="text-sm text-ink-soft"> version {item.version}</span>}
                </th>
                <td className="pr-4">{item.bucket}</td>
                <td className="max-w-xs text-sm">
                  {inWords(item.kind)}
                  {item.note && <span className="block text-ink-soft">{item.note}</span>}
                </td>
                <td className="pl-4 text-right">{count(item.objects)}</td>
                <td className="pl-4 text-right whitespace-nowrap">{bytes(item.bytes)}</td>
                <td className="pl-6 text-sm whitespace-nowrap">{instant(item.written)}</td>
                {mends && <td className="text-right">{mends(item)}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {items.length > most && (
        <p className="text-sm text-ink-soft">And {count(items.length - most)} more; the record's files list all of them.</p>
      )}
    </div>
  );
}
