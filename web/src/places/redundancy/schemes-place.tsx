import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { compareSchemes, type Lines, readSchemeDraft, type Scheme, type SchemePromise } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { SizeField } from "../../ui/size-field";
import { useKept } from "../../ui/use-kept";
import { Devices } from "./devices";
import { LinesEditor } from "./lines-editor";
import { nines, seconds, unreadable, years } from "./promise";
import { SchemeEditor } from "./scheme-editor";

const most = 4;
const oneGigabyte = 1e9;
const ordinaryLines: Lines = {
  uplink: { megabitsPerSecond: 200, roundTripMilliseconds: 12 },
  betweenZones: { megabitsPerSecond: 10_000, roundTripMilliseconds: 1.5 },
  betweenRegions: { megabitsPerSecond: 1_000, roundTripMilliseconds: 60 },
};

const rows: { label: string; hint?: string; show: (p: SchemePromise) => ReactNode }[] = [
  { label: "Price", hint: "every storage price times this", show: (p) => `× ${p.scheme.storageFactor}` },
  {
    label: "Fragments",
    show: (p) => (p.needed === 1 ? `${p.fragments} whole copies` : `${p.fragments}, any ${p.needed} of them enough`),
  },
  { label: "Lies on", show: (p) => p.scheme.deviceClass ?? "whatever there is" },
  { label: "Raw bytes per byte", show: (p) => count(p.rawBytesPerByte, 2) },
  { label: "Devices lost at once", hint: "with nothing lost, in the worst case", show: (p) => p.devicesSurvived },
  { label: "Racks lost at once", show: (p) => p.racksSurvived },
  { label: "Zones lost at once", show: (p) => p.zonesSurvived },
  { label: "Regions lost at once", show: (p) => p.regionsSurvived },
  { label: "Durability a year", hint: "devices, zones and regions that are destroyed", show: nines },
  { label: "Of ten million objects", hint: "one is lost, on average, in", show: (p) => years(p.yearsToLoseOneInTenMillion) },
  { label: "Durability without places", hint: "device failures alone", show: (p) => `${count(p.ninesAYear, 1)} nines` },
  { label: "Mean time to loss", hint: "of one object, by device failures", show: (p) => years(p.meanYearsToLoss) },
  { label: "Cannot be read", hint: "devices, zones and regions being down", show: (p) => unreadable(p.readableShare) },
  { label: "Writing the file", hint: "sent once, spread by the provider", show: (p) => seconds(p.secondsFannedOut) },
  {
    label: "Writing it yourself",
    hint: "each fragment after the other, over your uplink",
    show: (p) => seconds(p.secondsOneAfterAnother),
  },
];

/** Up to four schemes side by side: what each survives, how long it lasts, what it costs. Which ones is in the address (?compare=). */
export function SchemesPlace() {
  usePageTitle("Redundancy schemes");
  const { estate, prices } = useEstate();
  const { params, set } = useAddress();
  const [fileBytes, setFileBytes] = useKept(`ripen-scheme-file:${estate.identity}`, oneGigabyte);
  const [own, setOwn, forgetOwn] = useKept<Scheme | null>(`ripen-draft:${estate.identity}:scheme`, null);
  const [lines, setLines] = useKept(`ripen-scheme-lines:${estate.identity}`, ordinaryLines);
  const known = useQuery({
    queryKey: ["schemes", fileBytes, lines],
    queryFn: () => compareSchemes({ fileBytes, lines }),
    retry: false,
    placeholderData: (previous) => previous,
  });
  const draft = useQuery({
    queryKey: ["scheme-draft", own, fileBytes, lines],
    queryFn: () => readSchemeDraft({ scheme: own as Scheme, fileBytes, lines }),
    enabled: own !== null,
    retry: false,
    placeholderData: (previous) => previous,
  });
  const room = own ? most - 1 : most;
  const chosen = (params.get("compare")?.split(",") ?? prices.schemes.map((s) => s.id))
    .filter((id) => prices.schemes.some((s) => s.id === id))
    .slice(0, room);
  const shown = chosen.flatMap((id) => known.data?.find((p) => p.scheme.id === id) ?? []);
  const all = own && draft.data ? [...shown, draft.data] : shown;
  const toggle = (id: string) =>
    set("compare", (chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]).join(","));
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Redundancy, side by side</h1>
      <p className="mt-1 max-w-3xl text-ink-soft">
        Computed from how a scheme cuts and spreads an object, how often devices fail and how soon they are repaired. Up to four
        at a time. <Link to={{ pathname: "/about", hash: "durability" }}>What durability means</Link>
      </p>
      <div className="mt-4 flex flex-wrap items-end gap-x-6 gap-y-2 border-t border-hairline pt-3">
        <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
          <legend className="text-sm text-ink-soft">Of the price book</legend>
          {prices.schemes.map((s) => (
            <label key={s.id} className="inline-flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked={chosen.includes(s.id)}
                disabled={!chosen.includes(s.id) && chosen.length >= room}
                onChange={() => toggle(s.id)}
              />
              {s.name}
            </label>
          ))}
        </fieldset>
        <SizeField label="A file of" value={fileBytes} onChange={(v) => setFileBytes(v ?? 0)} />
        <LinesEditor lines={lines} error={known.error} onChange={setLines} />
        {own === null && (
          <Button
            onClick={() =>
              setOwn({ id: "own", name: "A scheme of your own", copies: 3, spread: "zone", storageFactor: 1, hazards: null })
            }
          >
            Try another scheme
          </Button>
        )}
      </div>
      {own && <SchemeEditor scheme={own} error={draft.error} onChange={setOwn} onClose={forgetOwn} />}
      {known.error && !(known.error instanceof ApiError && known.error.problems.length > 0) && <ErrorNote error={known.error} />}
      <table className="mt-6 w-full max-w-6xl table-fixed">
        <thead>
          <tr className="border-b border-hairline-strong align-bottom">
            <td className="w-56" />
            {all.map((p) => (
              <th key={p.scheme.id} scope="col" className="pr-4 pb-1 text-left font-serif text-lg font-medium">
                {p.scheme.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.label} className="border-b border-hairline align-top">
              <th scope="row" className="py-1.5 text-left font-normal">
                {row.label}
                {row.hint && <span className="block text-sm text-ink-soft">{row.hint}</span>}
              </th>
              {all.map((p) => (
                <td key={p.scheme.id} className="py-1.5 pr-4">
                  {row.show(p)}
                </td>
              ))}
            </tr>
          ))}
          <tr className="align-top">
            <th scope="row" className="py-1.5 text-left font-normal">
              Warnings
            </th>
            {all.map((p) => (
              <td key={p.scheme.id} className="py-1.5 pr-4 text-sm">
                {p.doubts.length === 0 && <span className="text-ink-soft">It does what its name says.</span>}
                {p.doubts.map((d) => (
                  <p key={d.code + d.message} className="border-l-2 border-bad pl-2">
                    {d.message}
                  </p>
                ))}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
      <Devices />
      <p className="mt-4 max-w-3xl text-sm text-ink-soft">
        Device failures are independent and repaired (a birth–death chain). A zone is destroyed with all in it once in ten
        thousand years, a region once in a hundred thousand, unless the price book says otherwise: orders of magnitude, common
        practice. Outages are in the time that cannot be read.
      </p>
    </div>
  );
}
