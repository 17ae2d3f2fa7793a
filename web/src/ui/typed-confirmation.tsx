import { useState } from "react";
import { Button, Field, inputLook } from "./controls";

type TypedConfirmationProps = {
  word: string;
  action: string;
  busy: boolean;
  onConfirm: () => void;
  onCancel: () => void;
};

/** What cannot be taken back lightly is done only after its name was typed. */
export function TypedConfirmation({ word, action, busy, onConfirm, onCancel }: TypedConfirmationProps) {
  const [typed, setTyped] = useState("");
  return (
    <>
      <Field label={`Type ${word} to confirm`}>
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-full`}
            value={typed}
            autoComplete="off"
            onChange={(e) => setTyped(e.target.value)}
          />
        )}
      </Field>
      <div className="mt-4 flex gap-3">
        <Button kind="primary" disabled={typed !== word || busy} onClick={onConfirm}>
          {action}
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </>
  );
}
