import { useEstate } from "../../../estate-context";
import { Button } from "../../../ui/controls";
import { Progress } from "../../../ui/progress";
import { forgetUploads, goesOn, pauseUploads, resumeUploads, retryUploads, type Upload, useUploads } from "./uploads";

const words = {
  waiting: "waits",
  sending: "is being sent",
  paused: "paused",
  stored: "stored",
  failed: "failed",
};

/** The files on their way into a bucket: how far, pause, go on, try again. */
export function UploadList({ bucket }: { bucket: string }) {
  const { bytes } = useEstate();
  const uploads = useUploads(bucket);
  if (uploads.length === 0) return null;
  const total = uploads.reduce((sum, u) => sum + u.file.size, 0);
  const sent = uploads.reduce((sum, u) => sum + (u.state === "stored" ? u.file.size : Math.min(u.sent, u.file.size)), 0);
  const has = (state: Upload["state"]) => uploads.some((u) => u.state === state);
  const underWay = has("sending") || has("waiting");
  return (
    <section aria-label="Uploads" className="my-2 border-y border-hairline py-2">
      <div className="flex flex-wrap items-center gap-3">
        <Progress label="Bytes sent" max={total} value={sent} />
        <span role="status">
          {uploads.filter((u) => u.state === "stored").length} of {uploads.length} files stored, {bytes(sent)} of {bytes(total)}
        </span>
        {underWay && <Button onClick={() => pauseUploads(bucket)}>Pause</Button>}
        {has("paused") && <Button onClick={() => resumeUploads(bucket)}>Go on</Button>}
        {has("failed") && <Button onClick={() => retryUploads(bucket)}>Try the failed ones again</Button>}
        {!underWay && (
          <Button kind="quiet" onClick={() => forgetUploads(bucket)}>
            Clear this list
          </Button>
        )}
      </div>
      <ul className="mt-1 max-h-40 overflow-y-auto text-sm">
        {uploads
          .filter((u) => u.state !== "stored")
          .map((u) => (
            <li key={u.id} className={u.state === "failed" ? "text-bad" : "text-ink-soft"}>
              <span className="break-all">{u.key}</span> {words[u.state]}
              {u.state === "paused" && (goesOn(u.file) ? ` after ${bytes(u.sent)}; it goes on from there` : "; it begins anew")}
              {u.state === "sending" && u.file.size > 0 && ` (${Math.floor((100 * u.sent) / u.file.size)} %)`}
              {u.error && `: ${u.error}`}
            </li>
          ))}
      </ul>
    </section>
  );
}
