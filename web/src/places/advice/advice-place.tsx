import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { ApiError, adviseStorage, type StorageAdvice, type StorageQuestions } from "../../api/client";
import { useEstate } from "../../estate-context";
import { TierName } from "../../strip/tiers";
import { Button, Field, Figure, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { SizeField } from "../../ui/size-field";

const uses = [
  { value: "whole-objects", label: "Written whole and read whole: recordings, exports, backups, pictures" },
  { value: "shared-files", label: "Files that people open and edit together in a folder" },
  { value: "machine-disk", label: "The disk of a machine or database, small writes anywhere" },
] as const;

const parts = [
  { value: "device", label: "a device" },
  { value: "zone", label: "a whole zone" },
  { value: "region", label: "a whole region" },
];

const kinds = { "whole-objects": "An object bucket", "shared-files": "A file share", "machine-disk": "A block volume" };

/** A few questions about data that needs a place; the answer has its reasons and ends in a filled-in draft. */
export function AdvicePlace() {
  usePageTitle("Advice");
  const { prices } = useEstate();
  const [asked, setAsked] = useState<StorageQuestions>({
    use: "whole-objects",
    objectsPerDay: 100,
    bytesPerObject: 50_000_000,
    goneAfterDays: 730,
    shareReadPerMonth: 0.02,
    mostWaitHours: 0,
    survives: "zone",
    region: null,
  });
  const advise = useMutation({ mutationFn: adviseStorage });
  const set = (part: Partial<StorageQuestions>) => {
    setAsked({ ...asked, ...part });
    advise.reset();
  };
  const wrong = (path: string) =>
    advise.error instanceof ApiError ? advise.error.problems.find((p) => p.path === `$.${path}`)?.message : undefined;
  return (
    <div className="max-w-5xl px-6 pb-24">
      <h1 className="pt-5 text-3xl">What kind of storage is this?</h1>
      <form
        className="mt-4 grid grid-cols-2 gap-x-12 gap-y-4 border-t border-hairline pt-4"
        onSubmit={(event) => {
          event.preventDefault();
          advise.mutate(asked);
        }}
      >
        <fieldset className="col-span-2">
          <legend className="text-sm text-ink-soft">How is it worked with?</legend>
          {uses.map((use) => (
            <label key={use.value} className="flex items-center gap-2">
              <input
                type="radio"
                name="use"
                className="accent-(--accent)"
                checked={asked.use === use.value}
                onChange={() => set({ use: use.value })}
              />
              {use.label}
            </label>
          ))}
        </fieldset>
        <div className="flex gap-6">
          <Field label="Objects or files a day" error={wrong("objectsPerDay")}>
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-28"
                value={asked.objectsPerDay}
                onChange={(v) => set({ objectsPerDay: v ?? -1 })}
              />
            )}
          </Field>
          <SizeField
            label="of this size"
            value={asked.bytesPerObject}
            error={wrong("bytesPerObject")}
            onChange={(v) => set({ bytesPerObject: v ?? -1 })}
          />
        </div>
        <Field label="It may go after so many days" error={wrong("goneAfterDays")} hint="Empty: never.">
          {(ids) => (
            <NumberInput
              {...ids}
              className="w-28"
              value={asked.goneAfterDays ?? null}
              onChange={(v) => set({ goneAfterDays: v })}
            />
          )}
        </Field>
        <Field label="Of what is there, read in a month, %" error={wrong("shareReadPerMonth")}>
          {(ids) => (
            <NumberInput
              {...ids}
              className="w-28"
              value={Number((asked.shareReadPerMonth * 100).toPrecision(12))}
              onChange={(v) => set({ shareReadPerMonth: (v ?? -1) / 100 })}
            />
          )}
        </Field>
        <Field label="Hours a reader can wait for the first byte" error={wrong("mostWaitHours")}>
          {(ids) => (
            <NumberInput
              {...ids}
              className="w-28"
              value={asked.mostWaitHours}
              onChange={(v) => set({ mostWaitHours: v ?? -1 })}
            />
          )}
        </Field>
        <Field label="It must survive the loss of">
          {(ids) => (
            <Select
              {...ids}
              value={asked.survives}
              options={parts}
              onChange={(e) => set({ survives: e.target.value as StorageQuestions["survives"] })}
            />
          )}
        </Field>
        <Field label="Those who use it are near">
          {(ids) => (
            <Select
              {...ids}
              value={asked.region ?? ""}
              options={[
                { value: "", label: "no region in particular" },
                ...prices.regions.map((r) => ({ value: r.id, label: r.name })),
              ]}
              onChange={(e) => set({ region: e.target.value || null })}
            />
          )}
        </Field>
        <div className="col-span-2 flex gap-3">
          <Button kind="primary" type="submit" disabled={advise.isPending}>
            Advise
          </Button>
          <Link to="/new" className="self-center">
            I know it: a new bucket
          </Link>
        </div>
      </form>
      {advise.error && !(advise.error instanceof ApiError && advise.error.problems.length > 0) && (
        <ErrorNote error={advise.error} />
      )}
      {advise.data && <Answer advice={advise.data} />}
    </div>
  );
}

function Answer({ advice }: { advice: StorageAdvice }) {
  const { money, regionName, schemeName } = useEstate();
  const navigate = useNavigate();
  return (
    <section aria-label="Advice" className="mt-8 border-t border-hairline-strong pt-4">
      <h2 className="text-2xl">{kinds[advice.kind]}</h2>
      <ul className="mt-2 max-w-3xl list-disc space-y-1 pl-5">
        {advice.reasons.map((reason) => (
          <li key={reason}>{reason}</li>
        ))}
      </ul>
      {advice.choices.length > 0 && (
        <table className="mt-4 w-full max-w-3xl">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">region</th>
              <th className="font-normal">tier</th>
              <th className="font-normal">scheme</th>
              <th className="text-right font-normal">fifth year</th>
            </tr>
          </thead>
          <tbody>
            {advice.choices.map((c) => (
              <tr key={c.region + c.tier + c.scheme} className="border-b border-hairline">
                <td className="py-1">{regionName(c.region)}</td>
                <td>
                  <TierName id={c.tier} />
                </td>
                <td>{schemeName(c.scheme)}</td>
                <td className="text-right">
                  <Figure projected>{money(c.costAYear)}</Figure>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {advice.draft && (
        <Button kind="primary" className="mt-4" onClick={() => void navigate("/new", { state: { bucket: advice.draft } })}>
          Take the first as a draft
        </Button>
      )}
    </section>
  );
}
