import { useState } from "react";
import { Button } from "./controls";

type ConfirmButtonProps = { label: string; about: string; question: string; disabled?: boolean; onConfirm: () => void };

/** A button for what cannot be undone: the first press asks, the second does it. */
export function ConfirmButton({ label, about, question, disabled = false, onConfirm }: ConfirmButtonProps) {
  const [asking, setAsking] = useState(false);
  if (!asking) {
    return (
      <Button kind="quiet" disabled={disabled} aria-label={`${label} ${about}`} onClick={() => setAsking(true)}>
        {label}
      </Button>
    );
  }
  return (
    <span className="inline-flex items-center gap-1">
      <span className="text-bad">{question}</span>
      <Button
        kind="quiet"
        className="text-bad"
        autoFocus
        disabled={disabled}
        aria-label={`Yes: ${label.toLowerCase()} ${about}`}
        onClick={() => {
          setAsking(false);
          onConfirm();
        }}
      >
        Yes
      </Button>
      <Button kind="quiet" onClick={() => setAsking(false)}>
        No
      </Button>
    </span>
  );
}
