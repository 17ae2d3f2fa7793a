import type { Lines } from "../../api/client";
import { ApiError } from "../../refusal";
import { Field, NumberInput } from "../../ui/controls";

const named = [
  { line: "uplink", label: "Your uplink" },
  { line: "betweenZones", label: "Between zones" },
  { line: "betweenRegions", label: "Between regions" },
] as const;

/** The lines that a file is written over: megabits a second each. */
export function LinesEditor({ lines, error, onChange }: { lines: Lines; error: Error | null; onChange: (lines: Lines) => void }) {
  const problems = error instanceof ApiError ? error.problems : [];
  return named.map(({ line, label }) => (
    <Field
      key={line}
      label={`${label}, Mbit/s`}
      error={problems.find((p) => p.path === `$.lines.${line}.megabitsPerSecond`)?.message}
    >
      {(ids) => (
        <NumberInput
          {...ids}
          className="w-24"
          value={lines[line].megabitsPerSecond}
          onChange={(v) => v !== null && onChange({ ...lines, [line]: { ...lines[line], megabitsPerSecond: v } })}
        />
      )}
    </Field>
  ));
}
