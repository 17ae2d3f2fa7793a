import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type LinkOrder, makeLink } from "../../../api/client";
import { moment } from "../../../format";
import { Button, Field, inputLook, NumberInput, Select } from "../../../ui/controls";
import { copy } from "../../../ui/copy";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";

const units = [
  { value: "1", label: "hours" },
  { value: "24", label: "days" },
  { value: "168", label: "weeks" },
];

type LinkDialogProps = { bucket: string; objectKey: string; wholePrefix: boolean; onClose: () => void };

/** Makes a timed link and shows it, with a plain warning. */
export function LinkDialog({ bucket, objectKey, wholePrefix, onClose }: LinkDialogProps) {
  const queries = useQueryClient();
  const [amount, setAmount] = useState<number | null>(1);
  const [unit, setUnit] = useState("24");
  const [date, setDate] = useState("");
  const make = useMutation({
    mutationFn: () => {
      const time: Partial<LinkOrder> = date ? { ends: `${date}T00:00:00Z` } : { forHours: (amount ?? 0) * Number(unit) };
      return makeLink(bucket, { key: objectKey, wholePrefix, ...time });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["access", bucket] }),
  });
  const address = make.data && `${window.location.origin}${make.data.path}`;
  return (
    <Dialog open onClose={onClose} title="Timed link" holdsSecret={address !== undefined}>
      <p>
        For {wholePrefix ? `everything under ${objectKey || "the whole bucket"}` : objectKey}. Whoever has the link can read{" "}
        {wholePrefix ? "all of it" : "the object"}, without a key, until it ends: treat it like the data itself. You can revoke it
        at any time. Its address is shown here, once.
      </p>
      {address ? (
        <div className="mt-3">
          <Field label={`Works until ${moment(make.data.link.ends)} of the provider's clock`}>
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
            <Button kind="primary" onClick={() => void copy(address)}>
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
            <Field label="It lasts for">
              {(ids) => (
                <span className="flex gap-1">
                  <NumberInput
                    {...ids}
                    className="w-16"
                    value={date ? null : amount}
                    disabled={date !== ""}
                    onChange={setAmount}
                  />
                  <Select
                    aria-label="Unit of how long it lasts"
                    value={unit}
                    options={units}
                    disabled={date !== ""}
                    onChange={(e) => setUnit(e.target.value)}
                  />
                </span>
              )}
            </Field>
            <Field label="or until the morning of">
              {(ids) => (
                <input {...ids} type="date" className={inputLook} value={date} onChange={(e) => setDate(e.target.value)} />
              )}
            </Field>
          </div>
          {make.error && <ErrorNote error={make.error} />}
          <div className="mt-4 flex gap-3">
            <Button kind="primary" type="submit" disabled={make.isPending || (date === "" && !amount)}>
              Make the link
            </Button>
            <Button onClick={onClose}>Cancel</Button>
          </div>
        </form>
      )}
    </Dialog>
  );
}
