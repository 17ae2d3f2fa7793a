import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Bucket, deleteObject, objectAddress, readObject, type StoredVersion } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { day, instant, moment } from "../../../format";
import { TierName } from "../../../strip/tiers";
import { ConfirmButton } from "../../../ui/confirm-button";
import { Button } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { writeTags } from "../../replication/words";
import { LinkDialog } from "../access/link-dialog";
import { BundleMembers, isBundle } from "./bundle-members";
import { keptWords } from "./kept-words";
import { MoveDialog } from "./move-dialog";
import { ObjectChargedSoFar } from "./object-charged";
import { ObjectCopies } from "./object-copies";
import { ObjectKeepDialog } from "./object-keep-dialog";
import { RecallDialog } from "./recall-dialog";

/** One object: what it is, where it rests, what it has cost, its versions; out it comes, or it goes. */
export function ObjectSheet({ bucket, name, onClose }: { bucket: Bucket; name: string; onClose: () => void }) {
  const { bytes, prices, tierName } = useEstate();
  const queries = useQueryClient();
  const [over, setOver] = useState<"move" | "recall" | "link" | "delete" | "keep" | null>(null);
  const details = useQuery({
    queryKey: ["object", bucket.name, name],
    queryFn: () => readObject(bucket.name, name),
    retry: false,
  });
  const remove = useMutation({
    mutationFn: (version: number | null) => deleteObject(bucket.name, name, version),
    onSuccess: async () => {
      setOver(null);
      // The sheet's buttons wait for its own reading only: a press while the rest is read again would be lost.
      await queries.invalidateQueries({ queryKey: ["object", bucket.name, name] });
      void queries.invalidateQueries();
    },
  });
  const chosen = details.data?.chosen;
  const waits = (prices.tiers.find((t) => t.id === chosen?.tier)?.waitHours ?? 0) > 0;
  const facts: [string, React.ReactNode][] = chosen
    ? [
        ["Size", `${bytes(chosen.bytes)} (${chosen.bytes.toLocaleString("en-GB")} bytes)`],
        ["Tier", <TierName key="tier" id={chosen.tier} />],
        ["In the tier since", day(chosen.inTierSince)],
        ...(chosen.recalled
          ? [
              [
                "Recalled",
                `a copy can be read from ${moment(chosen.recalled.ready)} on, in ${tierName(chosen.recalled.tier)}, until ${day(chosen.recalled.until)}`,
              ] as [string, React.ReactNode],
            ]
          : []),
        ["Written", `${moment(chosen.written)}`],
        ["Last read", chosen.lastRead == null ? "never" : day(chosen.lastRead)],
        ["Kept until", chosen.kept == null ? "nothing keeps it" : keptWords(chosen.kept)],
        ...(chosen.tags ? [["Tags", writeTags(chosen.tags)] as [string, React.ReactNode]] : []),
        ["Encrypted at rest", sealed(chosen.seal)],
        ...(details.data?.charged
          ? [
              ["Charged so far", <ObjectChargedSoFar key="charged" bucket={bucket.name} charged={details.data.charged} />] as [
                string,
                React.ReactNode,
              ],
            ]
          : []),
        [
          chosen.blocksSha256 != null ? "SHA-256 of the SHA-256 of each MiB" : "SHA-256",
          <code key="sha" className="text-xs break-all">
            {chosen.sha256 ?? chosen.blocksSha256}
          </code>,
        ],
      ]
    : [];
  return (
    <Dialog open onClose={onClose} title={name}>
      {details.error && <ErrorNote error={details.error} />}
      {chosen?.isDeletion ? (
        <p>
          It was deleted on {moment(chosen.written)}.{" "}
          <Button disabled={remove.isPending} onClick={() => remove.mutate(chosen.version)}>
            Undo the deletion
          </Button>
        </p>
      ) : (
        chosen && (
          <>
            <dl className="grid grid-cols-[9rem_minmax(0,1fr)] gap-y-1">
              {facts.map(([term, fact]) => (
                <div key={term} className="contents">
                  <dt className="text-ink-soft">{term}</dt>
                  <dd>{fact}</dd>
                </div>
              ))}
            </dl>
            <div className="mt-4 flex flex-wrap items-center gap-3">
              <a
                href={`${objectAddress(bucket.name, name)}?download`}
                download
                className="rounded-sm border border-accent bg-accent px-3 py-1 font-medium text-paper no-underline"
              >
                Download
              </a>
              <Button onClick={() => setOver("link")}>Timed link…</Button>
              <Button onClick={() => setOver("move")}>Move to another tier…</Button>
              <Button onClick={() => setOver("keep")}>Retention…</Button>
              {waits && <Button onClick={() => setOver("recall")}>Recall…</Button>}
              <Button
                kind="quiet"
                className="text-bad"
                onClick={() => (bucket.versioning ? remove.mutate(null) : setOver("delete"))}
              >
                {bucket.versioning ? "Delete" : "Delete…"}
              </Button>
            </div>
            {over === "delete" && (
              <p className="mt-3 border-l-4 border-bad px-3" role="alert">
                This bucket keeps no earlier versions: the object is gone for good.{" "}
                <Button disabled={remove.isPending} onClick={() => remove.mutate(null)}>
                  Delete it for good
                </Button>{" "}
                <Button kind="quiet" onClick={() => setOver(null)}>
                  Keep it
                </Button>
              </p>
            )}
          </>
        )
      )}
      {remove.error && <ErrorNote error={remove.error} />}
      {chosen && isBundle(name) && <BundleMembers bucket={bucket.name} name={name} />}
      {chosen && <ObjectCopies bucket={bucket.name} version={chosen.version} />}
      {details.data && (details.data.versions.length > 1 || bucket.versioning) && (
        <Versions
          bucket={bucket}
          name={name}
          versions={details.data.versions}
          onRemove={(v) => remove.mutate(v)}
          busy={remove.isPending}
        />
      )}
      {over === "move" && <MoveDialog bucket={bucket} scope={name} wholePrefix={false} onClose={() => setOver(null)} />}
      {over === "keep" && chosen && (
        <ObjectKeepDialog bucket={bucket.name} name={name} kept={chosen.kept} onClose={() => setOver(null)} />
      )}
      {over === "recall" && (
        <RecallDialog bucket={bucket.name} scope={{ keys: [name] }} title={`Recall ${name}`} onClose={() => setOver(null)} />
      )}
      {over === "link" && <LinkDialog bucket={bucket.name} objectKey={name} wholePrefix={false} onClose={() => setOver(null)} />}
    </Dialog>
  );
}

const sealed = (seal: StoredVersion["seal"]) => {
  if (!seal) return "no: it was stored before contents were encrypted; write it anew";
  const key = seal.isBuckets ? "this bucket's own key" : "the provider's key";
  return seal.isWithdrawn ? (
    <span className="text-bad">under {key}, which is withdrawn: nobody can read it</span>
  ) : (
    `AES-256-GCM under ${key} ${seal.key}`
  );
};

type VersionsProps = {
  bucket: Bucket;
  name: string;
  versions: StoredVersion[];
  busy: boolean;
  onRemove: (version: number) => void;
};

function Versions({ bucket, name, versions, busy, onRemove }: VersionsProps) {
  const { bytes } = useEstate();
  return (
    <section aria-label="Versions" className="mt-5">
      <h3 className="text-base">Versions</h3>
      <ul className="max-h-48 overflow-y-auto">
        {versions.map((v) => (
          <li key={v.version} className="flex items-baseline gap-3 border-t border-hairline py-1 text-sm">
            <span className="w-10">{v.version}</span>
            <span className="flex-1">
              {v.isDeletion ? "deleted" : bytes(v.bytes)}, {instant(v.written)}
              {v.isCurrent && <strong> (current)</strong>}
            </span>
            {!v.isDeletion && (
              <a href={`${objectAddress(bucket.name, name)}?version=${v.version}&download`} download>
                Download
              </a>
            )}
            {v.isDeletion ? (
              <Button kind="quiet" disabled={busy} onClick={() => onRemove(v.version)}>
                Undo
              </Button>
            ) : (
              <ConfirmButton
                label="Remove"
                about={`version ${v.version}`}
                question="Gone for good?"
                disabled={busy}
                onConfirm={() => onRemove(v.version)}
              />
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
