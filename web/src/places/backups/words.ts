import type { BackupTarget } from "../../api/client";

export type TargetKind = BackupTarget["kind"];

/** What a kind of target is called in a list. */
export const kindNames: Record<TargetKind, string> = {
  bucket: "pool in a bucket",
  directory: "pool in a directory",
  volume: "block volume",
  cartridges: "cartridges",
};

/** What each is for, where one is chosen. */
export const kindSentences: { value: TargetKind; label: string }[] = [
  { value: "bucket", label: "A pool in a bucket: Ripen backs folders and objects up" },
  { value: "directory", label: "A pool in a directory of the server's machine" },
  { value: "volume", label: "A block volume over NBD, for programs that write to a disk" },
  { value: "cartridges", label: "Cartridges, for programs that know only tape" },
];

/** The id of a target or credential from its name: what an address can bear. */
export const idOf = (name: string) =>
  name
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-|-$/g, "");
