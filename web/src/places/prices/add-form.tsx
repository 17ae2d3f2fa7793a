import { useState } from "react";
import { Button, Field, inputLook } from "../../ui/controls";

type AddProps = { what: string; taken: string[]; onAdd: (id: string, name: string) => void };

/** One more tier or region: its name, and the id that is made of it. */
export function AddForm({ what, taken, onAdd }: AddProps) {
  const [name, setName] = useState("");
  const id = idOf(name);
  const isTaken = taken.includes(id);
  return (
    <form
      className="mt-3 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (id === "" || isTaken) return;
        onAdd(id, name.trim());
        setName("");
      }}
    >
      <Field label={`One more ${what}`} error={isTaken ? `There is a ${what} '${id}'.` : undefined}>
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-48`}
            placeholder="its name"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
      </Field>
      <Button type="submit" disabled={id === "" || isTaken}>
        Add {what}
      </Button>
    </form>
  );
}

/** Lower-case letters, digits and hyphens. */
const idOf = (name: string) =>
  name
    .trim()
    .normalize("NFKD")
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-+|-+$/g, "");
