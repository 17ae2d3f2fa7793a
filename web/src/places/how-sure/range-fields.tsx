import { useId } from "react";
import { NumberInput } from "../../ui/controls";

/** At least, likely, at most; as it is asked over HTTP. */
export type Range = [number, number, number];

type FieldsProps = {
  label: string;
  unit: string;
  range: Range;
  /** What one of the shown unit is of the range's. */
  scale: number;
  error: string | undefined;
  onChange: (range: Range) => void;
};

/** Three numbers side by side, and under them what is wrong with them. */
export function RangeFields({ label, unit, range, scale, error, onChange }: FieldsProps) {
  const id = useId();
  const names = ["at least", "likely", "at most"];
  return (
    <tr className="border-b border-hairline align-baseline">
      <th scope="row" className="py-1 pr-3 text-left font-normal">
        {label}
        <span className="block text-sm text-ink-soft">{unit}</span>
        {error && (
          <span id={id} role="alert" className="block text-sm text-bad">
            {error}
          </span>
        )}
      </th>
      {names.map((name, i) => (
        <td key={name} className="pl-2">
          <NumberInput
            aria-label={`${label}: ${name}`}
            aria-invalid={error !== undefined}
            aria-describedby={error ? id : undefined}
            className="w-16"
            digits={6}
            value={Number.isNaN(range[i]) ? null : (range[i] ?? 0) / scale}
            onChange={(next) => onChange(range.map((of, n) => (n === i ? (next ?? Number.NaN) * scale : of)) as Range)}
          />
        </td>
      ))}
    </tr>
  );
}
