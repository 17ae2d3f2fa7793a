import type { Bucket } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Field, inputLook, Select } from "../../ui/controls";
import { TenantField } from "../bucket/tenant-field";

type TargetProps = { bucket: Bucket; set: (part: Partial<Bucket>) => void; problemAt: ProblemAt };

/** The bucket that is made for the copies: its scheme is the scheme of the copies. */
export function NewTarget({ bucket, set, problemAt }: TargetProps) {
  const { prices } = useEstate();
  const region = prices.regions.find((r) => r.id === bucket.region);
  return (
    <>
      <Field label="Its name" error={problemAt("$.newBucket.name")}>
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-56`}
            value={bucket.name}
            autoComplete="off"
            onChange={(e) => set({ name: e.target.value })}
          />
        )}
      </Field>
      <Field label="Its region" error={problemAt("$.newBucket.region")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.region}
            options={prices.regions.map((r) => ({ value: r.id, label: r.name }))}
            onChange={(e) =>
              set({
                region: e.target.value,
                tier: prices.regions.find((r) => r.id === e.target.value)?.prices[0]?.tier ?? bucket.tier,
              })
            }
          />
        )}
      </Field>
      <Field label="Redundancy scheme of the copies" error={problemAt("$.newBucket.scheme")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.scheme}
            options={prices.schemes.map((s) => ({ value: s.id, label: `${s.name} (× ${s.storageFactor})` }))}
            onChange={(e) => set({ scheme: e.target.value })}
          />
        )}
      </Field>
      <Field label="Its landing tier" error={problemAt("$.newBucket.tier")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.tier}
            options={(region?.prices ?? []).map((p) => ({
              value: p.tier,
              label: prices.tiers.find((t) => t.id === p.tier)?.name ?? p.tier,
            }))}
            onChange={(e) => set({ tier: e.target.value })}
          />
        )}
      </Field>
      <TenantField
        value={bucket.tenant ?? ""}
        error={problemAt("$.newBucket.tenant")}
        hint="Who answers for what the copies cost"
        onChange={(tenant) => set({ tenant: tenant || null })}
      />
    </>
  );
}
