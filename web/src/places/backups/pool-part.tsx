import { type FormEvent, useState } from "react";
import { makePool, type TargetReading, unlockPool } from "../../api/client";
import { moment } from "../../format";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { useBackupDeed } from "./use-backups";

/** The pool of a target: made with a passphrase, or unlocked by it. */
export function PoolPart({ target }: { target: TargetReading }) {
  const { pool } = target;
  return (
    <section aria-label="Pool">
      <h2 className="text-xl">Pool</h2>
      {pool?.canOpen && (
        <p>
          Made on {moment(pool.made)}; deduplicated, {pool.compresses ? "compressed" : "not compressed"},{" "}
          {pool.encrypts ? "encrypted under its passphrase" : "not encrypted"}.
        </p>
      )}
      {pool && !pool.canOpen && <Passphrase id={target.target.id} making={false} />}
      {!pool && !target.wrong && <Passphrase id={target.target.id} making />}
    </section>
  );
}

function Passphrase({ id, making }: { id: string; making: boolean }) {
  const [first, setFirst] = useState("");
  const [again, setAgain] = useState("");
  const [touched, setTouched] = useState(false);
  const deed = useBackupDeed(() => (making ? makePool(id, first) : unlockPool(id, first)));
  const differ = making && touched && first !== again ? "The two are not the same." : undefined;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    if (!making || first === again) deed.mutate(undefined);
  };
  return (
    <form className="mt-1 space-y-3" onSubmit={submit}>
      <p className="text-ink-soft">
        {making
          ? "Whoever has the passphrase can read the pool from anywhere; without it nobody can. This server keeps what it needs to open the pool, protected, and not the passphrase itself: write it down somewhere else."
          : "This server does not know the passphrase of this pool."}
      </p>
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        <Field label="Passphrase" hint={making ? "12 characters at least" : undefined}>
          {(ids) => (
            <input
              {...ids}
              type="password"
              autoComplete="new-password"
              className={`${inputLook} w-64`}
              value={first}
              onChange={(e) => setFirst(e.target.value)}
            />
          )}
        </Field>
        {making && (
          <Field label="The same again" error={differ}>
            {(ids) => (
              <input
                {...ids}
                type="password"
                autoComplete="new-password"
                className={`${inputLook} w-64`}
                value={again}
                onChange={(e) => setAgain(e.target.value)}
              />
            )}
          </Field>
        )}
      </div>
      <Button type="submit" kind="primary" disabled={deed.isPending}>
        {making ? "Make the pool" : "Unlock the pool"}
      </Button>
      {deed.error && <ErrorNote error={deed.error} />}
    </form>
  );
}
