import type { ReactNode } from "react";
import type { Bucket, KeepRule, Versioned } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orEmpty } from "../../ui/number-text";
import { LiftKeepRule } from "./lift-keep-rule";
import type { Edit } from "./use-draft";

const spans = [
  { label: "31 days", days: 31 },
  { label: "one year", days: 365 },
  { label: "seven years", days: 2557 },
  { label: "ten years", days: 3653 },
];

type EditorProps = {
  bucket: Bucket;
  stored: Versioned<Bucket> | undefined;
  edit: Edit;
  discard: () => void;
  problemAt: ProblemAt;
};

/** A bucket's retention: until when nothing can be deleted, and whether somebody may lift that. */
export function KeepEditor({ bucket, stored, edit, discard, problemAt }: EditorProps) {
  return (
    <div id="retention">
      <KeepFields
        keep={bucket.keep ?? null}
        none="no retention"
        problemAt={problemAt}
        onChange={(keep) => edit((b) => ({ ...b, keep }))}
      >
        {stored?.value.keep?.strength === "liftable" && (
          <LiftKeepRule stored={stored} wanted={bucket.keep ?? null} onLifted={discard} />
        )}
      </KeepFields>
    </div>
  );
}

type FieldsProps = {
  keep: KeepRule | null;
  /** What no rule means here. */
  none: string;
  problemAt: ProblemAt;
  onChange: (keep: KeepRule | null) => void;
  children?: ReactNode;
};

/** How long, and how strongly. */
export function KeepFields({ keep, none, problemAt, onChange: set, children }: FieldsProps) {
  const { estate } = useEstate();
  const kind = keep == null ? "none" : keep.until != null ? "until" : "days";
  const strength = keep?.strength ?? "liftable";
  const setKind = (to: string) =>
    set(
      to === "none"
        ? null
        : to === "days"
          ? { days: 365, strength }
          : { until: `${Number(estate.today.slice(0, 4)) + 1}-12-31`, strength },
    );
  return (
    <div>
      <h2 className="text-lg">Retention</h2>
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
        <Field label="Nothing can be deleted" error={problemAt("$.keep")}>
          {(ids) => (
            <Select
              {...ids}
              value={kind}
              options={[
                { value: "none", label: none },
                { value: "days", label: "for days from creation" },
                { value: "until", label: "until a date" },
              ]}
              onChange={(e) => setKind(e.target.value)}
            />
          )}
        </Field>
        {keep && kind === "days" && (
          <Field label="Days" error={problemAt("$.keep.days")}>
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-24"
                value={keep.days ?? null}
                onChange={(v) => set({ days: orEmpty(v), strength })}
              />
            )}
          </Field>
        )}
        {keep && kind === "until" && (
          <Field label="Until" error={problemAt("$.keep.until")}>
            {(ids) => (
              <input
                {...ids}
                type="date"
                className={inputLook}
                value={keep.until ?? ""}
                onChange={(e) => set({ until: e.target.value, strength })}
              />
            )}
          </Field>
        )}
        {keep && (
          <Field
            label="Strength"
            error={problemAt("$.keep.strength")}
            hint={
              keep.strength === "sealed" ? "Nobody can shorten it, ever." : "It can be lifted, with a reason that the log keeps."
            }
          >
            {(ids) => (
              <Select
                {...ids}
                value={keep.strength}
                options={[
                  { value: "liftable", label: "liftable" },
                  { value: "sealed", label: "sealed" },
                ]}
                onChange={(e) => set({ ...keep, strength: e.target.value as KeepRule["strength"] })}
              />
            )}
          </Field>
        )}
        {children}
        {keep && kind === "days" && (
          <span className="pt-4">
            {spans.map((span) => (
              <Button key={span.days} kind="quiet" onClick={() => set({ days: span.days, strength })}>
                {span.label}
              </Button>
            ))}
          </span>
        )}
      </div>
    </div>
  );
}
