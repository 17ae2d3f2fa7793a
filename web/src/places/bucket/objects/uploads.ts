import { useSyncExternalStore } from "react";
import { DetailedError, Upload as TusUpload } from "tus-js-client";
import { objectAddress, refusal } from "../../../api/client";

export type UploadState = "waiting" | "sending" | "paused" | "stored" | "failed";

export type Upload = {
  id: number;
  bucket: string;
  key: string;
  file: File;
  sent: number;
  state: UploadState;
  error: string | null;
  /** Whether it may take the place of an object that is there. */
  overwrite: boolean;
};

const atOnce = 3;

/** Smaller files are sent at once, and begin anew: there is little to send again. */
const worthResuming = 8_000_000;

export const goesOn = (file: File) => file.size >= worthResuming;

/** A file under way. */
type Sending = { abort: () => void };

/**
 * The files on their way to the server, of the whole page: leaving a sheet does not stop them. A large file that is paused, fails or outlives
 * the page goes on where it stood, a small one begins anew.
 */
let uploads: readonly Upload[] = [];
const listeners = new Set<() => void>();
const requests = new Map<number, Sending>();
const whenStored = new Set<(bucket: string) => void>();
let nextId = 1;

function put(next: readonly Upload[]) {
  uploads = next;
  for (const listener of listeners) listener();
}

const change = (id: number, part: Partial<Upload>) => put(uploads.map((u) => (u.id === id ? { ...u, ...part } : u)));

/** Adds files under a prefix; their place in a folder that was dropped or picked becomes part of the key. */
export function addUploads(bucket: string, prefix: string, files: { path: string; file: File }[], overwrite: boolean) {
  put([
    ...uploads,
    ...files.map(({ path, file }) => ({
      id: nextId++,
      bucket,
      key: prefix + path,
      file,
      sent: 0,
      state: "waiting" as const,
      error: null,
      overwrite,
    })),
  ]);
  sendNext();
}

export function pauseUploads(bucket: string) {
  put(
    uploads.map((u) =>
      u.bucket === bucket && (u.state === "waiting" || u.state === "sending")
        ? { ...u, state: "paused", sent: goesOn(u.file) ? u.sent : 0 }
        : u,
    ),
  );
  for (const [id, request] of requests) {
    if (uploads.find((u) => u.id === id)?.state === "paused") request.abort();
  }
}

export function resumeUploads(bucket: string) {
  again((u) => u.bucket === bucket && u.state === "paused");
}

export function retryUploads(bucket: string) {
  again((u) => u.bucket === bucket && u.state === "failed");
}

/** Takes what is done, or all of it when nothing is under way any more, from the list. */
export function forgetUploads(bucket: string) {
  put(uploads.filter((u) => u.bucket !== bucket || u.state === "sending" || u.state === "waiting"));
}

/** Calls back when files have been stored, at most once a second and after the last; gives the way to stop that. */
export function onStored(act: (bucket: string) => void): () => void {
  whenStored.add(act);
  return () => whenStored.delete(act);
}

const toTell = new Map<string, ReturnType<typeof setTimeout>>();

function tell(bucket: string) {
  if (toTell.has(bucket)) return;
  toTell.set(
    bucket,
    setTimeout(() => {
      toTell.delete(bucket);
      for (const act of whenStored) act(bucket);
    }, 1000),
  );
}

/** The list as it is now. */
export const allUploads = () => uploads;

export function useUploads(bucket: string): Upload[] {
  const all = useSyncExternalStore((listener) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  }, allUploads);
  return all.filter((u) => u.bucket === bucket);
}

function again(which: (upload: Upload) => boolean) {
  put(uploads.map((u) => (which(u) ? { ...u, state: "waiting", error: null, sent: goesOn(u.file) ? u.sent : 0 } : u)));
  sendNext();
}

function sendNext() {
  while (requests.size < atOnce) {
    const next = uploads.find((u) => u.state === "waiting" && !requests.has(u.id));
    if (!next) return;
    change(next.id, { state: "sending" });
    if (goesOn(next.file)) sendInParts(next);
    else sendAtOnce(next);
  }
}

/** It is over, one way or the other. */
function end({ id, bucket }: Upload, part: Partial<Upload>) {
  requests.delete(id);
  change(id, part);
  if (part.state === "stored") tell(bucket);
  sendNext();
}

const broke = (again: string) => ({ state: "failed" as const, error: `The connection broke. ${again}` });

/** By the tus protocol: the page remembers where a file was going, and the server how much of it came. */
function sendInParts(upload: Upload) {
  const { id, bucket, key, file, overwrite } = upload;
  const fingerprint = ["ripen", bucket, key, file.size, file.lastModified].join(" ");
  let [begun, known, stopped] = [false, false, false];
  const stop = () =>
    void sending.abort().then(() => {
      requests.delete(id);
      sendNext();
    });
  const sending = new TusUpload(file, {
    endpoint: `/api/buckets/${encodeURIComponent(bucket)}/uploads`,
    headers: { "Ripen-Request": "1" },
    metadata: { key, filetype: file.type || "application/octet-stream", ...(!overwrite && { onlyNew: "" }) },
    fingerprint: () => Promise.resolve(fingerprint),
    removeFingerprintOnSuccess: true,
    onUploadUrlAvailable: () => {
      known = true;
      if (stopped) stop();
    },
    onProgress: (sent) => change(id, { sent }),
    onSuccess: () => end(upload, { state: "stored", sent: file.size }),
    onError: (error) => {
      if (stopped) return stop();
      const answer = error instanceof DetailedError ? error.originalResponse : null;
      end(
        upload,
        answer
          ? { state: "failed", error: refusal(answer.getStatus(), answer.getBody()).message }
          : broke("What had come is kept: try again, and it goes on."),
      );
    },
  });
  requests.set(id, {
    abort: () => {
      stopped = true;
      // While the server is still asked where the file goes, giving up would leave an upload there that nobody knows of.
      if (known || !begun) stop();
    },
  });
  void sending.findPreviousUploads().then(([before]) => {
    if (before) sending.resumeFromPreviousUpload(before);
    if (stopped) return;
    begun = true;
    sending.start();
  });
}

function sendAtOnce(upload: Upload) {
  const { id, bucket, key, file, overwrite } = upload;
  const request = new XMLHttpRequest();
  requests.set(id, request);
  request.upload.onprogress = (event) => change(id, { sent: event.loaded });
  request.onload = () => {
    if (request.status >= 200 && request.status < 300) end(upload, { state: "stored", sent: file.size });
    else end(upload, { state: "failed", error: refusal(request.status, request.responseText).message });
  };
  request.onerror = () => end(upload, broke("Nothing half-sent was stored; try again."));
  request.onabort = () => {
    requests.delete(id);
    sendNext();
  };
  request.open("PUT", objectAddress(bucket, key));
  request.setRequestHeader("Content-Type", file.type || "application/octet-stream");
  // Somebody else may have put one there since it was looked at.
  if (!overwrite) request.setRequestHeader("If-None-Match", "*");
  request.send(file);
}

window.addEventListener("beforeunload", (event) => {
  if (requests.size > 0) event.preventDefault();
});
