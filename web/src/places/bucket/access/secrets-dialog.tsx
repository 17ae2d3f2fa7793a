import { useState } from "react";
import type { ClientFile, NewSecret } from "../../../api/client";
import { Button } from "../../../ui/controls";
import { copy } from "../../../ui/copy";
import { Dialog } from "../../../ui/dialog";
import { saveFile } from "../../../ui/save-file";
import { TestDialog } from "./test-dialog";

export type Shown = { title: string; secret: NewSecret; file: ClientFile };

/** A new secret, shown this once. */
export function SecretsDialog({ bucket, shown, onClose }: { bucket: string; shown: Shown; onClose: () => void }) {
  const [testing, setTesting] = useState(false);
  const { keyId, secret } = shown.secret;
  return (
    <Dialog open holdsSecret onClose={onClose} title={shown.title}>
      <p>
        Copy the secret now, or save the file: only a hash is kept, and nobody can show it again. The file holds all that a
        program needs to connect, the secret too.
      </p>
      <code className="mt-3 block text-sm break-all" data-testid="key">
        {keyId}:{secret}
      </code>
      <div className="mt-1 flex gap-3">
        <Button onClick={() => void copy(`${keyId}:${secret}`)}>Copy</Button>
        <Button onClick={() => saveFile(`${bucket}-${keyId}.json`, shown.file)}>Save the file</Button>
        <Button onClick={() => setTesting(true)}>Test it</Button>
      </div>
      <pre className="mt-4 overflow-x-auto bg-paper-deep p-2 text-xs">
        curl -u '{keyId}:SECRET' {shown.file.address}
        {bucket}/KEY
      </pre>
      <p className="mt-2 text-sm text-ink-soft">
        A program that should not keep sending it gets a token for an hour at <code>{shown.file.tokenAddress}</code> (OAuth 2.0,
        client credentials).
      </p>
      <Button kind="primary" className="mt-4" onClick={onClose}>
        I have copied it
      </Button>
      {testing && <TestDialog bucket={bucket} keyId={keyId} keys={[keyId]} secret={secret} onClose={() => setTesting(false)} />}
    </Dialog>
  );
}
