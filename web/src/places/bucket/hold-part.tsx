import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { type HoldReading, placeHold, readHoldDraft, readHolds, releaseHold } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { readTags, writeTags } from "../replication/words";

/** A bucket's legal holds: what each keeps, who placed it and why; placed and released by requests of their own. */
export function HoldPart({ bucket }: { bucket: string }) {
  const { bytes } = useEstate();
  const holds = useQuery({ queryKey: keys.holds(bucket), queryFn: () => readHolds(bucket) });
  const [over, setOver] = useState<"place" | HoldReading | null>(null);
  if (!holds.data) return holds.error ? <ErrorNote error={holds.error} /> : null;
  const { value: all, etag } = holds.data;
  return (
    <section aria-label="Legal holds" className="mt-5">
      <h3 className="text-base">Legal holds</h3>
      {all.length === 0 && <p className="text-sm text-ink-soft">None. What a hold matches stays until it is released by name.</p>}
      {all.length > 0 && (
        <ul>
          {all.map((h) => (
            <li key={h.hold.id} className="border-b border-hairline py-1">
              <span className={h.holds ? "font-semibold" : "text-ink-soft"}>{h.hold.id}</span>, on {scopeWords(h)}:{" "}
              {h.hold.reason}
              <span className="block text-sm text-ink-soft">
                {h.holds
                  ? `keeps ${count(h.matched.objects)} ${h.matched.objects === 1 ? "object" : "objects"}, ${bytes(h.matched.bytes)}, since ${day(h.hold.placed)}`
                  : h.hold.released != null
                    ? `released on ${day(h.hold.released)}`
                    : `holds from ${day(h.hold.placed)} on`}
                {h.hold.placedBy != null && `; placed by ${h.hold.placedBy}`}
                {h.hold.releasedBy != null && `; released by ${h.hold.releasedBy}: ${h.hold.releasedBecause}`}
                {h.holds && (
                  <Button kind="quiet" aria-label={`Release… ${h.hold.id}`} onClick={() => setOver(h)}>
                    Release…
                  </Button>
                )}
              </span>
            </li>
          ))}
        </ul>
      )}
      <p className="mt-2 flex items-baseline gap-4">
        <Button onClick={() => setOver("place")}>Place a hold…</Button>
        <Link to={`/keeping?bucket=${bucket}`}>Until when what is kept here</Link>
      </p>
      {over === "place" && <PlaceDialog bucket={bucket} etag={etag} onClose={() => setOver(null)} />}
      {over !== null && over !== "place" && (
        <ReleaseDialog bucket={bucket} held={over} etag={etag} onClose={() => setOver(null)} />
      )}
    </section>
  );
}

const scopeWords = ({ hold }: HoldReading) =>
  `${hold.prefix ? hold.prefix : "the whole bucket"}${hold.tags ? ` with ${writeTags(hold.tags)}` : ""}`;

type DialogProps = { bucket: string; etag: string; onClose: () => void };

function useHoldDeed(bucket: string, deed: () => Promise<unknown>, said: string, onClose: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: deed,
    onSuccess: async () => {
      await queries.invalidateQueries();
      done(said);
      onClose();
    },
    onError: () => void queries.invalidateQueries({ queryKey: keys.holds(bucket) }),
  });
}

function PlaceDialog({ bucket, etag, onClose }: DialogProps) {
  const { bytes } = useEstate();
  const [typed, setTyped] = useState({ id: "", prefix: "", tags: "", reason: "", by: "" });
  const set = (part: Partial<typeof typed>) => setTyped({ ...typed, ...part });
  const tags = readTags(typed.tags);
  const scope = useDeferredValue({ prefix: typed.prefix, ...(tags && { tags }) });
  const matched = useQuery({
    queryKey: keys.holdDraft(bucket, scope),
    queryFn: () => readHoldDraft(bucket, scope),
    placeholderData: keepPreviousData,
  });
  const { id, prefix, reason, by } = typed;
  const place = useHoldDeed(
    bucket,
    () => placeHold(bucket, { id, prefix, ...(tags && { tags }), reason, by }, etag),
    `The hold ${id} keeps what it matches.`,
    onClose,
  );
  const refused = place.error instanceof ApiError ? place.error : null;
  const wrong = useProblems(refused?.problems);
  const at = (part: string) => wrong(`$.${part}`) ?? refused?.problems.find((p) => p.path.endsWith(`].${part}`))?.message;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    place.mutate();
  };
  return (
    <Dialog open onClose={onClose} title={`Place a legal hold on ${bucket}`}>
      <form onSubmit={submit} className="space-y-3">
        <Field label="Case" error={at("id")} hint="small letters, digits and hyphens">
          {(ids) => <input {...ids} className={`${inputLook} w-60`} value={id} onChange={(e) => set({ id: e.target.value })} />}
        </Field>
        <div className="flex flex-wrap gap-x-5">
          <Field label="What begins with" error={at("prefix")} hint="empty: everything; a whole key: one object">
            {(ids) => (
              <input
                {...ids}
                spellCheck={false}
                className={`${inputLook} w-56`}
                value={prefix}
                onChange={(e) => set({ prefix: e.target.value })}
              />
            )}
          </Field>
          <Field label="Only with the tags" error={at("tags")} hint="name=value, name=value; empty for any">
            {(ids) => (
              <input
                {...ids}
                spellCheck={false}
                className={`${inputLook} w-56`}
                value={typed.tags}
                onChange={(e) => set({ tags: e.target.value })}
              />
            )}
          </Field>
        </div>
        <Field label="Because" error={at("reason")}>
          {(ids) => (
            <input {...ids} className={`${inputLook} w-full`} value={reason} onChange={(e) => set({ reason: e.target.value })} />
          )}
        </Field>
        <Field label="Who answers for it" error={at("by")}>
          {(ids) => <input {...ids} className={`${inputLook} w-60`} value={by} onChange={(e) => set({ by: e.target.value })} />}
        </Field>
        <p aria-live="polite">
          {matched.data
            ? `It matches ${count(matched.data.objects)} ${matched.data.objects === 1 ? "object" : "objects"} now, ${bytes(matched.data.bytes)}, and what comes later. None of it can be deleted, overwritten or expire before it is released.`
            : " "}
        </p>
        {matched.error && <ErrorNote error={matched.error} />}
        {refused && refused.problems.length === 0 && <ErrorNote error={refused} />}
        <div className="flex gap-3">
          <Button
            kind="primary"
            type="submit"
            disabled={id === "" || reason.trim() === "" || by.trim() === "" || place.isPending}
          >
            Place it
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}

function ReleaseDialog({ bucket, held, etag, onClose }: DialogProps & { held: HoldReading }) {
  const { bytes } = useEstate();
  const [typed, setTyped] = useState({ reason: "", by: "", confirm: "" });
  const { id } = held.hold;
  const release = useHoldDeed(bucket, () => releaseHold(bucket, id, typed, etag), `The hold ${id} is released.`, onClose);
  const refused = release.error instanceof ApiError ? release.error : null;
  const wrong = useProblems(refused?.problems);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    release.mutate();
  };
  return (
    <Dialog open onClose={onClose} title={`Release the hold ${id}?`}>
      <form onSubmit={submit} className="space-y-3">
        <p>
          {count(held.matched.objects)} {held.matched.objects === 1 ? "object" : "objects"}, {bytes(held.matched.bytes)}, can go
          from then on where nothing else keeps them: by hand, by rules and by being overwritten.
        </p>
        <Field label="Because" error={wrong("$.reason")}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-full`}
              value={typed.reason}
              onChange={(e) => setTyped({ ...typed, reason: e.target.value })}
            />
          )}
        </Field>
        <Field label="Who answers for it" error={wrong("$.by")}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-60`}
              value={typed.by}
              onChange={(e) => setTyped({ ...typed, by: e.target.value })}
            />
          )}
        </Field>
        <Field label={`Type ${id}`} error={wrong("$.confirm")}>
          {(ids) => (
            <input
              {...ids}
              autoComplete="off"
              className={`${inputLook} w-60`}
              value={typed.confirm}
              onChange={(e) => setTyped({ ...typed, confirm: e.target.value })}
            />
          )}
        </Field>
        {refused && refused.problems.length === 0 && <ErrorNote error={refused} />}
        <div className="flex gap-3">
          <Button
            kind="primary"
            type="submit"
            disabled={typed.confirm !== id || typed.reason.trim() === "" || typed.by.trim() === "" || release.isPending}
          >
            Release it
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}
