import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type RuleDeed, readRulesAhead, rulesAheadFile } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useCapped } from "../../ui/use-capped";
import { DeedWords } from "./deed-words";

const months = 12;

type Figure = "objects" | "bytes" | "charge";

type Row = Pick<RuleDeed, "bucket" | "rule" | "deed" | "from" | "to"> & { by: Map<string, RuleDeed> };

/** What rules will do in the next twelve months: a row a rule and deed, a column a month. */
export function RulesAhead({ bucket }: { bucket: string | null }) {
  const { bytes, money } = useEstate();
  const [figure, setFigure] = useState<Figure>("bytes");
  const ahead = useQuery({
    queryKey: keys.rulesAhead(months, bucket),
    queryFn: () => readRulesAhead(months, bucket),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const all = ahead.data ?? [];
  const { shown, more } = useCapped(rowsOf(all), 60);
  const names = [...new Set(all.map((d) => d.month))];
  const short = (charge: number) => (charge > 0 && charge < 0.005 ? `<${money(0.01)}` : money(charge));
  const words = { objects: count, bytes, charge: short }[figure];
  const sum = (deeds: Iterable<RuleDeed>) => [...deeds].reduce((n, d) => n + d[figure], 0);
  if (ahead.error) return <ErrorNote error={ahead.error} />;
  if (!ahead.data) return null;
  if (all.length === 0) return <p className="mt-4">Rules will do nothing in these months.</p>;
  return (
    <section aria-label="By rule and month" className="mt-4">
      <div className="flex flex-wrap items-end gap-x-8">
        <Field label="Shown is">
          {(ids) => (
            <Select
              {...ids}
              value={figure}
              options={[
                { value: "bytes", label: "how many bytes" },
                { value: "objects", label: "how many objects" },
                { value: "charge", label: "what it is charged" },
              ]}
              onChange={(e) => setFigure(e.target.value as Figure)}
            />
          )}
        </Field>
        <a href={rulesAheadFile(bucket)} download className="text-sm">
          All of it as CSV
        </a>
      </div>
      <section className="mt-3 overflow-x-auto" aria-label="Months ahead" tabIndex={0}>
        <table className="w-full text-sm">
          <thead className="text-left text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">bucket, rule</th>
              <th className="font-normal">what</th>
              {names.map((m) => (
                <th key={m} className="pl-2 text-right font-normal whitespace-nowrap">
                  {shortMonth(m)}
                </th>
              ))}
              <th className="pl-3 text-right font-normal">together</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((row) => (
              <tr key={keyOf(row)} className="border-b border-hairline align-baseline">
                <td className="py-1 pr-3 whitespace-nowrap">
                  <Link to={`/buckets/${row.bucket}`}>{row.bucket}</Link>
                  <span className="block text-xs text-ink-soft">{row.rule ?? "a later arrival"}</span>
                </td>
                <td className="min-w-28 pr-2">
                  <DeedWords deed={row.deed} from={row.from} to={row.to} />
                </td>
                {names.map((m) => {
                  const deed = row.by.get(m);
                  return (
                    <td key={m} className="pl-2 text-right whitespace-nowrap">
                      {deed === undefined ? <span className="text-ink-soft">–</span> : words(deed[figure])}
                    </td>
                  );
                })}
                <td className="pl-3 text-right font-semibold whitespace-nowrap">{words(sum(row.by.values()))}</td>
              </tr>
            ))}
          </tbody>
          <tfoot>
            <tr className="border-t border-hairline-strong font-semibold">
              <td className="py-1" colSpan={2}>
                All together
              </td>
              {names.map((m) => (
                <td key={m} className="pl-2 text-right whitespace-nowrap">
                  {words(sum(all.filter((d) => d.month === m)))}
                </td>
              ))}
              <td className="pl-3 text-right whitespace-nowrap">{words(sum(all))}</td>
            </tr>
          </tfoot>
        </table>
      </section>
      {more}
    </section>
  );
}

const keyOf = (d: Pick<RuleDeed, "bucket" | "rule" | "deed" | "from" | "to">) =>
  `${d.bucket} ${d.rule} ${d.deed} ${d.from} ${d.to}`;

function rowsOf(all: RuleDeed[]): Row[] {
  const rows = new Map<string, Row>();
  for (const deed of all) {
    const row = rows.get(keyOf(deed)) ?? { ...deed, by: new Map<string, RuleDeed>() };
    row.by.set(deed.month, deed);
    rows.set(keyOf(deed), row);
  }
  return [...rows.values()].toSorted((a, b) => keyOf(a).localeCompare(keyOf(b)));
}

const shortMonth = (month: string) =>
  new Date(`${month}-01T00:00:00Z`).toLocaleDateString("en-GB", { month: "short", year: "2-digit", timeZone: "UTC" });
