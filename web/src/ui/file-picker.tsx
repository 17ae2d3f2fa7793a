import { useRef } from "react";
import { Button } from "./controls";

type FilePickerProps = {
  label: string;
  /** What the hidden input is called, where the button says something else. */
  inputLabel?: string;
  kind?: "primary" | "plain" | "quiet";
  accept?: string;
  multiple?: boolean;
  folder?: boolean;
  disabled?: boolean;
  onPick: (files: FileList) => void;
};

/** A button that opens the browser's own picker; picking the same file again counts as well. */
export function FilePicker({
  label,
  inputLabel = label,
  kind = "plain",
  accept,
  multiple,
  folder = false,
  disabled = false,
  onPick,
}: FilePickerProps) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept={accept}
        multiple={multiple}
        aria-label={inputLabel}
        className="sr-only"
        tabIndex={-1}
        {...(folder ? { webkitdirectory: "" } : {})}
        onChange={(event) => {
          if (event.target.files?.length) onPick(event.target.files);
          event.target.value = "";
        }}
      />
      <Button kind={kind} disabled={disabled} onClick={() => input.current?.click()}>
        {label}
      </Button>
    </>
  );
}
