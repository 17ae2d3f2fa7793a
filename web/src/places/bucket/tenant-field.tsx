import { useId } from "react";
import { useEstate } from "../../estate-context";
import { Field, inputLook } from "../../ui/controls";

type TenantProps = { value: string; hint: string; error?: string | undefined; onChange: (tenant: string) => void };

/** Who answers for what a bucket costs: a name, offered from those that have a bucket already. */
export function TenantField({ value, hint, error, onChange }: TenantProps) {
  const { estate } = useEstate();
  const list = useId();
  return (
    <Field label="Tenant" error={error} hint={hint}>
      {(ids) => (
        <>
          <input
            {...ids}
            list={list}
            autoComplete="off"
            className={`${inputLook} w-52`}
            placeholder="nobody in particular"
            value={value}
            onChange={(e) => onChange(e.target.value)}
          />
          <datalist id={list}>
            {estate.tenants.map((tenant) => (
              <option key={tenant} value={tenant} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}
