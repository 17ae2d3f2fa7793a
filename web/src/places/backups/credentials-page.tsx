import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import {
  addSecret,
  type CredentialAnswer,
  type CredentialReading,
  dropSecret,
  makeCredential,
  readCredentials,
  removeCredential,
} from "../../api/client";
import { keys } from "../../api/keys";
import { instant, moment } from "../../format";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { CredentialForm } from "./credential-form";

/** With what Ripen reaches the buckets of targets: what ends when, and who would stand still then. */
export function CredentialsPage() {
  usePageTitle("Credentials");
  const queries = useQueryClient();
  const all = useQuery({ queryKey: keys.credentials, queryFn: readCredentials });
  const [making, setMaking] = useState(false);
  if (all.error && !all.data) return <ErrorPage what="Credentials" error={all.error} />;
  if (!all.data) return <div className="h-96" />;
  const kept = (answer: CredentialAnswer) => {
    if (answer.trimmed) done("Blanks around the key or its secret were left out.");
    setMaking(false);
    void queries.invalidateQueries();
  };
  return (
    <div className="max-w-5xl px-6 pb-24">
      <p className="pt-5">
        <Link to="/backups">Backups</Link>
      </p>
      <h1 className="text-3xl">Credentials</h1>
      <p className="mt-1 max-w-2xl text-ink-soft">
        With these Ripen reaches the buckets of backup targets, as any program would that somebody granted access to. They are
        kept encrypted on this server and shown to nobody again.
      </p>
      {all.data.length === 0 && !making && (
        <p className="mt-4 max-w-2xl">There is none: targets without one are reached as their owner reaches them.</p>
      )}
      <ul className="mt-4">
        {all.data.map((one) => (
          <Credential key={one.id} one={one} onKept={kept} />
        ))}
      </ul>
      {making ? (
        <CredentialForm
          named
          action="Keep it"
          onClose={() => setMaking(false)}
          save={(typed) => makeCredential(typed)}
          onKept={kept}
        />
      ) : (
        <Button className="mt-4" onClick={() => setMaking(true)}>
          New credential…
        </Button>
      )}
    </div>
  );
}

function Credential({ one, onKept }: { one: CredentialReading; onKept: (answer: CredentialAnswer) => void }) {
  const queries = useQueryClient();
  const [adding, setAdding] = useState(false);
  const again = () => queries.invalidateQueries();
  const drop = useMutation({ mutationFn: (key: string) => dropSecret(one.id, key), onSuccess: again });
  const remove = useMutation({ mutationFn: () => removeCredential(one.id), onSuccess: again });
  return (
    <li className="border-t border-hairline py-3">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="text-lg">{one.name}</h2>
        <span className="text-ink-soft">
          {one.kind === "token"
            ? `gets itself tokens${one.tokenEnds ? `, the one in use until ${moment(one.tokenEnds)}` : ""}`
            : "key and secret"}
          , {one.ends == null ? "without end" : `until ${moment(one.ends)}`}
        </span>
        <span className="ml-auto flex gap-2">
          <Button kind="quiet" aria-label={`Add a secret… to ${one.name}`} onClick={() => setAdding(!adding)}>
            Add a secret…
          </Button>
          {one.usedBy.length === 0 && (
            <ConfirmButton
              label="Forget it"
              about={one.name}
              question="The key goes on working elsewhere. Forget it here?"
              onConfirm={() => remove.mutate()}
            />
          )}
        </span>
      </div>
      {one.warning && <p className="mt-1 border-l-4 border-bad px-3">{one.warning}</p>}
      <p className="text-sm">
        {one.usedBy.length === 0 ? (
          <span className="text-ink-soft">No target uses it.</span>
        ) : (
          <>
            Used by{" "}
            {one.usedBy.map((id, i) => (
              <span key={id}>
                {i > 0 && ", "}
                <Link to={`/backups/${id}`}>{id}</Link>
              </span>
            ))}
          </>
        )}
      </p>
      <ul className="pl-6 text-sm">
        {one.secrets.map((secret) => (
          <li key={secret.keyId} className="flex flex-wrap items-baseline gap-x-4">
            <code className="w-36">{secret.keyId}</code>
            <span className="text-ink-soft">added {instant(secret.added)}</span>
            <span className={secret.ended ? "text-bad" : ""}>
              {secret.ends == null ? "without end" : `${secret.ended ? "ended" : "ends"} ${moment(secret.ends)}`}
            </span>
            {!secret.readable && <span className="text-bad">cannot be read any more: this server's own keys are others</span>}
            {one.secrets.length > 1 && (
              <ConfirmButton
                label="Forget"
                about={`the secret of ${secret.keyId}`}
                question="Forget it here?"
                onConfirm={() => drop.mutate(secret.keyId)}
              />
            )}
          </li>
        ))}
      </ul>
      {adding && (
        <CredentialForm
          action="Add it"
          onClose={() => setAdding(false)}
          save={({ keyId, secret, ends }) => addSecret(one.id, { keyId, secret, ends })}
          onKept={(answer) => {
            setAdding(false);
            onKept(answer);
          }}
        />
      )}
      {(drop.error ?? remove.error) && <ErrorNote error={(drop.error ?? remove.error) as Error} />}
    </li>
  );
}
