import { useQuery } from "@tanstack/react-query";
import { type PointRetention, type RetentionPeriod, readRetentionPeriods } from "../../api/client";
import { keys } from "../../api/keys";
import type { ProblemAt } from "../../draft/problems";
import { Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { spanWords } from "./plan-words";

type RetentionProps = {
  value: PointRetention;
  onChange: (keep: PointRetention) => void;
  wrong: ProblemAt;
  path: string;
  today: string;
  canSeal: boolean;
};

const generations = ["daily", "weekly", "monthly", "yearly"] as const;
const monthsAYear = 12;

type Form = "days" | "months" | "years" | "until" | "generations";

const formOf = (keep: PointRetention): Form =>
  keep.days !== undefined && keep.days !== null
    ? "days"
    : keep.months !== undefined && keep.months !== null
      ? keep.months % monthsAYear === 0
        ? "years"
        : "months"
      : keep.until != null
        ? "until"
        : "generations";

const beginnings: Record<Form, (today: string) => PointRetention> = {
  days: () => ({ days: 30 }),
  months: () => ({ months: 18 }),
  years: () => ({ months: 2 * monthsAYear }),
  until: (today) => ({ until: `${Number(today.slice(0, 4)) + 1}-12-31` }),
  generations: () => ({ daily: 7, weekly: 4, monthly: 12, yearly: 0 }),
};

/** How long points are kept: typed, or taken over from the organisation's own list. */
export function RetentionFields({ value, onChange: change, wrong, path, today, canSeal }: RetentionProps) {
  const periods = useQuery({ queryKey: keys.retentionPeriods, queryFn: readRetentionPeriods }).data?.value.retentionPeriods ?? [];
  // In whichever way they are kept, they stay sealed.
  const onChange = (keep: PointRetention) => change(value.sealed ? { ...keep, sealed: true } : keep);
  const form = formOf(value);
  const said =
    wrong(path) ??
    ["days", "months", "until", "sealed", ...generations].map((part) => wrong(`${path}.${part}`)).find((w) => w !== undefined);
  const [counted, factor] = form === "days" ? [value.days, 1] : [value.months, form === "years" ? monthsAYear : 1];
  const taken = periods.find((p) => isOf(value, p));
  return (
    <fieldset>
      <legend className="text-sm text-ink-soft">How long points are kept</legend>
      <div className="flex flex-wrap items-end gap-x-4">
        <Select
          aria-label="How long points are kept"
          value={form}
          options={[
            { value: "days", label: "so many days" },
            { value: "months", label: "so many months" },
            { value: "years", label: "so many years" },
            { value: "until", label: "until a date" },
            { value: "generations", label: "the first of days, weeks, months, years" },
          ]}
          onChange={(e) => onChange(beginnings[e.target.value as Form](today))}
        />
        {(form === "days" || form === "months" || form === "years") && (
          <span>
            <NumberInput
              key={form}
              aria-label={form}
              className="w-20"
              value={counted == null ? null : counted / factor}
              onChange={(v) =>
                onChange(form === "days" ? { days: orNull(v) } : { months: orNull(v === null ? null : v * factor) })
              }
            />{" "}
            {form}
          </span>
        )}
        {form === "until" && (
          <input
            aria-label="Until"
            type="date"
            className={inputLook}
            value={value.until ?? ""}
            onChange={(e) => onChange({ until: e.target.value })}
          />
        )}
        {form === "generations" &&
          generations.map((part) => (
            <Field key={part} label={part}>
              {(ids) => (
                <NumberInput
                  {...ids}
                  className="w-14"
                  value={value[part] ?? 0}
                  onChange={(v) => onChange({ daily: 0, weekly: 0, monthly: 0, yearly: 0, ...value, [part]: orNull(v) })}
                />
              )}
            </Field>
          ))}
        {periods.length > 0 && (
          <Field label="as our list says" hint={taken?.because ?? undefined}>
            {(ids) => (
              <Select
                {...ids}
                value={taken?.name ?? ""}
                options={[
                  { value: "", label: "not from the list" },
                  ...periods.map((p) => ({ value: p.name, label: `${p.name}: ${spanWords(p)}` })),
                ]}
                onChange={(e) => {
                  const period = periods.find((p) => p.name === e.target.value);
                  if (period) onChange(period.days != null ? { days: period.days } : { months: period.months });
                }}
              />
            )}
          </Field>
        )}
      </div>
      {(canSeal || value.sealed) && (
        <label className="mt-1 block">
          <input
            type="checkbox"
            checked={value.sealed ?? false}
            onChange={(e) => {
              const { sealed: _, ...keep } = value;
              change(e.target.checked ? { ...keep, sealed: true } : keep);
            }}
          />{" "}
          sealed: once taken, nobody can remove a point before its time
        </label>
      )}
      {said && <p className="text-sm text-bad">{said}</p>}
    </fieldset>
  );
}

const isOf = (keep: PointRetention, period: RetentionPeriod) =>
  period.days != null ? keep.days === period.days : keep.months != null && keep.months === period.months;
