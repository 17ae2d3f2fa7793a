import { useState } from "react";
import type { UntouchedPrefix } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { OpenAmount, TermRow } from "../../../money/open-amount";

/** By prefix, how much nobody touched for so long, and what that costs a month. */
export function UntouchedTable({ prefixes }: { prefixes: UntouchedPrefix[] }) {
  const { bytes, money } = useEstate();
  const [opened, setOpened] = useState<string | null>(null);
  const idOf = (prefix: string, of: number) => `${of} ${prefix}`;
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
        {prefixes.flatMap((p) => [
          <tr key={p.prefix} className="border-b border-hairline align-top">
            <th scope="row" className="py-1 text-left font-normal">
              {p.prefix || "(no folder)"}
            </th>
            {p.for.map((f) => (
              <td key={f.days} className="py-1 pl-4">
                {bytes(f.bytes)}
                <span className="block text-sm text-ink-soft">
                  <OpenAmount
                    id={idOf(p.prefix, f.days)}
                    label={`a month, ${p.prefix || "no folder"}, ${f.days} days`}
                    text={money(f.costPerMonth)}
                    terms={f.terms}
                    opened={opened}
                    onOpen={setOpened}
                  />{" "}
                  a month
                </span>
              </td>
            ))}
          </tr>,
          ...p.for
            .filter((f) => opened === idOf(p.prefix, f.days))
            .map((f) => <TermRow key={`${p.prefix} opened`} columns={days.length + 1} terms={f.terms} />),
        ])}
      </tbody>
    </table>
  );
}
