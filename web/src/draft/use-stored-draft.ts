import { useEffect, useRef, useState } from "react";
import { z } from "zod/mini";
import type { Versioned } from "../api/client";
import { type Choice, merge, same } from "./merge";

/** A draft and what it began from, whose ETag a change has to name. */
export type Draft<T> = { base: Versioned<T>; value: T };

const stored = z.object({
  base: z.object({ value: z.record(z.string(), z.unknown()), etag: z.string() }),
  value: z.record(z.string(), z.unknown()),
});

/** What was stored, when it still has the shape of a draft. */
export function parseDraft<T>(text: string | null): Draft<T> | null {
  if (text === null) return null;
  try {
    return z.parse(stored, JSON.parse(text)) as Draft<T>;
  } catch {
    return null;
  }
}

type Options<T> = {
  /** Names the estate, the kind of thing and the thing: a draft never comes back in another estate. */
  storageKey: string;
  current: Versioned<T> | undefined;
};

/**
 * A draft of anything that has a version: kept in this browser until it is applied or discarded, so that leaving the page or losing a race
 * loses nothing. When somebody else changes the thing, both changes are merged part by part.
 */
export function useStoredDraft<T extends object>({ storageKey, current }: Options<T>) {
  const [draft, setDraft] = useState<Draft<T> | null>(() => parseDraft<T>(localStorage.getItem(storageKey)));
  const [choices, setChoices] = useState<Record<string, Choice>>({});
  const newest = useRef(draft);
  newest.current = draft;

  const written = useRef<string | null>(draft && JSON.stringify(draft));
  useEffect(() => {
    if (draft) {
      written.current = JSON.stringify(draft);
      localStorage.setItem(storageKey, written.current);
    } else if (written.current !== null && localStorage.getItem(storageKey) === written.current) {
      // Only this tab's own draft goes: another tab may have put one there meanwhile.
      localStorage.removeItem(storageKey);
    }
  }, [storageKey, draft]);

  const value = draft?.value ?? current?.value;
  const differs = draft !== null && current !== undefined && !same(current.value, draft.base.value);
  const merged = differs ? merge(draft.base.value, draft.value, current.value, choices) : null;
  // A newer version that says the same is as good to build on: only its ETag is asked for.
  const base = draft === null || !differs ? (current ?? draft?.base) : draft.base;

  const begin = (next: T, from: Versioned<T>) => setDraft(same(next, from.value) ? null : { base: from, value: next });
  const edit = (change: (value: T) => T) => {
    const now = newest.current;
    const from = now?.base ?? current;
    if (!from) return;
    const next = change(now?.value ?? from.value);
    newest.current = same(next, from.value) ? null : { base: from, value: next };
    setDraft(newest.current);
  };
  return {
    base,
    value,
    changed: draft !== null,
    edit,
    begin,
    /** Takes in what another page brought, such as an undo; what is typed here already stays where the two disagree. */
    bring: (next: T) => {
      if (current) begin(newest.current ? merge(current.value, newest.current.value, next).merged : next, current);
    },
    discard: () => setDraft(null),
    /** What both sides changed and how they go together; null while nobody else changed anything. */
    merged,
    choices,
    choose: (part: string, side: Choice) => setChoices((c) => ({ ...c, [part]: side })),
    /** Goes on from the newer one, with both changes in it. */
    takeMerged: () => {
      if (merged && current) begin(merged.merged, current);
      setChoices({});
    },
    /** After `sent` was applied: what was typed meanwhile stays as a draft of its own. */
    applied: (sent: T, now: Versioned<T>) => {
      const typed = newest.current?.value;
      setDraft(typed === undefined || same(typed, sent) ? null : { base: now, value: typed });
    },
  };
}
