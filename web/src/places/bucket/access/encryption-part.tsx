import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  type BucketSeal,
  giveBackBucketKey,
  readBucketEncryption,
  rotateBucketKey,
  withdrawBucketKey,
} from "../../../api/client";
import { keys } from "../../../api/keys";
import { useEstate } from "../../../estate-context";
import { count, moment } from "../../../format";
import { ConfirmButton } from "../../../ui/confirm-button";
import { Button } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { TypedConfirmation } from "../../../ui/typed-confirmation";

/** What encrypts a bucket's contents where they lie, and what can be done with its key. */
export function EncryptionPart({ bucket }: { bucket: string }) {
  const queries = useQueryClient();
  const seal = useQuery({
    queryKey: keys.encryption(bucket),
    queryFn: () => readBucketEncryption(bucket),
    refetchInterval: (query) => ((query.state.data?.waiting ?? 0) > (query.state.data?.unreadable ?? 0) ? 1000 : false),
  });
  const [withdrawing, setWithdrawing] = useState(false);
  const changed = async () => {
    setWithdrawing(false);
    await queries.invalidateQueries({ queryKey: keys.encryption(bucket) });
    void queries.invalidateQueries({ queryKey: ["object", bucket] });
  };
  const rotate = useMutation({ mutationFn: () => rotateBucketKey(bucket), onSuccess: changed });
  const withdraw = useMutation({ mutationFn: () => withdrawBucketKey(bucket), onSuccess: changed });
  const giveBack = useMutation({ mutationFn: () => giveBackBucketKey(bucket), onSuccess: changed });
  const failed = rotate.error ?? withdraw.error ?? giveBack.error;
  if (!seal.data) return seal.error ? <ErrorNote error={seal.error} /> : null;
  const { state, isBuckets } = seal.data;
  return (
    <section aria-label="Encryption at rest">
      <h3 className="mt-5 text-base">Encryption at rest</h3>
      <SealFacts seal={seal.data} />
      {isBuckets && state === "in-force" && (
        <p className="mt-2 flex flex-wrap gap-3">
          <ConfirmButton
            label="Replace the key"
            about={`of ${bucket}`}
            question="What is there is taken over without being rewritten. Replace it?"
            onConfirm={() => rotate.mutate()}
          />
          <Button kind="quiet" onClick={() => setWithdrawing(true)}>
            Withdraw the key…
          </Button>
        </p>
      )}
      {(state === "withdrawn" || seal.data.unreadable > 0) && (
        <p className="mt-2">
          <Button kind="primary" disabled={giveBack.isPending} onClick={() => giveBack.mutate()}>
            Give the key back
          </Button>
        </p>
      )}
      {!isBuckets && <p className="text-sm text-ink-soft">A key of its own is given to it above, under its place.</p>}
      {failed && <ErrorNote error={failed} />}
      {withdrawing && (
        <Dialog open onClose={() => setWithdrawing(false)} title={`Withdraw the key of ${bucket}?`}>
          <p className="mb-3">
            From then on nothing in it can be read, written or copied from it, by anybody and on any way, backup targets in it
            too. Nothing is destroyed, what is kept stays kept, and storage is charged as before. It ends when the key is given
            back.
          </p>
          <TypedConfirmation
            word={bucket}
            action="Withdraw the key"
            busy={withdraw.isPending}
            onConfirm={() => withdraw.mutate()}
            onCancel={() => setWithdrawing(false)}
          />
        </Dialog>
      )}
    </section>
  );
}

/** A key, what it encrypts, and what is not (yet) under it. */
export function SealFacts({ seal }: { seal: BucketSeal }) {
  const { bytes } = useEstate();
  return (
    <>
      {seal.state === "withdrawn" && (
        <p className="border-l-4 border-bad px-3">
          Its key is withdrawn: nothing under it can be read or written until it is given back.
        </p>
      )}
      {seal.state === "lost" && (
        <p className="border-l-4 border-bad px-3">
          Its key is lost: the file <code className="break-all">{seal.file}</code> is not there, or is not that key. Put it back
          from your copy; without it nobody can read what is under it.
        </p>
      )}
      <p>
        AES-256-GCM under {seal.isBuckets ? "a key of its own" : "the provider's key"} <code className="text-sm">{seal.key}</code>
        , made {moment(seal.made)}: {count(seal.objects)} {seal.objects === 1 ? "content" : "contents"}, {bytes(seal.bytes)}.
        {seal.waiting > seal.unreadable && ` ${count(seal.waiting - seal.unreadable)} more are being taken over.`}
        {seal.unreadable > 0 && (
          <span className="text-bad"> {count(seal.unreadable)} are under an earlier key that is withdrawn or lost.</span>
        )}
        {seal.plain > 0 &&
          ` ${count(seal.plain)} were stored before there was encryption, and lie plain until they are written anew.`}
      </p>
      {seal.state !== "lost" && (
        <p className="text-sm text-ink-soft">
          The secret is the file <code className="break-all">{seal.file}</code>: keep a copy of it elsewhere.
        </p>
      )}
    </>
  );
}
