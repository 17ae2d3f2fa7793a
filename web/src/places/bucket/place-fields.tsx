import type { Bucket } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Field, Select } from "../../ui/controls";
import { SchemeSummary } from "../redundancy/scheme-summary";
import { TenantField } from "./tenant-field";
import type { Edit } from "./use-draft";

type EditorProps = { bucket: Bucket; edit: Edit; problemAt: ProblemAt };

/** Where a bucket is, and whose: region, redundancy scheme, landing tier, tenant. */
export function PlaceFields({ bucket, edit, problemAt }: EditorProps) {
  const { prices } = useEstate();
  return (
    <div id="place" className="flex flex-wrap gap-x-8 gap-y-3">
      <Field label="Region" error={problemAt("$.region")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.region}
            options={prices.regions.map((r) => ({ value: r.id, label: r.name }))}
            onChange={(e) => edit((b) => ({ ...b, region: e.target.value }))}
          />
        )}
      </Field>
      <Field label="Redundancy scheme" error={problemAt("$.scheme")} hint={<SchemeSummary id={bucket.scheme} />}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.scheme}
            options={prices.schemes.map((s) => ({ value: s.id, label: `${s.name} (× ${s.storageFactor})` }))}
            onChange={(e) => edit((b) => ({ ...b, scheme: e.target.value }))}
          />
        )}
      </Field>
      <Field label="Landing tier" error={problemAt("$.tier")}>
        {(ids) => (
          <Select
            {...ids}
            value={bucket.tier}
            options={prices.tiers.map((t) => ({ value: t.id, label: t.name }))}
            onChange={(e) => edit((b) => ({ ...b, tier: e.target.value }))}
          />
        )}
      </Field>
      <TenantField
        value={bucket.tenant ?? ""}
        error={problemAt("$.tenant")}
        hint="Who answers for what it costs"
        onChange={(tenant) => edit((b) => ({ ...b, tenant: tenant || null }))}
      />
      <div>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={bucket.versioning ?? false}
            onChange={(e) => edit((b) => ({ ...b, versioning: e.target.checked }))}
          />
          Versioning
        </label>
        <p className="text-sm text-ink-soft">
          {bucket.versioning
            ? "Overwritten and deleted objects stay as earlier versions."
            : "What is overwritten or deleted is gone."}
        </p>
      </div>
      <div>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={bucket.ownKey ?? false}
            onChange={(e) => edit((b) => ({ ...b, ownKey: e.target.checked }))}
          />
          A key of its own
        </label>
        <p className="text-sm text-ink-soft">
          {bucket.ownKey
            ? "Contents are encrypted under a key that can be replaced and withdrawn for this bucket alone."
            : "Contents are encrypted under the provider's key."}
        </p>
      </div>
    </div>
  );
}
