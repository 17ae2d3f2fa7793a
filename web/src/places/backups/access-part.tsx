import { type BackupTarget, putTarget, type TargetReading } from "../../api/client";
import { ErrorNote } from "../../ui/error-note";
import { CredentialChoice } from "./credential-choice";
import { useBackupDeed, useTargets } from "./use-backups";

const ways: { value: NonNullable<BackupTarget["access"]>; label: string; hint: string }[] = [
  { value: "read-write", label: "read and written", hint: "" },
  { value: "read-only", label: "read only", hint: "nothing is written there and nothing removed" },
  { value: "locked", label: "locked", hint: "nothing is read there, either" },
];

/** What Ripen may do in a target. */
export function AccessPart({ target }: { target: TargetReading }) {
  const etag = useTargets().data?.etag ?? "";
  const change = useBackupDeed((part: Partial<BackupTarget>) => putTarget({ ...target.target, ...part }, etag));
  const now = target.target.access ?? "read-write";
  return (
    <section aria-label="Access">
      <h2 className="text-xl">Access</h2>
      <fieldset>
        <legend className="sr-only">What Ripen may do in it</legend>
        {ways.map((way) => (
          <label key={way.value} className="flex items-baseline gap-2">
            <input
              type="radio"
              name="access"
              className="accent-(--accent)"
              checked={now === way.value}
              disabled={change.isPending}
              onChange={() => change.mutate({ access: way.value })}
            />
            {way.label}
            {way.hint && <span className="text-sm text-ink-soft">{way.hint}</span>}
          </label>
        ))}
      </fieldset>
      {target.target.bucket && (
        <CredentialChoice
          value={target.target.credential ?? ""}
          disabled={change.isPending}
          onChange={(credential) => change.mutate({ credential: credential || undefined })}
        />
      )}
      {change.error && <ErrorNote error={change.error} />}
    </section>
  );
}
