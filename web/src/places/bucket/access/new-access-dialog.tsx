import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { makeAccess, type NewAccessReading, type Right } from "../../../api/client";
import { ApiError } from "../../../refusal";
import { Button, Field, inputLook } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

const rights: { right: Right; label: string }[] = [
  { right: "read", label: "read objects" },
  { right: "write", label: "write and delete objects" },
  { right: "list", label: "list keys" },
  { right: "read-versions", label: "read earlier versions" },
  { right: "delete-versions", label: "delete versions for good, take deletions back" },
];

type NewAccessProps = { bucket: string; onClose: () => void; onMade: (made: NewAccessReading) => void };

/** Who for, where, what, until when; a key comes out of it. */
export function NewAccessDialog({ bucket, onClose, onMade }: NewAccessProps) {
  const [label, setLabel] = useState("");
  const [prefix, setPrefix] = useState("");
  const [given, setGiven] = useState<Right[]>(["read", "list"]);
  const [ends, setEnds] = useState("");
  const make = useMutation({
    mutationFn: () => makeAccess(bucket, { label, prefix, rights: given, ...(ends ? { ends: `${ends}T00:00:00Z` } : {}) }),
    onSuccess: onMade,
  });
  const wrong = (path: string) =>
    make.error instanceof ApiError ? make.error.problems.find((p) => p.path === path)?.message : undefined;
  return (
    <Dialog open onClose={onClose} title={`Grant access to ${bucket}`}>
      <form
        className="space-y-3"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <Field label="For whom or what" error={wrong("$.label")}>
          {(ids) => <input {...ids} className={`${inputLook} w-full`} value={label} onChange={(e) => setLabel(e.target.value)} />}
        </Field>
        <Field label="Keys that begin with">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-full`}
              placeholder="the whole bucket"
              value={prefix}
              onChange={(e) => setPrefix(e.target.value)}
            />
          )}
        </Field>
        <fieldset>
          <legend className="text-sm text-ink-soft">It may</legend>
          {rights.map(({ right, label: words }) => (
            <label key={right} className="mr-5 inline-flex items-center gap-2">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked={given.includes(right)}
                onChange={(e) => setGiven(e.target.checked ? [...given, right] : given.filter((r) => r !== right))}
              />
              {words}
            </label>
          ))}
          {wrong("$.rights") && <p className="text-sm text-bad">{wrong("$.rights")}</p>}
        </fieldset>
        <Field label="Until the morning of" error={wrong("$.ends")} hint="Leave it empty for an access without end.">
          {(ids) => <input {...ids} type="date" className={inputLook} value={ends} onChange={(e) => setEnds(e.target.value)} />}
        </Field>
        {make.error && !(make.error instanceof ApiError && make.error.problems.length > 0) && <ErrorNote error={make.error} />}
        <div className="flex gap-3">
          <Button kind="primary" type="submit" disabled={make.isPending}>
            Grant it
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </div>
      </form>
    </Dialog>
  );
}
