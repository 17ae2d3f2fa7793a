import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { putRetentionPeriods, type RetentionPeriod, readRetentionPeriods } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { orNull } from "../../ui/number-text";
import { spanWords } from "./plan-words";
import { useBackupDeed } from "./use-backups";

const monthsAYear = 12;
const units = [
  { value: "years", label: "years" },
  { value: "months", label: "months" },
  { value: "days", label: "days" },
];

/** The organisation's own list of how long what has to be kept; plans take a period over with one key. */
export function PeriodPart() {
  const queries = useQueryClient();
  const read = useQuery({ queryKey: keys.retentionPeriods, queryFn: readRetentionPeriods });
  const [typed, setTyped] = useState({ name: "", many: null as number | null, unit: "years", because: "" });
  const store = useBackupDeed(
    async (periods: RetentionPeriod[]) => putRetentionPeriods(periods, read.data?.etag ?? ""),
    () => {
      void queries.invalidateQueries({ queryKey: keys.plans });
      setTyped({ name: "", many: null, unit: "years", because: "" });
    },
  );
  const periods = read.data?.value.retentionPeriods ?? [];
  const refused = store.error instanceof ApiError ? store.error : null;
  const wrong = useProblems(refused?.problems);
  const at = `$.retentionPeriods[${periods.length}]`;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const span =
      typed.unit === "days"
        ? { days: orNull(typed.many) }
        : { months: orNull(typed.many === null ? null : typed.many * (typed.unit === "years" ? monthsAYear : 1)) };
    store.mutate([
      ...periods,
      { name: typed.name.trim(), ...span, ...(typed.because.trim() && { because: typed.because.trim() }) },
    ]);
  };
  return (
    <section aria-label="How long we have to keep what" className="mt-8 max-w-4xl">
      <h2 className="text-xl">How long we have to keep what</h2>
      {periods.length === 0 ? (
        <p className="mt-1 text-ink-soft">
          Nothing is in the list yet: what a law or your own rules ask for, to be taken over into plans.
        </p>
      ) : (
        <table className="mt-1 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">what</th>
              <th className="font-normal">how long</th>
              <th className="font-normal">because</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {periods.map((p) => (
              <tr key={p.name} className="border-b border-hairline align-baseline">
                <th scope="row" className="py-1 pr-4 text-left font-normal">
                  {p.name}
                </th>
                <td className="pr-4 whitespace-nowrap">{spanWords(p)}</td>
                <td className="pr-4 text-ink-soft">{p.because}</td>
                <td className="text-right">
                  <Button
                    kind="quiet"
                    aria-label={`Take off ${p.name}`}
                    disabled={store.isPending}
                    onClick={() => store.mutate(periods.filter((other) => other !== p))}
                  >
                    Take off
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <form className="mt-2 flex flex-wrap items-start gap-x-5 gap-y-2" onSubmit={submit} aria-label="One more period">
        <Field label="What" error={wrong(`${at}.name`)}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-52`}
              value={typed.name}
              onChange={(e) => setTyped({ ...typed, name: e.target.value })}
            />
          )}
        </Field>
        <Field label="How long" error={wrong(at) ?? wrong(`${at}.days`) ?? wrong(`${at}.months`)}>
          {(ids) => (
            <span>
              <NumberInput {...ids} className="w-16" value={typed.many} onChange={(many) => setTyped({ ...typed, many })} />{" "}
              <Select
                aria-label="Unit"
                value={typed.unit}
                options={units}
                onChange={(e) => setTyped({ ...typed, unit: e.target.value })}
              />
            </span>
          )}
        </Field>
        <Field label="Because" error={wrong(`${at}.because`)} hint="which rule says so">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-64`}
              value={typed.because}
              onChange={(e) => setTyped({ ...typed, because: e.target.value })}
            />
          )}
        </Field>
        <div className="pt-4">
          <Button type="submit" disabled={!read.data || typed.name.trim() === "" || typed.many === null || store.isPending}>
            Into the list
          </Button>
        </div>
      </form>
      {store.error && !(refused && refused.problems.length > 0) && <ErrorNote error={store.error} />}
    </section>
  );
}
