import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { readLandscape } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day } from "../../format";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { LandscapeChart } from "./landscape-chart";

const horizons = [1, 2, 5, 10, 20, 30];

/** All data by its age over the years to come: how it grows old, and where it lies then. */
export function LandscapePlace() {
  usePageTitle("How it ripens");
  const { estate } = useEstate();
  const { params, goTo } = useAddress();
  const bucket = params.get("bucket");
  const asked = Number(params.get("years"));
  const years = horizons.includes(asked) ? asked : 5;
  const read = useQuery({
    queryKey: keys.landscape(years * 12, bucket),
    queryFn: () => readLandscape(years * 12, bucket),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">How it ripens</h1>
      <p className="mt-2 max-w-3xl text-ink-soft">
        Every day of the years ahead is a column, and in it lies what is there by its age: what stays, climbs. The colour is the
        tier that holds most of that age; the fuller, the more bytes.
      </p>
      <div className="no-print mt-3 flex flex-wrap items-start gap-x-8 gap-y-2">
        <Field label="Of">
          {(ids) => (
            <Select
              {...ids}
              value={bucket ?? ""}
              options={[{ value: "", label: "all buckets" }, ...estate.buckets.map((b) => ({ value: b, label: b }))]}
              onChange={(e) => goTo("bucket", e.target.value || null)}
            />
          )}
        </Field>
        <Field label="Years ahead">
          {(ids) => (
            <Select
              {...ids}
              value={String(years)}
              options={horizons.map((y) => ({ value: String(y), label: String(y) }))}
              onChange={(e) => goTo("years", e.target.value)}
            />
          )}
        </Field>
      </div>
      {read.error && <ErrorNote error={read.error} />}
      {read.data && (
        <div data-stale={read.isPlaceholderData}>
          <LandscapeChart reading={read.data} />
          <Table reading={read.data} />
        </div>
      )}
    </div>
  );
}

function Table({ reading }: { reading: Awaited<ReturnType<typeof readLandscape>> }) {
  const { bytes } = useEstate();
  const { days, tiers } = reading.landscape;
  const step = Math.max(1, Math.floor((days.length - 1) / 10));
  const shown = days.map((_, i) => i).filter((i) => i % step === 0);
  const sum = (of: number[] | undefined) => (of ?? []).reduce((all, b) => all + b, 0);
  const yearOld = reading.axis.binStarts.findIndex((s) => s >= 365);
  return (
    <table className="mt-4 w-full text-right">
      <caption className="pb-1 text-left font-serif text-lg">The same in numbers</caption>
      <thead className="text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="text-left font-normal">morning of</th>
          {tiers.map((t) => (
            <th key={t.tier} className="pl-4 font-normal">
              <TierName id={t.tier} />
            </th>
          ))}
          <th className="pl-4 font-normal">in all</th>
          <th className="pl-4 font-normal">older than a year</th>
        </tr>
      </thead>
      <tbody>
        {shown.map((i) => (
          <tr key={days[i]} className="border-b border-hairline">
            <th scope="row" className="py-0.5 text-left font-normal">
              {day(days[i] ?? "")}
            </th>
            {tiers.map((t) => (
              <td key={t.tier} className="pl-4">
                {bytes(sum(t.bytes[i]))}
              </td>
            ))}
            <td className="pl-4">{bytes(tiers.reduce((all, t) => all + sum(t.bytes[i]), 0))}</td>
            <td className="pl-4">{bytes(tiers.reduce((all, t) => all + sum(t.bytes[i]?.slice(yearOld)), 0))}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
