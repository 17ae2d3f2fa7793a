import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keepObject, type ObjectKeepRequest, readObjectKeep, type StoredVersion } from "../../../api/client";
import { keys } from "../../../api/keys";
import { useEstate } from "../../../estate-context";
import { WhatMakesIt } from "../../../money/priced-terms";
import { ApiError } from "../../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { done } from "../../../ui/toasts";
import { keptWords } from "./kept-words";

type How = "day" | "days" | "lift";

type KeepProps = { bucket: string; name: string; kept: StoredVersion["kept"]; onClose: () => void };

/** Retention of one object's own: what it would do and cost stands there before it is done. */
export function ObjectKeepDialog({ bucket, name, kept, onClose }: KeepProps) {
  const { money } = useEstate();
  const queries = useQueryClient();
  const [how, setHow] = useState<How>("day");
  const [until, setUntil] = useState("");
  const [days, setDays] = useState<number | null>(365);
  const [strength, setStrength] = useState<"liftable" | "sealed">("liftable");
  const [by, setBy] = useState("");
  const [reason, setReason] = useState("");
  const order: ObjectKeepRequest = {
    strength: how === "lift" ? "liftable" : strength,
    ...(how === "day" && { until }),
    ...(how === "days" && { days }),
  };
  const isSaid = how === "lift" || (how === "day" ? until !== "" : days !== null);
  const draft = useQuery({
    queryKey: keys.objectKeep(bucket, name, order),
    queryFn: () => readObjectKeep(bucket, name, order),
    enabled: isSaid,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const deed = useMutation({
    mutationFn: () => keepObject(bucket, name, { ...order, ...(by && { by }), ...(reason && { reason }) }),
    onSuccess: async (did) => {
      await queries.invalidateQueries();
      done(did.after == null ? `Nothing keeps ${name} any more.` : `${name} is kept until ${keptWords(did.after)}.`);
      onClose();
    },
  });
  const reading = isSaid && !draft.error ? draft.data : undefined;
  const wrong = (path: string) => {
    const error = deed.error ?? draft.error;
    return error instanceof ApiError ? error.problems.find((p) => p.path === path)?.message : undefined;
  };
  const isAnswered = !(reading?.isLess ?? false) || (by.trim() !== "" && reason.trim() !== "");
  return (
    <Dialog open onClose={onClose} title={`Retention of ${name}`}>
      <p className="mb-3 text-ink-soft">{kept == null ? "Nothing keeps it now." : `Kept now until ${keptWords(kept)}.`}</p>
      <div className="flex flex-wrap items-start gap-x-5 gap-y-2">
        <Field label="Keep it">
          {(ids) => (
            <Select
              {...ids}
              value={how}
              options={[
                { value: "day", label: "until a day" },
                { value: "days", label: "days from its creation" },
                { value: "lift", label: "no longer of its own" },
              ]}
              onChange={(e) => setHow(e.target.value as How)}
            />
          )}
        </Field>
        {how === "day" && (
          <Field label="May go from" error={wrong("$.until")}>
            {(ids) => (
              <input {...ids} type="date" className={inputLook} value={until} onChange={(e) => setUntil(e.target.value)} />
            )}
          </Field>
        )}
        {how === "days" && (
          <Field label="Days" error={wrong("$.days")}>
            {(ids) => <NumberInput {...ids} className="w-24" value={days} onChange={setDays} />}
          </Field>
        )}
        {how !== "lift" && (
          <Field label="Strength">
            {(ids) => (
              <Select
                {...ids}
                value={strength}
                options={[
                  { value: "liftable", label: "liftable, with name and reason" },
                  { value: "sealed", label: "sealed: nobody can shorten it" },
                ]}
                onChange={(e) => setStrength(e.target.value as "liftable" | "sealed")}
              />
            )}
          </Field>
        )}
      </div>
      {reading?.isLess && (
        <div className="mt-3 flex flex-wrap gap-x-5">
          <Field label="Who answers for it" error={wrong("$.by")}>
            {(ids) => <input {...ids} className={inputLook} value={by} onChange={(e) => setBy(e.target.value)} />}
          </Field>
          <Field label="Why" error={wrong("$.reason")}>
            {(ids) => (
              <input {...ids} className={`${inputLook} w-72`} value={reason} onChange={(e) => setReason(e.target.value)} />
            )}
          </Field>
        </div>
      )}
      <div className="mt-3 min-h-12" aria-live="polite">
        {reading && (
          <p>
            {reading.after == null
              ? "Nothing keeps it then: rules, requests and people may remove it at once."
              : `It is kept then until ${keptWords(reading.after)}. ${
                  reading.untilThen == null
                    ? `Storing it costs ${money(reading.monthly)} a month, and nobody knows how long.`
                    : `Storing it until then, where it lies now, costs ${money(reading.untilThen)}.`
                }`}{" "}
            {order.strength === "sealed" &&
              "It can be made longer later, and never shorter: not by you, and not by this program."}
            {reading.isLess && "That is less than before; the log keeps who wanted it, and why."}
          </p>
        )}
        {reading && <WhatMakesIt amount={reading.untilThen ?? reading.monthly} terms={reading.terms} />}
        {isSaid && draft.error && wrong("$.until") === undefined && wrong("$.days") === undefined && (
          <ErrorNote error={draft.error} />
        )}
        {deed.error && <ErrorNote error={deed.error} />}
      </div>
      <div className="mt-3 flex gap-3">
        <Button kind="primary" disabled={!reading || !isAnswered || deed.isPending} onClick={() => deed.mutate()}>
          {how === "lift" ? "Lift it" : strength === "sealed" ? "Seal it" : "Keep it"}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
