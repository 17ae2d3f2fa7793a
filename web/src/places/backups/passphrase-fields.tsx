import { Field, inputLook } from "../../ui/controls";

type PassphraseFieldsProps = {
  first: string;
  /** Null where it is not typed twice. */
  again: string | null;
  problem?: string | undefined;
  set: (first: string, again: string | null) => void;
};

/** A passphrase, once or twice. Blanks around it come from pasting: they are left out, and it is said. */
export function PassphraseFields({ first, again, problem, set }: PassphraseFieldsProps) {
  const blanks = first !== first.trim() || (again !== null && again !== again.trim());
  const hint = blanks ? "The blanks around it are left out." : again === null ? undefined : "12 characters at least";
  return (
    <>
      <Field label="Passphrase" error={problem} hint={hint}>
        {(ids) => (
          <input
            {...ids}
            type="password"
            autoComplete="new-password"
            className={`${inputLook} w-64`}
            value={first}
            onChange={(e) => set(e.target.value, again)}
          />
        )}
      </Field>
      {again !== null && (
        <Field label="The same again">
          {(ids) => (
            <input
              {...ids}
              type="password"
              autoComplete="new-password"
              className={`${inputLook} w-64`}
              value={again}
              onChange={(e) => set(first, e.target.value)}
            />
          )}
        </Field>
      )}
    </>
  );
}

/** What is wrong with a passphrase that is typed twice. */
export function passphraseProblem(first: string, again: string): string | undefined {
  if (first.trim().length < 12) return "12 characters at least.";
  return first.trim() === again.trim() ? undefined : "The two are not the same.";
}
