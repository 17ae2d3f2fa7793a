import { useState } from "react";
import type { NewSecret } from "../../../api/client";
import { Button } from "../../../ui/controls";
import { copy } from "../../../ui/copy";
import { Dialog } from "../../../ui/dialog";
import { TestDialog } from "./test-dialog";

export type Shown = { title: string; secrets: NewSecret[] };

/** New secrets, shown this once. */
export function SecretsDialog({ bucket, shown, onClose }: { bucket: string; shown: Shown; onClose: () => void }) {
  const [testing, setTesting] = useState<NewSecret | null>(null);
  return (
    <Dialog open holdsSecret onClose={onClose} title={shown.title}>
      <p>
        Copy {shown.secrets.length === 1 ? "the secret" : "both secrets"} now: only a hash is kept, and nobody can show{" "}
        {shown.secrets.length === 1 ? "it" : "them"} again.
        {shown.secrets.length > 1 && " Use one, and keep the other to change over to when the first is renewed."}
      </p>
      {shown.secrets.map((secret) => (
        <div key={secret.keyId} className="mt-3 border-t border-hairline pt-2">
          <p className="text-sm text-ink-soft">{secret.place === 1 ? "First key" : "Second key"}</p>
          <code className="block text-sm break-all" data-testid={`key-${secret.place}`}>
            {secret.keyId}:{secret.secret}
          </code>
          <div className="mt-1 flex gap-3">
            <Button onClick={() => void copy(`${secret.keyId}:${secret.secret}`)}>Copy</Button>
            <Button onClick={() => setTesting(secret)}>Test it</Button>
          </div>
        </div>
      ))}
      <pre className="mt-4 overflow-x-auto bg-paper-deep p-2 text-xs">
        curl -u '{shown.secrets[0]?.keyId}:SECRET' {window.location.origin}/objects/{bucket}/KEY
      </pre>
      <Button kind="primary" className="mt-4" onClick={onClose}>
        I have copied {shown.secrets.length === 1 ? "it" : "them"}
      </Button>
      {testing && (
        <TestDialog
          bucket={bucket}
          keyId={testing.keyId}
          keys={[testing.keyId]}
          secret={testing.secret}
          onClose={() => setTesting(null)}
        />
      )}
    </Dialog>
  );
}
