import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { closeToPublic, readAccess, revokeLink, type TimedLink } from "../../../api/client";
import { instant } from "../../../format";
import { ConfirmButton } from "../../../ui/confirm-button";
import { Button } from "../../../ui/controls";
import { ErrorNote } from "../../../ui/error-note";
import { EncryptionPart } from "./encryption-part";
import { Grant } from "./grant";
import { LinkDialog } from "./link-dialog";
import { NewAccessDialog } from "./new-access-dialog";
import { OpenDialog } from "./open-dialog";
import { SecretsDialog, type Shown } from "./secrets-dialog";

/** Who may reach the bucket's objects over plain HTTP: accesses with keys, timed links, everybody; and what encrypts them at rest. */
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
      <EncryptionPart bucket={bucket} />
      {dialog === "open" && <OpenDialog bucket={bucket} onClose={() => setDialog(null)} />}
      {dialog === "link" && <LinkDialog bucket={bucket} objectKey="" wholePrefix onClose={() => setDialog(null)} />}
      {dialog === "access" && (
        <NewAccessDialog
          bucket={bucket}
          onClose={() => setDialog(null)}
          onMade={(made) => {
            setDialog(null);
            setSecrets({ title: `Key of ${made.access.label}`, secret: made.secret, file: made.file });
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
