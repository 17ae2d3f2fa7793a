import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { type Bucket, createBucket, type PlaceOffer, readDraft, readPlaces } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { TierName } from "../../strip/tiers";
import { Button, Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useKept } from "../../ui/use-kept";
import { SchemeSummary } from "../redundancy/scheme-summary";
import { TenantField } from "./tenant-field";

/** A new bucket: its name is checked while it is typed; regions, tiers and schemes stand side by side with their prices. */
export function NewBucket() {
  const { estate } = useEstate();
  const { search, state } = useLocation();
  const brought = state as { bucket?: Bucket; why?: string } | null;
  const [users, setUsers] = useKept<string | null>(`ripen-users:${estate.identity}`, null);
  const begin = useQuery({ queryKey: keys.places(null, users), queryFn: () => readPlaces(null, users), gcTime: 0 });
  const [kept, keep, forget] = useKept<Bucket | null>(`ripen-draft:${estate.identity}:new`, null);
  const bucket = brought?.bucket && kept === null ? brought.bucket : (kept ?? begin.data?.begin);
  if (begin.error && !bucket) return <ErrorNote error={begin.error} />;
  if (!bucket) return <div className="h-96" />;
  return (
    <Form
      bucket={bucket}
      users={users}
      setUsers={setUsers}
      set={(part) => keep({ ...bucket, ...part })}
      forget={forget}
      why={
        brought?.bucket &&
        (brought.why ??
          "Filled in by the advice, with its stream, access pattern and expiry; all of it can be changed on the bucket's page.")
      }
      search={search}
    />
  );
}

type FormProps = {
  bucket: Bucket;
  set: (part: Partial<Bucket>) => void;
  users: string | null;
  setUsers: (users: string | null) => void;
  forget: () => void;
  why: string | undefined;
  search: string;
};

function Form({ bucket, set, users, setUsers, forget, why, search }: FormProps) {
  const { prices } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [touched, setTouched] = useState(false);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const reading = useQuery({
    queryKey: keys.draft(null, undefined, bucket),
    queryFn: ({ signal }) => readDraft(bucket, null, signal),
    placeholderData: keepPreviousData,
    gcTime: 0,
  });
  const places = useQuery({
    queryKey: keys.places(bucket.scheme, users),
    queryFn: () => readPlaces(bucket.scheme, users),
    placeholderData: keepPreviousData,
  });
  const problemAt = useProblems(reading.data?.problems);
  const leave = () => void navigate({ pathname: "/", search });
  const cancel = () => {
    forget();
    leave();
  };
  const make = async (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    setBusy(true);
    setError(null);
    try {
      await createBucket(bucket, reading.isPlaceholderData ? null : (reading.data?.seen ?? null));
      forget();
      await queries.invalidateQueries();
      await navigate({ pathname: `/buckets/${bucket.name}`, search });
    } catch (refusal) {
      setError(refusal as Error);
    } finally {
      setBusy(false);
    }
  };
  const nameProblem = touched || bucket.name.length > 0 ? problemAt("$.name") : undefined;
  const cost = reading.data?.consequences?.cost[0];
  const { money } = useEstate();
  return (
    <section aria-label="New bucket" className="mb-6 border-y border-hairline-strong bg-paper py-5">
      <form onSubmit={make} onKeyDown={(event) => event.key === "Escape" && leave()}>
        <div className="flex flex-wrap items-start gap-x-8 gap-y-2">
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
          <Field label="Those who use it are near">
            {(ids) => (
              <Select
                {...ids}
                value={users ?? ""}
                options={[
                  { value: "", label: "no region in particular" },
                  ...prices.regions.map((r) => ({ value: r.id, label: r.name })),
                ]}
                onChange={(e) => setUsers(e.target.value || null)}
              />
            )}
          </Field>
          <TenantField
            value={bucket.tenant ?? ""}
            error={problemAt("$.tenant")}
            hint="Who answers for what it costs"
            onChange={(tenant) => set({ tenant: tenant || null })}
          />
          <div className="ml-auto flex gap-3 pt-4">
            <Button kind="primary" type="submit" disabled={busy}>
              Make the bucket
            </Button>
            <Button onClick={cancel}>Cancel</Button>
          </div>
        </div>
        {places.data && <PlaceChoice bucket={bucket} set={set} places={places.data.regions} users={users} />}
        {problemAt("$.tier") && <p className="mt-2 text-sm text-bad">{problemAt("$.tier")}</p>}
        <SchemeChoice bucket={bucket} set={set} />
        <div className="mt-4 flex flex-wrap gap-x-10 gap-y-1">
          <p>
            <strong className="font-medium">Closed:</strong> nobody reads or writes it without a key that you grant, or until you
            open it by name.
          </p>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={bucket.versioning ?? false}
              onChange={(e) => set({ versioning: e.target.checked })}
            />
            Versioning
            <span className="text-sm text-ink-soft">
              {bucket.versioning
                ? "what is overwritten or deleted stays as an earlier version"
                : "off: what is overwritten or deleted is gone"}
            </span>
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={bucket.ownKey ?? false}
              onChange={(e) => set({ ownKey: e.target.checked })}
            />
            A key of its own
            <span className="text-sm text-ink-soft">
              encrypted at rest{" "}
              {bucket.ownKey ? "under a key that can be withdrawn for this bucket alone" : "under the provider's key"}
            </span>
          </label>
          {cost && cost.bucketAfter > 0 && (
            <p>
              <span className="figure-projected">{money(cost.bucketAfter)}</span>{" "}
              <span className="text-sm text-ink-soft">in the first year</span>
            </p>
          )}
        </div>
        {why ? (
          <p className="mt-3 text-sm text-ink-soft">{why}</p>
        ) : (
          <p className="mt-3 text-sm">
            <Link to="/advice">Not sure? A few questions lead to an answer with reasons.</Link>
          </p>
        )}
        {error && <ErrorNote error={error} />}
      </form>
    </section>
  );
}

type ChoiceProps = { bucket: Bucket; set: (part: Partial<Bucket>) => void };

/** Every region with what it offers: picking a price picks region and landing tier. */
function PlaceChoice({ bucket, set, places, users }: ChoiceProps & { places: PlaceOffer[]; users: string | null }) {
  const { prices, price: inPrice, regionName } = useEstate();
  return (
    <fieldset className="mt-4">
      <legend className="text-sm text-ink-soft">
        Region and landing tier; money per {prices.unit}-month in the first band, the redundancy scheme in it
      </legend>
      <div className="overflow-x-auto">
        <table className="mt-1 w-full max-w-6xl">
          <thead>
            <tr className="align-bottom">
              <td />
              {prices.tiers.map((tier) => (
                <th key={tier.id} className="px-4 py-1 text-left font-normal">
                  <TierName id={tier.id} />
                  {tier.waitHours > 0 && (
                    <span className="block text-sm text-ink-soft">{count(tier.waitHours)} h until the first byte</span>
                  )}
                </th>
              ))}
              <th className="px-4 py-1 text-left font-normal text-ink-soft">
                {users === null ? "from its users" : `from ${regionName(users)}`}
              </th>
            </tr>
          </thead>
          <tbody>
            {places.map((place) => (
              <tr key={place.region} className="border-t border-hairline">
                <th scope="row" className="py-1 pr-6 text-left font-normal">
                  {place.name}
                  <span className="block text-sm text-ink-soft">
                    {place.operatedBy === "own" ? "a place of your own" : "a provider's"}
                    {place.zones != null && ` · ${place.zones === 1 ? "one zone" : `${place.zones} zones`}`}
                  </span>
                </th>
                {place.tiers.map((tier) => (
                  <td key={tier.tier} className="px-4 py-1.5">
                    {tier.price == null ? (
                      <span className="text-ink-soft">not offered</span>
                    ) : (
                      <label className="flex items-center gap-2">
                        <input
                          type="radio"
                          name="place"
                          className="accent-(--accent)"
                          aria-label={`${place.name}, ${prices.tiers.find((t) => t.id === tier.tier)?.name}, ${inPrice(tier.price)}`}
                          checked={bucket.region === place.region && bucket.tier === tier.tier}
                          onChange={() => set({ region: place.region, tier: tier.tier })}
                        />
                        {inPrice(tier.price)}
                      </label>
                    )}
                  </td>
                ))}
                <td className="px-4 py-1.5 text-sm">
                  <Way place={place} users={users} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </fieldset>
  );
}

/** How far a region is from where the bucket's users are. */
function Way({ place, users }: { place: PlaceOffer; users: string | null }) {
  const { price, prices } = useEstate();
  if (users === null) return <span className="text-ink-soft">say where they are</span>;
  if (place.isHere) return "here";
  if (!place.line) return "no line in the price book: free and without a limit";
  return (
    <>
      {place.line.roundTripMilliseconds == null
        ? "no round trip stated"
        : `${count(place.line.roundTripMilliseconds)} ms there and back`}
      <span className="block text-ink-soft">
        {place.line.megabitsPerSecond == null ? "no limit" : `${count(place.line.megabitsPerSecond)} Mbit/s`} ·{" "}
        {price(place.line.price)} per {prices.unit}
      </span>
    </>
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
