import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type BreakEvenCurve, readBreakEven } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Field, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { BreakEvenChart } from "./break-even-chart";

const tableStays = [30, 90, 180, 365, 1095, 3650];

/** From which size on moving pays, for every pair of tiers, as a picture and a table. */
export function BreakEvenPlace() {
  usePageTitle("Break-even sizes");
  const { prices } = useEstate();
  const { params, goTo } = useAddress();
  const region = params.get("region") ?? prices.regions[0]?.id ?? "";
  const scheme = params.get("scheme") ?? prices.schemes[0]?.id ?? "";
  const reads = Number(params.get("reads") ?? 0);
  const curves = useQuery({
    queryKey: keys.breakEven(region, scheme, reads),
    queryFn: () => readBreakEven(region, scheme, reads),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <div className="max-w-6xl px-6 pb-24">
      <h1 className="pt-5 text-3xl">Break-even sizes</h1>
      <p className="mt-2 max-w-3xl text-ink-soft">
        Moving an object costs a request, whatever its size; what the colder tier saves grows with size and stay. An object above
        a line pays for its move; below, many small ones are better bundled first. Leaving early, smallest billed sizes, extra
        bytes and dearer reading are weighed.
      </p>
      <div className="mt-3 flex flex-wrap items-start gap-x-6 gap-y-2">
        <Field label="In">
          {(ids) => (
            <Select
              {...ids}
              value={region}
              options={prices.regions.map((r) => ({ value: r.id, label: r.name }))}
              onChange={(e) => goTo("region", e.target.value)}
            />
          )}
        </Field>
        <Field label="Stored as">
          {(ids) => (
            <Select
              {...ids}
              value={scheme}
              options={prices.schemes.map((s) => ({ value: s.id, label: s.name }))}
              onChange={(e) => goTo("scheme", e.target.value)}
            />
          )}
        </Field>
        <Field label="Each is read, times a year">
          {(ids) => <NumberInput {...ids} className="w-24" value={reads} onChange={(v) => goTo("reads", v ? String(v) : null)} />}
        </Field>
      </div>
      {curves.error && <ErrorNote error={curves.error} />}
      {curves.data && (
        <>
          <BreakEvenChart curves={curves.data} />
          <Sizes curves={curves.data} />
        </>
      )}
    </div>
  );
}

function Sizes({ curves }: { curves: BreakEvenCurve[] }) {
  const { bytes } = useEstate();
  return (
    <table className="mt-6 w-full">
      <caption className="pb-1 text-left text-lg">Smallest object for which the move pays</caption>
      <thead className="text-left text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="py-1 font-normal">from, to</th>
          {tableStays.map((d) => (
            <th key={d} className="pl-4 text-right font-normal">
              {count(d)} days
            </th>
          ))}
          <th className="pl-4 text-right font-normal">1 GB pays from</th>
        </tr>
      </thead>
      <tbody>
        {curves.map((c) => (
          <tr key={`${c.from} ${c.to}`} className="border-b border-hairline">
            <td className="py-1">
              <TierName id={c.from} /> to <TierName id={c.to} />
            </td>
            {tableStays.map((d) => {
              const size = c.sizes.find((s) => s.staysDays === d)?.bytes;
              return (
                <td key={d} className="pl-4 text-right whitespace-nowrap">
                  {size == null ? <span className="text-ink-soft">none</span> : bytes(size)}
                </td>
              );
            })}
            <td className="pl-4 text-right whitespace-nowrap">
              {c.paysFromDay == null ? <span className="text-ink-soft">never</span> : `day ${count(c.paysFromDay)}`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
