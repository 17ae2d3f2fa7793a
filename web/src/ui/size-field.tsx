import { useState } from "react";
import { Field, NumberInput, Select } from "./controls";

const scales = [
  { label: "B", bytes: 1 },
  { label: "kB", bytes: 1e3 },
  { label: "MB", bytes: 1e6 },
  { label: "GB", bytes: 1e9 },
  { label: "TB", bytes: 1e12 },
];

/** A size typed as a number and its unit; the value is whole bytes. */
export function SizeField(props: {
  label: string;
  value: number | null;
  onChange: (bytes: number | null) => void;
  error?: string | undefined;
}) {
  const [scale, setScale] = useState(() => scales.findLast((s) => s.bytes <= (props.value ?? 0)) ?? scales[0]);
  const factor = scale?.bytes ?? 1;
  const amount = props.value === null ? null : Number((props.value / factor).toPrecision(12));
  return (
    <Field label={props.label} error={props.error}>
      {(ids) => (
        <span className="flex gap-1">
          <NumberInput
            {...ids}
            className="w-20"
            value={amount}
            onChange={(v) => props.onChange(v === null ? null : Math.round(v * factor))}
          />
          <Select
            aria-label={`Unit of ${props.label.toLowerCase()}`}
            value={scale?.label}
            options={scales.map((s) => ({ value: s.label, label: s.label }))}
            onChange={(event) => setScale(scales.find((s) => s.label === event.target.value))}
          />
        </span>
      )}
    </Field>
  );
}
