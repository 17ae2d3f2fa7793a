import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type RuleYear, readRulesAhead, rulesAheadFile } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useCapped } from "../../ui/use-capped";
import { DeedWords } from "./deed-words";

const months = 12;

type Figure = "objects" | "bytes" | "charges";

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
  const reading = ahead.data;
  const { shown, more } = useCapped(reading?.rows ?? [], 60);
  const short = (charge: number) => (charge > 0 && charge < 0.005 ? `<${money(0.01)}` : money(charge));
  const words = { objects: count, bytes, charges: short }[figure];
  const sum = (figures: number[]) => figures.reduce((n, f) => n + f, 0);
  if (ahead.error) return <ErrorNote error={ahead.error} />;
  if (!reading) return null;
  if (reading.inAll === 0) return <p className="mt-4">Rules will do nothing in these months.</p>;
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
                { value: "charges", label: "what it is charged" },
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
              {reading.months.map((m) => (
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
                {row[figure].map((f, m) => (
                  <td key={reading.months[m]} className="pl-2 text-right whitespace-nowrap">
                    {row.objects[m] === 0 ? (
                      <span className="text-ink-soft">–</span>
                    ) : figure === "charges" && f > 0 ? (
                      <Link to={`/why?month=${reading.months[m]}&bucket=${row.bucket}`}>{words(f)}</Link>
                    ) : (
                      words(f)
                    )}
                  </td>
                ))}
                <td className="pl-3 text-right font-semibold whitespace-nowrap">{words(sum(row[figure]))}</td>
              </tr>
            ))}
          </tbody>
          <tfoot>
            <tr className="border-t border-hairline-strong font-semibold">
              <td className="py-1" colSpan={2}>
                All together
              </td>
              {reading[figure].map((f, m) => (
                <td key={reading.months[m]} className="pl-2 text-right whitespace-nowrap">
                  {words(f)}
                </td>
              ))}
              <td className="pl-3 text-right whitespace-nowrap">{words(sum(reading[figure]))}</td>
            </tr>
          </tfoot>
        </table>
      </section>
      {more}
      {reading.inAll > reading.rows.length && (
        <p className="mt-1 text-ink-soft">
          {count(reading.inAll - reading.rows.length)} more are in the CSV, or with their bucket chosen above; the sums are of
          all.
        </p>
      )}
    </section>
  );
}

const keyOf = (r: RuleYear) => `${r.bucket} ${r.rule} ${r.deed} ${r.from} ${r.to}`;

const shortMonth = (month: string) =>
  new Date(`${month}-01T00:00:00Z`).toLocaleDateString("en-GB", { month: "short", year: "2-digit", timeZone: "UTC" });
