import type { ArrayReading, LeavingRule } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { SizeField } from "../../ui/size-field";

type EditorProps = {
  reading: ArrayReading;
  leaving: LeavingRule[];
  problemAt: ProblemAt;
  onChange: (leaving: LeavingRule[]) => void;
};

/** Which data leaves an array, in words and numbers; the strip shows the same. */
export function LeavingEditor({ reading, leaving, problemAt, onChange }: EditorProps) {
  const { bytes } = useEstate();
  const change = (place: number, part: Partial<LeavingRule>) =>
    onChange(leaving.map((r, i) => (i === place ? { ...r, ...part } : r)));
  const open = reading.volumes.filter((v) => v.staysBecause == null);
  return (
    <section>
      <h2 className="text-lg">Which data leaves</h2>
      {leaving.length === 0 && <p className="text-ink-soft">None: everything stays on the array.</p>}
      {leaving.map((rule, i) => {
        const told = reading.rules.find((r) => r.id === rule.id);
        return (
          <fieldset key={i} className="border-t border-hairline pt-2 pb-3">
            <legend className="sr-only">Rule {rule.id}</legend>
            <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
              <Field label="Rule" error={problemAt(`$.leaving[${i}].id`)}>
                {(ids) => (
                  <input
                    {...ids}
                    className={`${inputLook} w-44`}
                    value={rule.id}
                    onChange={(e) => change(i, { id: e.target.value })}
                  />
                )}
              </Field>
              <Field label="Of" error={problemAt(`$.leaving[${i}].volume`)}>
                {(ids) => (
                  <Select
                    {...ids}
                    value={rule.volume ?? ""}
                    options={[{ value: "", label: "all volumes that can" }, ...open.map((v) => ({ value: v.id, label: v.name }))]}
                    onChange={(e) => change(i, { volume: e.target.value || null })}
                  />
                )}
              </Field>
              <Field label="Folders that begin" error={problemAt(`$.leaving[${i}].folder`)}>
                {(ids) => (
                  <input
                    {...ids}
                    className={`${inputLook} w-32`}
                    placeholder="any"
                    value={rule.folder ?? ""}
                    onChange={(e) => change(i, { folder: e.target.value })}
                  />
                )}
              </Field>
              <Field label="Days since use" error={problemAt(`$.leaving[${i}].afterDays`)}>
                {(ids) => (
                  <NumberInput
                    {...ids}
                    className="w-20"
                    value={rule.afterDays}
                    onChange={(v) => change(i, { afterDays: orNull(v) })}
                  />
                )}
              </Field>
              <SizeField
                label="Files smaller than this stay"
                value={rule.smallestBytes ?? 0}
                error={problemAt(`$.leaving[${i}].smallestBytes`)}
                onChange={(v) => change(i, { smallestBytes: orNull(v) })}
              />
              <label className="mt-6 flex items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-(--accent)"
                  checked={rule.onlyInSnapshots ?? false}
                  onChange={(e) => change(i, { onlyInSnapshots: e.target.checked })}
                />
                Only what nothing but snapshots refers to
              </label>
              <Button kind="quiet" className="mt-5" onClick={() => onChange(leaving.filter((_, j) => j !== i))}>
                Remove rule
              </Button>
            </div>
            {told && (
              <p className="mt-1 text-sm">
                {bytes(told.tonightBytes)} tonight, of {bytes(told.bytes)} on the array that it is for.
              </p>
            )}
          </fieldset>
        );
      })}
      <Button
        className="mt-2"
        onClick={() =>
          onChange([
            ...leaving,
            { id: fresh(leaving), volume: null, folder: "", smallestBytes: 0, onlyInSnapshots: false, afterDays: 180 },
          ])
        }
      >
        Add a rule
      </Button>
    </section>
  );
}

function fresh(leaving: LeavingRule[]): string {
  let number = leaving.length + 1;
  while (leaving.some((r) => r.id === `rule-${number}`)) number++;
  return `rule-${number}`;
}
