import { type ComponentProps, type ReactNode, useEffect, useId, useState } from "react";
import { parseNumber } from "./number-text";

type ButtonProps = ComponentProps<"button"> & { kind?: "primary" | "plain" | "quiet" };

const buttonLooks = {
  primary: "bg-accent text-paper border-accent aria-disabled:cursor-default aria-disabled:opacity-45",
  plain: "border-hairline-strong hover:bg-paper-deep aria-disabled:cursor-default aria-disabled:opacity-45",
  quiet:
    "border-transparent text-accent underline decoration-hairline-strong hover:decoration-accent px-1 aria-disabled:cursor-default aria-disabled:no-underline aria-disabled:opacity-45",
};

/** A button that can be out of use and still be focused, so that the keyboard does not lose its place when it goes out of use. */
export function Button({ kind = "plain", className = "", disabled = false, onClick, ...props }: ButtonProps) {
  return (
    <button
      type="button"
      {...props}
      aria-disabled={disabled}
      onClick={(event) => (disabled ? event.preventDefault() : onClick?.(event))}
      className={`rounded-sm border px-3 py-1 font-medium ${buttonLooks[kind]} ${className}`}
    />
  );
}

/** A label, a control and, under it, what is wrong with the value. */
export function Field({
  label,
  error,
  children,
  hint,
}: {
  label: string;
  error?: string | undefined;
  hint?: ReactNode;
  children: (ids: FieldIds) => ReactNode;
}) {
  const id = useId();
  const said = error ?? hint;
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-sm text-ink-soft">
        {label}
      </label>
      {children({ id, "aria-invalid": error !== undefined, "aria-describedby": said ? `${id}-said` : undefined })}
      {said && (
        <p id={`${id}-said`} className={`mt-0.5 text-sm ${error ? "text-bad" : "text-ink-soft"}`}>
          {said}
        </p>
      )}
    </div>
  );
}

export type FieldIds = { id: string; "aria-invalid": boolean; "aria-describedby": string | undefined };

export const inputLook =
  "rounded-none border-0 border-b border-hairline-strong bg-transparent px-1 py-0.5 aria-invalid:border-bad aria-invalid:border-b-2 placeholder:text-ink-soft";

type NumberInputProps = Omit<ComponentProps<"input">, "value" | "onChange"> & {
  value: number | null;
  /** Null for what is no number yet; `isEmpty` tells an empty field from a text that is none. */
  onChange: (value: number | null, isEmpty: boolean) => void;
  /** Significant digits that are shown of a value that was not typed here. */
  digits?: number;
};

/** A number that may be typed freely; what is no number is null, and the server says what to do about it. */
export function NumberInput({ value, onChange, digits = 15, className = "", ...props }: NumberInputProps) {
  const [text, setText] = useState(show(value, digits));
  useEffect(() => setText((now) => (parseNumber(now) === value ? now : show(value, digits))), [value, digits]);
  const wrong = text.trim() !== "" && parseNumber(text) === null;
  return (
    <input
      {...props}
      {...(wrong ? { "aria-invalid": true, title: "This is no number" } : {})}
      inputMode="decimal"
      autoComplete="off"
      className={`${inputLook} text-right ${className}`}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onChange(parseNumber(event.target.value), event.target.value.trim() === "");
      }}
    />
  );
}

/** What is no number yet (see `orEmpty`) is shown as an empty field. */
const show = (value: number | null, digits: number) =>
  typeof value === "number" ? String(Number(value.toPrecision(digits))) : "";

/** From how many options on they are made only when somebody comes to choose: a page of several lists of 10,000 buckets is slow without. */
const FEW_OPTIONS = 200;

export function Select({
  options,
  className = "",
  ...props
}: ComponentProps<"select"> & { options: { value: string; label: string }[] }) {
  const [isChosenFrom, setChosenFrom] = useState(false);
  const isWhole = isChosenFrom || options.length <= FEW_OPTIONS;
  const fill = () => setChosenFrom(true);
  const shown = isWhole ? options : options.filter((o, i) => i === 0 || o.value === props.value);
  return (
    <select {...props} onFocus={fill} onPointerDown={fill} className={`${inputLook} ${className}`}>
      {shown.map((option) => (
        <option key={option.value} value={option.value} className="bg-paper text-ink">
          {option.label}
        </option>
      ))}
    </select>
  );
}

/** A figure that says whether it was counted or projected. */
export function Figure({ projected, children }: { projected: boolean; children: ReactNode }) {
  return projected ? <span className="figure-projected">{children}</span> : <span>{children}</span>;
}
