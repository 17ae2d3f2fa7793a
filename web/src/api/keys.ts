import type { BoardQuery } from "./client";

/** Under which names answers are remembered: the only place that makes them up. */
export const keys = {
  estate: ["estate"],
  stores: ["stores"],
  boards: ["board"],
  board: (query: BoardQuery) => ["board", query],
  bucketOnBoard: (name: string, on: string | null) => ["board", "bucket", name, on],
  bucket: (name: string) => ["bucket", name],
  places: (scheme: string | null, users: string | null) => ["places", scheme, users],
  advice: (asked: unknown) => ["advice", asked],
  objectsOf: (bucket: string) => ["objects", bucket],
  objects: (bucket: string, prefix: string, begin: string, find: string) => ["objects", bucket, prefix, begin, find],
  deletions: (bucket: string, prefix: string) => ["objects", bucket, "deleted", prefix],
  targets: ["targets"],
  target: (id: string) => ["targets", id],
  points: (id: string) => ["targets", id, "points"],
  names: (id: string, point: string, folder: string, find: string) => ["targets", id, "names", point, folder, find],
  drafts: ["draft"],
  draft: (name: string | null, etag: string | undefined, value: unknown) => ["draft", name, etag, value],
  manyDrafts: ["many-draft"],
  manyDraft: (many: unknown) => ["many-draft", many],
  lineDraft: (from: string, to: string, terms: unknown) => ["draft", "line", from, to, terms],
  replication: ["replication"],
  changes: ["changes"],
} as const;
