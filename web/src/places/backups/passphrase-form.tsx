import { type FormEvent, useState } from "react";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { PassphraseFields, passphraseProblem } from "./passphrase-fields";
import { useBackupDeed } from "./use-backups";

type PassphraseFormProps = {
  /** What it opens: "pool", "volume", "library". */
  what: string;
  /** Whether it is made now; otherwise its passphrase is asked for. */
  making: boolean;
  encrypts: boolean;
  act: (passphrase: string | null) => Promise<unknown>;
};

/** Makes what a target holds with a passphrase that is typed twice, or unlocks it with the one that it has. */
export function PassphraseForm({ what, making, encrypts, act }: PassphraseFormProps) {
  const [first, setFirst] = useState("");
  const [again, setAgain] = useState("");
  const [touched, setTouched] = useState(false);
  const asks = encrypts || !making;
  const deed = useBackupDeed(() => act(asks ? first : null));
  const problem = making && asks && touched ? passphraseProblem(first, again) : undefined;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    setTouched(true);
    if (!making || !asks || !passphraseProblem(first, again)) deed.mutate(undefined);
  };
  return (
    <form className="mt-1 space-y-3" onSubmit={submit}>
      {asks && (
        <>
          <p className="text-ink-soft">
            {making
              ? `Whoever has the passphrase can read the ${what} from anywhere; without it nobody can. This server keeps what it needs to open it, protected, and not the passphrase itself: write it down somewhere else.`
              : `This server does not know the passphrase of this ${what}.`}
          </p>
          <div className="flex flex-wrap gap-x-6 gap-y-2">
            <PassphraseFields
              first={first}
              again={making ? again : null}
              problem={problem}
              set={(typed, twice) => {
                setFirst(typed);
                setAgain(twice ?? "");
              }}
            />
          </div>
        </>
      )}
      <Button type="submit" kind="primary" disabled={deed.isPending}>
        {making ? `Make the ${what}` : `Unlock the ${what}`}
      </Button>
      {deed.error && <ErrorNote error={deed.error} />}
    </form>
  );
}
