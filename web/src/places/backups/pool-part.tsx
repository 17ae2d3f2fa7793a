import { Link } from "react-router";
import { makePool, type TargetReading, unlockPool } from "../../api/client";
import { moment } from "../../format";
import { PassphraseForm } from "./passphrase-form";

/** The pool of a target: made with a passphrase, or unlocked by it. */
export function PoolPart({ target }: { target: TargetReading }) {
  const { pool } = target;
  const { id, encrypts } = target.target;
  return (
    <section aria-label="Pool">
      <h2 className="text-xl">Pool</h2>
      {pool?.canOpen && (
        <p>
          Made on {moment(pool.made)}; {pool.deduplicates ? "deduplicated" : "plain: every full run stores all of its own"},{" "}
          {pool.compresses ? "compressed" : "not compressed"},{" "}
          {pool.encrypts ? "encrypted under its passphrase" : "not encrypted"}.{" "}
          <Link to={`/backups/${id}/recovery-sheet`}>Recovery sheet</Link>
        </p>
      )}
      {pool && !pool.canOpen && (
        <PassphraseForm what="pool" making={false} encrypts act={(passphrase) => unlockPool(id, passphrase ?? "")} />
      )}
      {!pool && !target.wrong && (
        <PassphraseForm what="pool" making encrypts={encrypts !== false} act={(passphrase) => makePool(id, passphrase)} />
      )}
    </section>
  );
}
