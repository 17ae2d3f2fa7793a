import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { testAccess } from "../../../api/client";
import { Button, Field, inputLook, Select } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

type TestDialogProps = { bucket: string; keyId: string; keys: string[]; secret: string; onClose: () => void };

/** Tries a key for real and says what worked and what did not. */
export function TestDialog({ bucket, keyId, keys, secret, onClose }: TestDialogProps) {
  const [id, setId] = useState(keyId);
  const [typed, setTyped] = useState(secret);
  const test = useMutation({ mutationFn: () => testAccess(bucket, id, typed) });
  return (
    <Dialog open onClose={onClose} title="Test of an access">
      <p>It lists, writes a probe, reads it back, compares it and deletes it, by the same gate as every request.</p>
      <form
        className="mt-3 flex flex-wrap items-end gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          test.mutate();
        }}
      >
        <Field label="Key">
          {(ids) => (
            <Select
              {...ids}
              value={id}
              options={keys.map((k) => ({ value: k, label: k }))}
              onChange={(e) => setId(e.target.value)}
            />
          )}
        </Field>
        <Field label="Secret">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-64`}
              autoComplete="off"
              spellCheck={false}
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
          )}
        </Field>
        <Button kind="primary" type="submit" disabled={test.isPending || typed === ""}>
          Test it
        </Button>
      </form>
      {test.error && <ErrorNote error={test.error} />}
      {test.data && (
        <ul className="mt-3" aria-label="What worked">
          {test.data.map((step) => (
            <li key={step.what} className={`border-t border-hairline py-1 ${step.worked ? "" : "text-bad"}`}>
              <strong className="font-semibold">{step.what}</strong> {step.worked ? "worked" : "did not work"}: {step.said}
            </li>
          ))}
        </ul>
      )}
    </Dialog>
  );
}
