import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { type CarrierMachine, putCarriers, readCarriers } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { orNull } from "../../ui/number-text";
import { useBackupDeed } from "./use-backups";
import { idOf } from "./words";

const megabyte = 1e6;

/** The machines that carry what plans store: where each stands, and how much it carries. */
export function CarrierPart() {
  const { prices, regionName } = useEstate();
  const queries = useQueryClient();
  const read = useQuery({ queryKey: keys.carriers, queryFn: readCarriers });
  const nothing = { name: "", region: prices.regions[0]?.id ?? "", rate: null as number | null };
  const [typed, setTyped] = useState(nothing);
  const store = useBackupDeed(
    async (carriers: CarrierMachine[]) => putCarriers(carriers, read.data?.etag ?? ""),
    () => {
      void queries.invalidateQueries({ queryKey: keys.plans });
      setTyped(nothing);
    },
  );
  const carriers = read.data?.value.carriers ?? [];
  const refused = store.error instanceof ApiError ? store.error : null;
  const wrong = useProblems(refused?.problems);
  const at = `$.carriers[${carriers.length}]`;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const bytesPerSecond = orNull(typed.rate === null ? null : typed.rate * megabyte);
    store.mutate([
      ...carriers,
      { id: idOf(typed.name) || "unnamed", name: typed.name.trim(), region: typed.region, bytesPerSecond },
    ]);
  };
  return (
    <section aria-label="Machines that carry" className="mt-8 max-w-4xl">
      <h2 className="text-xl">Machines that carry</h2>
      <p className="mt-1 text-ink-soft">
        Each carries one run after the other. Where a plan names none, it is the fastest where the workload is, then where the
        target is.
      </p>
      {carriers.length > 0 && (
        <table className="mt-1 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">machine</th>
              <th className="font-normal">stands in</th>
              <th className="text-right font-normal">carries</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {carriers.map((c) => (
              <tr key={c.id} className="border-b border-hairline align-baseline">
                <th scope="row" className="py-1 pr-4 text-left font-normal">
                  {c.name}
                </th>
                <td className="pr-4">{regionName(c.region)}</td>
                <td className="text-right whitespace-nowrap">{count(c.bytesPerSecond / megabyte)} MB/s</td>
                <td className="text-right">
                  <Button
                    kind="quiet"
                    aria-label={`Take off ${c.name}`}
                    disabled={store.isPending}
                    onClick={() => store.mutate(carriers.filter((other) => other !== c))}
                  >
                    Take off
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <form className="mt-2 flex flex-wrap items-start gap-x-5 gap-y-2" onSubmit={submit} aria-label="One more machine">
        <Field label="It is called" error={wrong(`${at}.name`) ?? wrong(`${at}.id`)}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-52`}
              value={typed.name}
              onChange={(e) => setTyped({ ...typed, name: e.target.value })}
            />
          )}
        </Field>
        <Field label="It stands in" error={wrong(`${at}.region`)}>
          {(ids) => (
            <Select
              {...ids}
              value={typed.region}
              options={prices.regions.map((r) => ({ value: r.id, label: r.name ?? r.id }))}
              onChange={(e) => setTyped({ ...typed, region: e.target.value })}
            />
          )}
        </Field>
        <Field label="It carries" error={wrong(`${at}.bytesPerSecond`)} hint="reads, reduces and sends">
          {(ids) => (
            <span>
              <NumberInput {...ids} className="w-20" value={typed.rate} onChange={(rate) => setTyped({ ...typed, rate })} /> MB/s
            </span>
          )}
        </Field>
        <div className="pt-4">
          <Button type="submit" disabled={!read.data || typed.name.trim() === "" || typed.rate === null || store.isPending}>
            Add it
          </Button>
        </div>
      </form>
      {store.error && (refused?.problems.some((p) => !p.path.startsWith(at)) || !refused?.problems.length) && (
        <ErrorNote error={store.error} />
      )}
    </section>
  );
}

/** Which machine carries: the nearest, or a chosen one. */
export function CarrierField({
  value,
  error,
  onChange,
}: {
  value: string | null;
  error: string | undefined;
  onChange: (carrier: string | null) => void;
}) {
  const carriers = useQuery({ queryKey: keys.carriers, queryFn: readCarriers }).data?.value.carriers ?? [];
  if (carriers.length === 0 && value === null) return null;
  return (
    <Field label="Carried by" error={error}>
      {(ids) => (
        <Select
          {...ids}
          value={value ?? ""}
          options={[{ value: "", label: "the nearest machine" }, ...carriers.map((c) => ({ value: c.id, label: c.name }))]}
          onChange={(e) => onChange(e.target.value || null)}
        />
      )}
    </Field>
  );
}
