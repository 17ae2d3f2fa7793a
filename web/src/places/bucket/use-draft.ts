import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import {
  ApiError,
  type Bucket,
  changeBucket,
  type DraftReading,
  type Problem,
  readBucket,
  readDraft,
  type Versioned,
} from "../../api/client";

const storageKey = (name: string) => `ripen-draft:${name}`;

/** A draft and the bucket that it began from, whose ETag the change has to name. */
type Draft = { base: Versioned<Bucket>; bucket: Bucket };

function recall(name: string): Draft | null {
  const kept = localStorage.getItem(storageKey(name));
  return kept ? (JSON.parse(kept) as Draft) : null;
}

/**
 * The draft of a bucket: kept in this browser until it is applied or discarded, so that leaving the page or losing a race
 * to another tab loses nothing.
 */
export function useDraft(name: string) {
  const queries = useQueryClient();
  const stored = useQuery({ queryKey: ["bucket", name], queryFn: () => readBucket(name) });
  const [draft, setDraft] = useState<Draft | null>(() => recall(name));
  const [applyError, setApplyError] = useState<Error | null>(null);
  const [applying, setApplying] = useState(false);

  const written = useRef<string | null>(null);
  useEffect(() => {
    const key = storageKey(name);
    if (draft) {
      written.current = JSON.stringify(draft);
      localStorage.setItem(key, written.current);
    } else if (written.current !== null && localStorage.getItem(key) === written.current) {
      // Only this tab's own draft goes: another tab may have put one there meanwhile.
      localStorage.removeItem(key);
    }
  }, [name, draft]);

  const base = draft?.base ?? stored.data;
  const bucket = draft?.bucket ?? stored.data?.value;
  const shown = useDeferredValue(bucket);
  const reading = useQuery({
    queryKey: ["draft", name, stored.data?.etag, shown],
    queryFn: ({ signal }) => readDraft(shown as Bucket, name, signal),
    enabled: shown !== undefined,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  });

  const [good, setGood] = useState<DraftReading | null>(null);
  const newest = reading.data;
  useEffect(() => {
    if (newest?.consequences) setGood(newest);
  }, [newest]);

  const changed = draft !== null;
  const overtaken = changed && stored.data !== undefined && stored.data.etag !== draft.base.etag;

  const edit = (change: (bucket: Bucket) => Bucket) => {
    if (!base || !bucket) return;
    setApplyError(null);
    const next = change(bucket);
    setDraft(JSON.stringify(next) === JSON.stringify(base.value) ? null : { base, bucket: next });
  };
  const discard = () => {
    setApplyError(null);
    setDraft(null);
    void queries.invalidateQueries({ queryKey: ["bucket", name] });
  };
  const apply = async () => {
    if (!draft) return;
    setApplying(true);
    try {
      await changeBucket(draft.bucket, draft.base.etag);
      setApplyError(null);
      setDraft(null);
      await queries.invalidateQueries();
    } catch (error) {
      setApplyError(error as Error);
      if (error instanceof ApiError && error.status === 412) await queries.invalidateQueries({ queryKey: ["bucket", name] });
    } finally {
      setApplying(false);
    }
  };
  /** Begins the draft anew from the newer bucket, with what was typed here still in it. */
  const takeUpNewer = () => {
    setApplyError(null);
    if (draft && stored.data) setDraft({ base: stored.data, bucket: draft.bucket });
  };
  return {
    stored,
    bucket,
    reading,
    /** What was read of the last draft that was in order. */ good,
    changed,
    overtaken,
    applying,
    applyError,
    edit,
    discard,
    apply,
    takeUpNewer,
  };
}

/** What is wrong at a JSON path of the draft, if anything. */
export function useProblems(problems: Problem[] | undefined) {
  return useMemo(() => {
    const byPath = new Map<string, string>();
    for (const problem of problems ?? [])
      byPath.set(problem.path, byPath.has(problem.path) ? `${byPath.get(problem.path)} ${problem.message}` : problem.message);
    return (path: string) => byPath.get(path);
  }, [problems]);
}

export type ProblemAt = ReturnType<typeof useProblems>;
export type Edit = (change: (bucket: Bucket) => Bucket) => void;

/** A number that is not typed yet travels as null, so that the server says what is missing and where. */
export const orNull = (value: number | null) => value as number;

/** The same where null would mean "none": an empty text is no number, and the server says so. */
export const orEmpty = (value: number | null) => value ?? ("" as unknown as number);
