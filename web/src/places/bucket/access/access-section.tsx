import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  type AccessGrant,
  closeToPublic,
  readAccess,
  removeAccess,
  renewKey,
  revokeLink,
  type TimedLink,
} from "../../../api/client";
import { instant } from "../../../format";
import { ConfirmButton } from "../../../ui/confirm-button";
import { Button } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import { LinkDialog } from "./link-dialog";
import { NewAccessDialog } from "./new-access-dialog";
import { OpenDialog } from "./open-dialog";
import { SecretsDialog, type Shown } from "./secrets-dialog";
import { TestDialog } from "./test-dialog";

/** Who may reach the bucket's objects over plain HTTP: pairs of keys, timed links, everybody. */
export function AccessSection({ bucket }: { bucket: string }) {
  const queries = useQueryClient();
  const access = useQuery({ queryKey: ["access", bucket], queryFn: () => readAccess(bucket) });
  const [dialog, setDialog] = useState<"access" | "link" | "open" | null>(null);
  const [secrets, setSecrets] = useState<Shown | null>(null);
  const refresh = () => queries.invalidateQueries({ queryKey: ["access", bucket] });
  const close = useMutation({ mutationFn: () => closeToPublic(bucket), onSuccess: refresh });
  const revoke = useMutation({ mutationFn: (id: string) => revokeLink(bucket, id), onSuccess: refresh });
  if (access.error && !access.data) return <ErrorNote error={access.error} />;
  if (!access.data) return null;
  const { grants, links } = access.data;
  return (
    <section id="access" aria-label="Access" className="scroll-mt-16">
      <h2 className="text-lg">Access</h2>
      <p>
        Over HTTP the objects are at <code className="text-sm">/objects/{bucket}/KEY</code>.{" "}
        {access.data.public ? (
          <>
            <strong className="text-bad">Everybody can read this bucket.</strong>{" "}
            <Button disabled={close.isPending} onClick={() => close.mutate()}>
              Close it
            </Button>
          </>
        ) : (
          <>
            It is closed to the public.{" "}
            <Button kind="quiet" onClick={() => setDialog("open")}>
              Open it to everybody…
            </Button>
          </>
        )}
      </p>
      <ul className="mt-2">
        {grants.map((grant) => (
          <Grant key={grant.id} bucket={bucket} grant={grant} onSecret={setSecrets} onChanged={refresh} />
        ))}
      </ul>
      {grants.length === 0 && <p className="text-ink-soft">Nobody has keys to it.</p>}
      <Button className="mt-2" onClick={() => setDialog("access")}>
        Grant access…
      </Button>
      <h3 className="mt-5 text-base">Timed links</h3>
      {links.length === 0 && <p className="text-ink-soft">No links were given out.</p>}
      <ul>
        {links.map((link) => (
          <li key={link.id} className="flex items-baseline gap-4 border-t border-hairline py-1">
            <span className="min-w-0 flex-1 truncate">
              {link.wholePrefix ? `everything under ${link.key || "the bucket"}` : link.key}
            </span>
            <span className="text-sm text-ink-soft">{used(link.uses)}</span>
            <span className={`text-sm ${link.revoked || link.ended ? "text-ink-soft" : ""}`}>{linkState(link)}</span>
            {!link.revoked && !link.ended && (
              <ConfirmButton
                label="Revoke"
                about={`the link to ${link.key || bucket}`}
                question="Stop it at once?"
                onConfirm={() => revoke.mutate(link.id)}
              />
            )}
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={() => setDialog("link")}>
        Link to the whole bucket…
      </Button>
      {dialog === "open" && <OpenDialog bucket={bucket} onClose={() => setDialog(null)} />}
      {dialog === "link" && <LinkDialog bucket={bucket} objectKey="" wholePrefix onClose={() => setDialog(null)} />}
      {dialog === "access" && (
        <NewAccessDialog
          bucket={bucket}
          onClose={() => setDialog(null)}
          onMade={(made) => {
            setDialog(null);
            setSecrets({ title: `Keys of ${made.access.label}`, secrets: made.secrets });
            void refresh();
          }}
        />
      )}
      {secrets && <SecretsDialog bucket={bucket} shown={secrets} onClose={() => setSecrets(null)} />}
    </section>
  );
}

const used = (times: number) => (times === 0 ? "not used" : times === 1 ? "used once" : `used ${times} times`);

function linkState(link: TimedLink): string {
  if (link.revoked) return `revoked ${instant(link.revoked)}`;
  return `${link.ended ? "ended" : "works until"} ${instant(link.ends)}`;
}

type GrantProps = { bucket: string; grant: AccessGrant; onSecret: (shown: Shown) => void; onChanged: () => void };

const places: Record<number, string> = { 1: "First key", 2: "Second key" };

function Grant({ bucket, grant, onSecret, onChanged }: GrantProps) {
  const [testing, setTesting] = useState(false);
  const remove = useMutation({ mutationFn: () => removeAccess(bucket, grant.id), onSuccess: onChanged });
  const renew = useMutation({
    mutationFn: (place: number) => renewKey(bucket, grant.id, place),
    onSuccess: (secret) => {
      onSecret({ title: `${places[secret.place]} of ${grant.label}, renewed`, secrets: [secret] });
      onChanged();
    },
  });
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
          <ConfirmButton
            label="Remove"
            about={`the access of ${grant.label}`}
            question="Both keys stop at once?"
            onConfirm={() => remove.mutate()}
          />
        </span>
      </div>
      <ul className="pl-6 text-sm">
        {grant.keys.map((key) => (
          <li key={key.id} className="flex items-baseline gap-4">
            <span className="w-24">{places[key.place]}</span>
            <code className="w-36">{key.id}</code>
            <span className="text-ink-soft">made {instant(key.made)}</span>
            <span className="text-ink-soft">{key.lastUsed == null ? "never used" : `last used ${instant(key.lastUsed)}`}</span>
            <ConfirmButton
              label="Renew"
              about={`${places[key.place]?.toLowerCase()} of ${grant.label}`}
              question="Its old secret stops at once?"
              onConfirm={() => renew.mutate(key.place)}
            />
          </li>
        ))}
      </ul>
      {(remove.error ?? renew.error) && <ErrorNote error={(remove.error ?? renew.error) as Error} />}
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
