import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { type BackupPlan, type Cadence, readTimeZones } from "../../api/client";
import { keys } from "../../api/keys";
import type { ProblemAt } from "../../draft/problems";
import { Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { weekdays } from "./plan-words";

type CadenceProps = { value: Cadence; onChange: (every: Cadence) => void; wrong: ProblemAt; path: string };

/** On which days: every so many, on weekdays, or on a day of the month. */
export function CadenceFields({ value, onChange, wrong, path }: CadenceProps) {
  const kind = value.weekdays ? "weekdays" : value.monthDay != null ? "monthDay" : "days";
  return (
    <fieldset>
      <legend className="text-sm text-ink-soft">How often</legend>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <Select
          aria-label="How often"
          value={kind}
          options={[
            { value: "days", label: "every so many days" },
            { value: "weekdays", label: "on days of the week" },
            { value: "monthDay", label: "on a day of the month" },
          ]}
          onChange={(e) =>
            onChange(
              e.target.value === "weekdays"
                ? { weekdays: ["sunday"] }
                : e.target.value === "monthDay"
                  ? { monthDay: 1 }
                  : { days: 1 },
            )
          }
        />
        {kind === "weekdays" ? (
          weekdays.map((d) => (
            <label key={d} className="capitalize">
              <input
                type="checkbox"
                checked={value.weekdays?.includes(d) ?? false}
                onChange={(e) =>
                  onChange({
                    weekdays: weekdays.filter((w) => (w === d ? e.target.checked : value.weekdays?.includes(w))),
                  })
                }
              />{" "}
              {d.slice(0, 3)}
            </label>
          ))
        ) : (
          <NumberInput
            aria-label={kind === "days" ? "Days from one run to the next" : "Day of the month"}
            className="w-16"
            value={(kind === "days" ? value.days : value.monthDay) ?? null}
            onChange={(v) => onChange(kind === "days" ? { days: orNull(v) } : { monthDay: orNull(v) })}
          />
        )}
        {kind === "days" && "days"}
        {kind === "monthDay" && <span className="text-sm text-ink-soft">in shorter months on their last day</span>}
      </div>
      {(wrong(path) ?? wrong(`${path}.days`) ?? wrong(`${path}.weekdays`) ?? wrong(`${path}.monthDay`)) && (
        <p className="text-sm text-bad">
          {wrong(path) ?? wrong(`${path}.days`) ?? wrong(`${path}.weekdays`) ?? wrong(`${path}.monthDay`)}
        </p>
      )}
    </fieldset>
  );
}

type TimesProps = { value: BackupPlan; onChange: (part: Partial<BackupPlan>) => void; wrong: ProblemAt };

const hoursADay = 24;
const own = "own";

/** So many hours from one to the next, from midnight on; none where the times are others. */
const spacing = (at: string[]) =>
  [1, 2, 3, 4, 6, 8, 12].find((n) => n * at.length === hoursADay && everySo(n).every((t, i) => t === at[i]));

const everySo = (n: number) => Array.from({ length: hoursADay / n }, (_, i) => `${String(i * n).padStart(2, "0")}:00`);

const timesIn = (text: string) => text.split(/[\s,]+/).filter((t) => t !== "");

/** When on its days a plan runs what has a source: at times of a zone's day, or every so many hours; and how late it may begin. */
export function TimesFields({ value, onChange, wrong }: TimesProps) {
  const at = value.at ?? [];
  const every = spacing(at);
  const list = useId();
  const zones = useQuery({ queryKey: keys.timeZones, queryFn: readTimeZones, staleTime: Number.POSITIVE_INFINITY }).data ?? [];
  // As it is typed, while it says what the plan does: somebody may discard that.
  const [typed, setTyped] = useState(at.join(", "));
  const text = timesIn(typed).join() === at.join() ? typed : at.join(", ");
  const write = (next: string) => {
    setTyped(next);
    onChange({ at: timesIn(next) });
  };
  return (
    <fieldset>
      <legend className="text-sm text-ink-soft">At what time</legend>
      <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
        <Select
          aria-label="At what time"
          value={every === undefined ? own : String(every)}
          options={[
            { value: own, label: "at times of day" },
            ...[1, 2, 3, 4, 6, 8, 12].map((n) => ({ value: String(n), label: n === 1 ? "every hour" : `every ${n} hours` })),
          ]}
          onChange={(e) => write(e.target.value === own ? "02:00" : everySo(Number(e.target.value)).join(", "))}
        />
        {every === undefined && (
          <Field
            label="Times of day"
            error={wrong("$.at") ?? at.map((_, i) => wrong(`$.at[${i}]`)).find((w) => w !== undefined)}
            hint="like 02:00, 14:00; empty: when the day begins"
          >
            {(ids) => <input {...ids} className={`${inputLook} w-44`} value={text} onChange={(e) => write(e.target.value)} />}
          </Field>
        )}
        <Field
          label="in the time zone"
          error={wrong("$.zone")}
          hint="a skipped time is later by the gap; of a double one the first"
        >
          {(ids) => (
            <>
              <input
                {...ids}
                list={list}
                autoComplete="off"
                spellCheck={false}
                placeholder="UTC"
                className={`${inputLook} w-48`}
                value={value.zone ?? ""}
                onChange={(e) => onChange({ zone: e.target.value || null })}
              />
              <datalist id={list}>
                {zones.map((zone) => (
                  <option key={zone} value={zone} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <Field label="It may begin late by" error={wrong("$.windowHours")} hint="empty: while its day lasts">
          {(ids) => (
            <span>
              <NumberInput
                {...ids}
                className="w-16"
                value={value.windowHours ?? null}
                onChange={(v) => onChange({ windowHours: v })}
              />{" "}
              h
            </span>
          )}
        </Field>
      </div>
    </fieldset>
  );
}
