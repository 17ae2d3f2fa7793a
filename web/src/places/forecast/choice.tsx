import { RadioGroup } from "radix-ui";

type ChoiceProps<T extends string> = {
  label: string;
  value: T;
  options: { value: T; label: string }[];
  disabled: T[];
  onChange: (value: T) => void;
};

/** One of a few, side by side; the arrow keys go from one to the next. */
export function Choice<T extends string>({ label, value, options, disabled, onChange }: ChoiceProps<T>) {
  return (
    <RadioGroup.Root
      aria-label={label}
      value={value}
      onValueChange={(next) => onChange(next as T)}
      orientation="horizontal"
      className="flex gap-1"
    >
      {options.map((option) => (
        <RadioGroup.Item
          key={option.value}
          value={option.value}
          disabled={disabled.includes(option.value)}
          className="border-b-2 border-transparent px-2 py-0.5 text-ink-soft data-[state=checked]:border-accent data-[state=checked]:text-ink disabled:line-through"
        >
          {option.label}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
