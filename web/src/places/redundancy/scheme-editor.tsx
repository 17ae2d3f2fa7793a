import type { Scheme } from "../../api/client";
import { ApiError } from "../../refusal";
import { Button, Field, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";

const spreads = [
  { value: "device", label: "devices only" },
  { value: "rack", label: "racks" },
  { value: "zone", label: "zones" },
  { value: "region", label: "regions" },
];

const usual = {
  deviceFailuresPerYear: 0.015,
  repairHours: 24,
  oneRepairAtATime: false,
  zoneOutagesPerYear: 0.5,
  zoneOutageHours: 4,
  regionOutagesPerYear: 0.1,
  regionOutageHours: 6,
  zonesDestroyedPerYear: 0.0001,
  regionsDestroyedPerYear: 0.00001,
};

type EditorProps = { scheme: Scheme; error: Error | null; onChange: (scheme: Scheme) => void; onClose: () => void };

/** A scheme that is only tried: copies or fragments, over which places, on devices that fail how often. */
export function SchemeEditor({ scheme, error, onChange, onClose }: EditorProps) {
  const hazards = { ...usual, ...scheme.hazards };
  const wrong = (path: string) =>
    error instanceof ApiError ? error.problems.find((p) => p.path === `$.scheme.${path}`)?.message : undefined;
  const number = (label: string, path: string, value: number, set: (value: number) => Scheme) => (
    <Field label={label} error={wrong(path)}>
      {(ids) => <NumberInput {...ids} className="w-20" value={value} onChange={(v) => v !== null && onChange(set(v))} />}
    </Field>
  );
  const place = (label: string, part: "regions" | "zones" | "racks") =>
    number(label, `over.${part}`, scheme.over?.[part] ?? 1, (v) => ({
      ...scheme,
      over: { regions: 1, zones: 1, racks: 1, ...scheme.over, [part]: v },
    }));
  return (
    <section
      aria-label="A scheme of your own"
      className="mt-4 flex flex-wrap items-start gap-x-6 gap-y-2 border-t border-hairline pt-3"
    >
      <Field label="It is made of">
        {(ids) => (
          <Select
            {...ids}
            value={scheme.coded ? "coded" : "copies"}
            options={[
              { value: "copies", label: "whole copies" },
              { value: "coded", label: "coded fragments" },
            ]}
            onChange={(e) =>
              onChange(
                e.target.value === "coded"
                  ? { ...scheme, copies: 1, coded: { data: 6, parity: 3 } }
                  : { ...scheme, copies: 3, coded: null },
              )
            }
          />
        )}
      </Field>
      {scheme.coded ? (
        <>
          {number("Data fragments", "coded.data", scheme.coded.data, (data) => ({
            ...scheme,
            coded: { data, parity: scheme.coded?.parity ?? 0 },
          }))}
          {number("Parity fragments", "coded.parity", scheme.coded.parity, (parity) => ({
            ...scheme,
            coded: { data: scheme.coded?.data ?? 1, parity },
          }))}
        </>
      ) : (
        number("Copies", "copies", scheme.copies, (copies) => ({ ...scheme, copies }))
      )}
      <Field label="Kept apart in">
        {(ids) => (
          <Select
            {...ids}
            value={scheme.spread}
            options={spreads}
            onChange={(e) => onChange({ ...scheme, spread: e.target.value as Scheme["spread"], over: null })}
          />
        )}
      </Field>
      {scheme.over == null ? (
        <Button
          kind="quiet"
          className="self-center"
          onClick={() => onChange({ ...scheme, over: { regions: 1, zones: 3, racks: 1 } })}
        >
          Say over how many
        </Button>
      ) : (
        <>
          {place("Regions", "regions")}
          {place("Zones in each", "zones")}
          {place("Racks in each zone", "racks")}
        </>
      )}
      {number(
        "Devices that fail a year, %",
        "hazards.deviceFailuresPerYear",
        Number((hazards.deviceFailuresPerYear * 100).toPrecision(12)),
        (v) => ({
          ...scheme,
          hazards: { ...hazards, deviceFailuresPerYear: v / 100 },
        }),
      )}
      {number("Hours to repair", "hazards.repairHours", hazards.repairHours, (repairHours) => ({
        ...scheme,
        hazards: { ...hazards, repairHours },
      }))}
      {number(
        "Zones destroyed in 10,000 years",
        "hazards.zonesDestroyedPerYear",
        Number((hazards.zonesDestroyedPerYear * 10_000).toPrecision(12)),
        (v) => ({ ...scheme, hazards: { ...hazards, zonesDestroyedPerYear: v / 10_000 } }),
      )}
      {number(
        "Regions destroyed in 10,000 years",
        "hazards.regionsDestroyedPerYear",
        Number((hazards.regionsDestroyedPerYear * 10_000).toPrecision(12)),
        (v) => ({ ...scheme, hazards: { ...hazards, regionsDestroyedPerYear: v / 10_000 } }),
      )}
      {number("Price, times", "storageFactor", scheme.storageFactor, (storageFactor) => ({ ...scheme, storageFactor }))}
      <Button kind="quiet" className="self-center" onClick={onClose}>
        Leave it out
      </Button>
      {error && !(error instanceof ApiError && error.problems.length > 0) && <ErrorNote error={error} />}
    </section>
  );
}
