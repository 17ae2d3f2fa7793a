import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { type AccessGrant, type AccessKey, addKey, endKey, removeAccess, removeKey } from "../../../api/client";
import { instant } from "../../../format";
import { ConfirmButton } from "../../../ui/confirm-button";
import { Button, Field, inputLook } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import type { Shown } from "./secrets-dialog";
import { TestDialog } from "./test-dialog";

type GrantProps = { bucket: string; grant: AccessGrant; onSecret: (shown: Shown) => void; onChanged: () => void };

/** An access and its keys, whose times may overlap: a new one comes first, the old one ends later. */
export function Grant({ bucket, grant, onSecret, onChanged }: GrantProps) {
  const [testing, setTesting] = useState(false);
  const [adding, setAdding] = useState(false);
  const remove = useMutation({ mutationFn: () => removeAccess(bucket, grant.id), onSuccess: onChanged });
  return (
    <li className="border-t border-hairline py-2">
      <div className="flex items-baseline gap-4">
        <strong className="font-semibold">{grant.label}</strong>
        <span>
          may {grant.rights.map((right) => right.replace("-", " ")).join(", ")}{" "}
          {grant.prefix ? `under ${grant.prefix}` : "everywhere"}
        </span>
        <span className={grant.ended ? "text-bad" : "text-ink-soft"}>
          {grant.ends == null ? "without end" : `${grant.ended ? "ended" : "until"} ${instant(grant.ends)}`}
        </span>
        <span className="ml-auto flex gap-2">
          <Button kind="quiet" aria-label={`Test the access of ${grant.label}`} onClick={() => setTesting(true)}>
            Test…
          </Button>
          <Button kind="quiet" aria-label={`New key… for ${grant.label}`} onClick={() => setAdding(!adding)}>
            New key…
          </Button>
          <ConfirmButton
            label="Remove"
            about={`the access of ${grant.label}`}
            question="All its keys stop at once?"
            onConfirm={() => remove.mutate()}
          />
        </span>
      </div>
      <ul className="pl-6 text-sm">
        {grant.keys.map((key) => (
          <Key key={key.id} bucket={bucket} grant={grant} own={key} onChanged={onChanged} />
        ))}
      </ul>
      {adding && (
        <NewKey
          bucket={bucket}
          grant={grant}
          onClose={() => setAdding(false)}
          onMade={(shown) => {
            setAdding(false);
            onSecret(shown);
            onChanged();
          }}
        />
      )}
      {remove.error && <ErrorNote error={remove.error} />}
      {testing && (
        <TestDialog
          bucket={bucket}
          keyId={grant.keys[0]?.id ?? ""}
          keys={grant.keys.map((k) => k.id)}
          secret=""
          onClose={() => setTesting(false)}
        />
      )}
    </li>
  );
}

function Key({ bucket, grant, own, onChanged }: { bucket: string; grant: AccessGrant; own: AccessKey; onChanged: () => void }) {
  const remove = useMutation({ mutationFn: () => removeKey(bucket, grant.id, own.id), onSuccess: onChanged });
  const goOn = useMutation({ mutationFn: () => endKey(bucket, grant.id, own.id, null), onSuccess: onChanged });
  return (
    <li className="flex items-baseline gap-4">
      <code className="w-36">{own.id}</code>
      <span className="text-ink-soft">made {instant(own.made)}</span>
      <span className="text-ink-soft">{own.lastUsed == null ? "never used" : `last used ${instant(own.lastUsed)}`}</span>
      {own.ends != null && (
        <>
          <span className={own.ended ? "text-bad" : ""}>
            {own.ended ? "ended" : "ends"} {instant(own.ends)}
          </span>
          <Button kind="quiet" disabled={goOn.isPending} onClick={() => goOn.mutate()} aria-label={`Let it go on: ${own.id}`}>
            Let it go on
          </Button>
        </>
      )}
      <ConfirmButton
        label="Remove"
        about={`the key ${own.id}`}
        question="It and its tokens stop at once?"
        onConfirm={() => remove.mutate()}
      />
      {(remove.error ?? goOn.error) && <ErrorNote error={(remove.error ?? goOn.error) as Error} />}
    </li>
  );
}

type NewKeyProps = { bucket: string; grant: AccessGrant; onClose: () => void; onMade: (shown: Shown) => void };

function NewKey({ bucket, grant, onClose, onMade }: NewKeyProps) {
  const [ends, setEnds] = useState("");
  const [othersEnd, setOthersEnd] = useState("");
  const at = (day: string) => (day ? `${day}T00:00:00Z` : null);
  const add = useMutation({
    mutationFn: () => addKey(bucket, grant.id, at(ends), at(othersEnd)),
    onSuccess: (made) => onMade({ title: `New key of ${grant.label}`, ...made }),
  });
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-4 pl-6"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <Field label="The keys that are there end on the morning of" hint="Both work until then; leave it empty to end none.">
        {(ids) => (
          <input {...ids} type="date" className={inputLook} value={othersEnd} onChange={(e) => setOthersEnd(e.target.value)} />
        )}
      </Field>
      <Field label="The new one ends on the morning of" hint="Empty: as long as the access.">
        {(ids) => <input {...ids} type="date" className={inputLook} value={ends} onChange={(e) => setEnds(e.target.value)} />}
      </Field>
      <Button type="submit" kind="primary" disabled={add.isPending}>
        Make the key
      </Button>
      <Button onClick={onClose}>Cancel</Button>
      {add.error && <ErrorNote error={add.error} />}
    </form>
  );
}
