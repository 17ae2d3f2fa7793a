import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { type Bucket, createBucket, readDraft } from "../../api/client";
import { useEstate } from "../../estate-context";
import { TierName } from "../../strip/tiers";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { SchemeSummary } from "../redundancy/scheme-summary";
import { useProblems } from "./use-draft";

/** A new bucket: its name is checked while it is typed; region, scheme and tier stand side by side with their prices. */
export function NewBucket() {
  const { estate, prices } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { search, state } = useLocation();
  const brought = state as { bucket?: Bucket; why?: string } | null;
  const advised = brought?.bucket;
  const [bucket, setBucket] = useState<Bucket>(
    () =>
      advised ?? {
        name: freeName(estate.buckets),
        region: prices.regions[0]?.id ?? "",
        scheme: (prices.schemes.find((s) => s.copies >= 3) ?? prices.schemes[0])?.id ?? "",
        tier: prices.regions[0]?.prices[0]?.tier ?? "",
      },
  );
  const [touched, setTouched] = useState(false);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const reading = useQuery({
    queryKey: ["draft", null, bucket],
    queryFn: ({ signal }) => readDraft(bucket, null, signal),
    placeholderData: keepPreviousData,
    gcTime: 0,
  });
  const problemAt = useProblems(reading.data?.problems);
  const close = () => navigate({ pathname: "/", search });

  const make = async (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    setBusy(true);
    setError(null);
    try {
      await createBucket(bucket, reading.isPlaceholderData ? null : (reading.data?.seen ?? null));
      await queries.invalidateQueries();
      await navigate({ pathname: `/buckets/${bucket.name}`, search });
    } catch (refusal) {
      setError(refusal as Error);
    } finally {
      setBusy(false);
    }
  };
  const set = (part: Partial<Bucket>) => setBucket((b) => ({ ...b, ...part }));
  const nameProblem = touched || bucket.name.length > 0 ? problemAt("$.name") : undefined;
  return (
    <section aria-label="New bucket" className="mb-6 border-y border-hairline-strong bg-paper py-5">
      <form onSubmit={make} onKeyDown={(event) => event.key === "Escape" && close()}>
        <div className="flex items-start gap-8">
          <h2 className="text-2xl">New bucket</h2>
          <Field
            label="Name"
            error={nameProblem}
            hint={
              bucket.name && reading.data && !reading.isPlaceholderData
                ? "This name is free."
                : "3 to 63 lower-case letters, digits and hyphens"
            }
          >
            {(ids) => (
              <input
                {...ids}
                // biome-ignore lint/a11y/noAutofocus: the page is opened to type this name
                autoFocus
                autoComplete="off"
                spellCheck={false}
                className={`${inputLook} w-72 text-lg`}
                onFocus={(e) => e.target.select()}
                value={bucket.name}
                onChange={(e) => set({ name: e.target.value })}
              />
            )}
          </Field>
          <div className="ml-auto flex gap-3 pt-4">
            <Button kind="primary" type="submit" disabled={busy}>
              Make the bucket
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </div>
        <PriceChoice bucket={bucket} set={set} />
        <SchemeChoice bucket={bucket} set={set} />
        {problemAt("$.tier") && <p className="mt-2 text-sm text-bad">{problemAt("$.tier")}</p>}
        {advised && (
          <p className="mt-3 text-sm text-ink-soft">
            {brought?.why ??
              "Filled in by the advice, with its stream, access pattern and expiry; all of it can be changed on the bucket's page."}
          </p>
        )}
        {!advised && (
          <p className="mt-3 text-sm">
            <Link to="/advice">Not sure? A few questions lead to an answer with reasons.</Link>
          </p>
        )}
        {error && <ErrorNote error={error} />}
      </form>
    </section>
  );
}

/** A name that would do, selected so that typing replaces it: n and Enter make a bucket. */
function freeName(taken: string[]): string {
  let n = taken.length + 1;
  while (taken.includes(`bucket-${n}`)) n++;
  return `bucket-${n}`;
}

type ChoiceProps = { bucket: Bucket; set: (part: Partial<Bucket>) => void };

/** Every region against every tier, with the first band's price: picking a price picks both. */
function PriceChoice({ bucket, set }: ChoiceProps) {
  const { prices, price: inPrice } = useEstate();
  return (
    <fieldset className="mt-4">
      <legend className="text-sm text-ink-soft">Region and landing tier, money per {prices.unit}-month</legend>
      <table className="mt-1">
        <thead>
          <tr>
            <th />
            {prices.tiers.map((tier) => (
              <th key={tier.id} className="px-4 py-1 text-left font-normal">
                <TierName id={tier.id} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {prices.regions.map((region) => (
            <tr key={region.id} className="border-t border-hairline">
              <th scope="row" className="pr-6 text-left font-normal">
                {region.name}
              </th>
              {prices.tiers.map((tier) => {
                const price = region.prices.find((p) => p.tier === tier.id)?.storage[0]?.price;
                return (
                  <td key={tier.id} className="px-4 py-1.5">
                    {price === undefined ? (
                      <span className="text-ink-soft">not offered</span>
                    ) : (
                      <label className="flex items-center gap-2">
                        <input
                          type="radio"
                          name="place"
                          className="accent-(--accent)"
                          aria-label={`${region.name}, ${tier.name}, ${inPrice(price)}`}
                          checked={bucket.region === region.id && bucket.tier === tier.id}
                          onChange={() => set({ region: region.id, tier: tier.id })}
                        />
                        {inPrice(price)}
                      </label>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </fieldset>
  );
}

function SchemeChoice({ bucket, set }: ChoiceProps) {
  const { prices } = useEstate();
  return (
    <fieldset className="mt-4">
      <legend className="text-sm text-ink-soft">
        Redundancy scheme · <Link to="/schemes">compare side by side</Link>
      </legend>
      <div className="mt-1 grid grid-cols-2 gap-x-8 gap-y-1">
        {prices.schemes.map((scheme) => (
          <label key={scheme.id} className="flex items-center gap-2">
            <input
              type="radio"
              name="scheme"
              className="accent-(--accent)"
              checked={bucket.scheme === scheme.id}
              onChange={() => set({ scheme: scheme.id })}
            />
            {scheme.name}
            <span className="text-sm text-ink-soft">
              storage × {scheme.storageFactor} · <SchemeSummary id={scheme.id} compare={false} />
            </span>
          </label>
        ))}
      </div>
    </fieldset>
  );
}
