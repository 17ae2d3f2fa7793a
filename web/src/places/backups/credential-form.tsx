import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { ClientFile, CredentialAnswer, CredentialOrder } from "../../api/client";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { idOf } from "./words";

type FormProps = {
  /** Whether it is a credential of its own, or one more secret. */
  named?: boolean;
  action: string;
  save: (typed: CredentialOrder) => Promise<CredentialAnswer>;
  onKept: (answer: CredentialAnswer) => void;
  onClose: () => void;
};

/** A key and its secret, typed or taken from the file that came with them. */
export function CredentialForm({ named = false, action, save, onKept, onClose }: FormProps) {
  const [typed, setTyped] = useState({ name: "", kind: "key" as CredentialOrder["kind"], keyId: "", secret: "", ends: "" });
  const [unreadable, setUnreadable] = useState<string>();
  const set = (part: Partial<typeof typed>) => setTyped({ ...typed, ...part });
  const keep = useMutation({
    mutationFn: () =>
      save({
        id: idOf(typed.name),
        name: typed.name,
        kind: typed.kind,
        keyId: typed.keyId,
        secret: typed.secret,
        ends: typed.ends || null,
      }),
    onSuccess: onKept,
  });
  const problems = keep.error instanceof ApiError ? keep.error.problems : [];
  const wrong = (path: string) => problems.find((p) => p.path === path)?.message;
  const take = async (file: File) => {
    try {
      const read = JSON.parse(await file.text()) as Partial<ClientFile>;
      if (!read.keyId || !read.secret) throw new Error();
      setUnreadable(undefined);
      set({
        keyId: read.keyId,
        secret: read.secret,
        ends: read.ends ?? "",
        ...(typed.name ? {} : { name: `${read.bucket ?? ""} key` }),
      });
    } catch {
      setUnreadable("This is no file that came with a key: it names no key and secret.");
    }
  };
  return (
    // No form: it also stands inside one.
    <fieldset
      className="mt-3 space-y-2 border-l-2 border-hairline pl-4"
      onKeyDown={(event) => {
        if (event.key !== "Enter" || !(event.target instanceof HTMLInputElement)) return;
        event.preventDefault();
        keep.mutate();
      }}
    >
      <legend className="sr-only">{named ? "New credential" : "New secret"}</legend>
      <Field
        label="The file that came with the key"
        error={unreadable}
        hint="It fills in what follows; nothing else of it is kept."
      >
        {(ids) => (
          <input
            {...ids}
            type="file"
            accept="application/json,.json"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void take(file);
            }}
          />
        )}
      </Field>
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        {named && (
          <Field
            label="It is called"
            error={wrong("$.name") ?? wrong("$.id")}
            hint={typed.name ? `known as ${idOf(typed.name)}` : undefined}
          >
            {(ids) => (
              <input
                {...ids}
                className={`${inputLook} w-56`}
                value={typed.name}
                onChange={(e) => set({ name: e.target.value })}
              />
            )}
          </Field>
        )}
        <Field label="Key" error={wrong("$.keyId")}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-44`}
              autoComplete="off"
              spellCheck={false}
              value={typed.keyId}
              onChange={(e) => set({ keyId: e.target.value })}
            />
          )}
        </Field>
        <Field label="Secret" error={wrong("$.secret")}>
          {(ids) => (
            <input
              {...ids}
              type="password"
              className={`${inputLook} w-64`}
              autoComplete="off"
              value={typed.secret}
              onChange={(e) => set({ secret: e.target.value })}
            />
          )}
        </Field>
        <Field label="Ends on the morning of" error={wrong("$.ends")} hint="On the provider's clock; empty for never.">
          {(ids) => (
            <input
              {...ids}
              type="date"
              className={inputLook}
              value={typed.ends.slice(0, 10)}
              onChange={(e) => set({ ends: e.target.value ? `${e.target.value}T00:00:00Z` : "" })}
            />
          )}
        </Field>
      </div>
      {named && (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={typed.kind === "token"}
            onChange={(e) => set({ kind: e.target.checked ? "token" : "key" })}
          />
          Get a token with it, renewed in time
          <span className="text-sm text-ink-soft">the secret is sent once an hour, and a token with every request</span>
        </label>
      )}
      {keep.error && problems.length === 0 && <ErrorNote error={keep.error} />}
      <div className="flex gap-3">
        <Button kind="primary" disabled={keep.isPending} onClick={() => keep.mutate()}>
          {action}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </fieldset>
  );
}
