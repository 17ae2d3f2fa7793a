import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { type Bucket, changeBucket, type DraftReading, readBucket, readDraft } from "../../api/client";
import { keys } from "../../api/keys";
import { useBucketUndo } from "../../draft/bucket-undo";
import { useStoredDraft } from "../../draft/use-stored-draft";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { done } from "../../ui/toasts";

export const draftKey = (identity: string, name: string) => `ripen-draft:${identity}:bucket:${name}`;

/** The draft of a bucket, what the server says of it, and how it is applied. */
export function useDraft(name: string) {
  const queries = useQueryClient();
  const { estate } = useEstate();
  const stored = useQuery({ queryKey: keys.bucket(name), queryFn: () => readBucket(name) });
  const draft = useStoredDraft<Bucket>({ storageKey: draftKey(estate.identity, name), current: stored.data });
  const [applyError, setApplyError] = useState<Error | null>(null);
  const [applying, setApplying] = useState(false);

  const bucket = draft.value;
  const shown = useDeferredValue(bucket);
  const reading = useNewestReading(name, stored.data?.etag, shown);
  // The consequences that stand there are those of this very draft, or it cannot be applied.
  const answered = reading.data !== undefined && !reading.isPlaceholderData && shown === bucket && !reading.isFetching;

  const [good, setGood] = useState<DraftReading | null>(null);
  const newest = reading.data;
  useEffect(() => {
    if (newest?.consequences) setGood(newest);
  }, [newest]);

  const edit = (change: (bucket: Bucket) => Bucket) => {
    setApplyError(null);
    draft.edit(change);
  };
  const discard = () => {
    setApplyError(null);
    draft.discard();
    void queries.invalidateQueries({ queryKey: keys.bucket(name) });
  };
  const undo = useBucketUndo();
  const apply = async () => {
    if (!draft.base || !bucket || !reading.data) return;
    const before = draft.base.value;
    setApplying(true);
    try {
      const after = await changeBucket(bucket, draft.base.etag, reading.data.seen ?? null);
      setApplyError(null);
      draft.applied(bucket, after);
      queries.setQueryData(keys.bucket(name), after);
      done(`Applied to ${name}.`, { label: "Undo", onClick: () => void undo(name, before, after.value) });
      await queries.invalidateQueries();
    } catch (error) {
      setApplyError(error as Error);
      if (error instanceof ApiError && error.status === 412) await queries.invalidateQueries({ queryKey: keys.bucket(name) });
      if (error instanceof ApiError && error.code === "shown-differs") await queries.invalidateQueries({ queryKey: keys.drafts });
    } finally {
      setApplying(false);
    }
  };
  return {
    ...draft,
    stored,
    bucket,
    reading,
    /** What was read of the last draft that was in order. */ good,
    answered,
    applying,
    applyError,
    edit,
    discard,
    apply,
  };
}

/**
 * Asks about the draft while the hand is still moving: one question is on its way at a time, and the next is the newest draft; those in
 * between are never asked, and no answer is thrown away.
 */
function useNewestReading(name: string, etag: string | undefined, shown: Bucket | undefined) {
  const [asked, setAsked] = useState(shown);
  const reading = useQuery({
    queryKey: keys.draft(name, etag, asked),
    // Not cancelled by newer drafts: its answer is shown while the next is on its way.
    queryFn: () => readDraft(asked as Bucket, name),
    enabled: asked !== undefined,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });
  const waiting = useRef(shown);
  waiting.current = shown;
  useEffect(() => {
    if (!reading.isFetching) setAsked(waiting.current);
  });
  return { ...reading, isPlaceholderData: reading.isPlaceholderData || asked !== shown };
}

export type Edit = (change: (bucket: Bucket) => Bucket) => void;
