import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type LinkOrder, makeLink } from "../../../api/client";
import { instant } from "../../../format";
import { Button, Field, inputLook, Select } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

const spans = [
  { value: "hour", label: "an hour" },
  { value: "day", label: "a day" },
  { value: "week", label: "a week" },
  { value: "date", label: "until a date" },
];

type LinkDialogProps = { bucket: string; objectKey: string; wholePrefix: boolean; onClose: () => void };

/** Makes a timed link and shows it, with a plain warning. */
export function LinkDialog({ bucket, objectKey, wholePrefix, onClose }: LinkDialogProps) {
  const queries = useQueryClient();
  const [lasts, setLasts] = useState("day");
  const [date, setDate] = useState("");
  const make = useMutation({
    mutationFn: () => {
      const time: Partial<LinkOrder> =
        lasts === "date" ? { ends: `${date}T00:00:00Z` } : { for: lasts as "hour" | "day" | "week" };
      return makeLink(bucket, { key: objectKey, wholePrefix, ...time });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["access", bucket] }),
  });
  const address = make.data && `${window.location.origin}${make.data.path}`;
  return (
    <Dialog open onClose={onClose} title="Timed link">
      <p>
        For {wholePrefix ? `everything under ${objectKey || "the whole bucket"}` : objectKey}. Whoever has the link can read{" "}
        {wholePrefix ? "all of it" : "the object"}, without a key, until it ends: treat it like the data itself. You can revoke it
        at any time. Its address is shown here, once.
      </p>
      {address ? (
        <div className="mt-3">
          <Field label={`Works until ${instant(make.data.link.ends)} UTC of the provider's clock`}>
            {(ids) => (
              <input
                {...ids}
                readOnly
                className={`${inputLook} w-full text-sm`}
                value={address}
                onFocus={(e) => e.target.select()}
              />
            )}
          </Field>
          <div className="mt-4 flex gap-3">
            <Button kind="primary" onClick={() => void navigator.clipboard.writeText(address)}>
              Copy
            </Button>
            <Button onClick={onClose}>Close</Button>
          </div>
        </div>
      ) : (
        <form
          className="mt-3"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate();
          }}
        >
          <div className="flex gap-6">
            <Field label="It works for">
              {(ids) => <Select {...ids} value={lasts} options={spans} onChange={(e) => setLasts(e.target.value)} />}
            </Field>
            {lasts === "date" && (
              <Field label="Until the morning of">
                {(ids) => (
                  <input {...ids} type="date" className={inputLook} value={date} onChange={(e) => setDate(e.target.value)} />
                )}
              </Field>
            )}
          </div>
          {make.error && <ErrorNote error={make.error} />}
          <div className="mt-4 flex gap-3">
            <Button kind="primary" type="submit" disabled={make.isPending || (lasts === "date" && date === "")}>
              Make the link
            </Button>
            <Button onClick={onClose}>Never mind</Button>
          </div>
        </form>
      )}
    </Dialog>
  );
}
