import type { UntouchedPrefix } from "../../../api/client";
import { useEstate } from "../../../estate-context";

/** By prefix, how much nobody touched for so long, and what that costs a month. */
export function UntouchedTable({ prefixes }: { prefixes: UntouchedPrefix[] }) {
  const { bytes, money } = useEstate();
  const days = prefixes[0]?.for.map((f) => f.days) ?? [];
  return (
    <table className="w-full text-right">
      <thead className="text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="py-1 text-left font-normal">prefix</th>
          {days.map((d) => (
            <th key={d} className="pl-4 font-normal">
              {d === 0 ? "all of it" : `${d} days`}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {prefixes.map((p) => (
          <tr key={p.prefix} className="border-b border-hairline align-top">
            <th scope="row" className="py-1 text-left font-normal">
              {p.prefix || "(no folder)"}
            </th>
            {p.for.map((f) => (
              <td key={f.days} className="py-1 pl-4">
                {bytes(f.bytes)}
                <span className="block text-sm text-ink-soft">{money(f.costPerMonth)} a month</span>
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
