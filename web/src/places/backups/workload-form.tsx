import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { putWorkload, removeWorkload, type Workload } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { orNull } from "../../ui/number-text";
import { SizeField } from "../../ui/size-field";
import { SourceFields, sourceOf, typedSource } from "./source-fields";
import { idOf } from "./words";

type Props = { workload: Workload | null; etag: string; planned: boolean; onClose: () => void };

const percent = (share: number | undefined, fallback: number) => Number(((share ?? fallback) * 100).toPrecision(12));

/** What a plan protects: its size, how it changes, and what was agreed. */
export function WorkloadForm({ workload, etag: newest, planned, onClose }: Props) {
  // What somebody else changes meanwhile is not written over.
  const [etag] = useState(newest);
  const { prices } = useEstate();
  const queries = useQueryClient();
  const [typed, setTyped] = useState({
    name: workload?.name ?? "",
    bytes: workload?.bytes ?? null,
    growth: percent(workload?.yearlyGrowth, 0) as number | null,
    changing: percent(workload?.changing, 1) as number | null,
    daily: percent(workload?.dailyChange, 0) as number | null,
    unique: percent(workload?.unique, 1) as number | null,
    compression: percent(workload?.compression, 1) as number | null,
    encrypted: workload?.encryptedAtSource ?? false,
    source: typedSource(workload?.source),
    region: workload?.region ?? prices.regions[0]?.id ?? "",
    rpo: workload?.rpoHours ?? null,
    rto: workload?.rtoHours ?? null,
  });
  const set = (part: Partial<typeof typed>) => setTyped({ ...typed, ...part });
  const done = async () => {
    await queries.invalidateQueries({ queryKey: keys.plans });
    onClose();
  };
  const share = (n: number | null) => (n === null ? orNull(n) : n / 100);
  const save = useMutation({
    mutationFn: () =>
      putWorkload(
        {
          id: workload?.id ?? idOf(typed.name),
          name: typed.name,
          bytes: orNull(typed.bytes),
          yearlyGrowth: share(typed.growth),
          changing: share(typed.changing),
          dailyChange: share(typed.daily),
          unique: share(typed.unique),
          compression: share(typed.compression),
          encryptedAtSource: typed.encrypted,
          ...(typed.source.from !== "nowhere" && { source: sourceOf(typed.source) }),
          region: typed.region,
          ...(typed.rpo !== null && { rpoHours: typed.rpo }),
          ...(typed.rto !== null && { rtoHours: typed.rto }),
        },
        etag,
      ),
    onSuccess: done,
  });
  const remove = useMutation({ mutationFn: () => removeWorkload(workload?.id ?? "", etag), onSuccess: done });
  const wrong = useProblems(save.error instanceof ApiError ? save.error.problems : undefined);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  const shareField = (
    label: string,
    part: "growth" | "changing" | "daily" | "unique" | "compression",
    path: string,
    hint?: string,
  ) => (
    <Field label={label} error={wrong(path)} hint={hint}>
      {(ids) => (
        <span>
          <NumberInput {...ids} className="w-16" value={typed[part]} onChange={(v) => set({ [part]: v })} /> %
        </span>
      )}
    </Field>
  );
  return (
    <form
      onSubmit={submit}
      aria-label={workload ? `Change ${workload.name}` : "New workload"}
      className="mt-2 mb-4 border-l-2 border-accent pl-4"
    >
      <div className="flex flex-wrap gap-x-6 gap-y-3">
        <Field
          label="It is called"
          error={wrong("$.name") ?? wrong("$.id")}
          hint={!workload && typed.name ? `known as ${idOf(typed.name)}` : undefined}
        >
          {(ids) => (
            <input {...ids} className={`${inputLook} w-56`} value={typed.name} onChange={(e) => set({ name: e.target.value })} />
          )}
        </Field>
        <SizeField label="Content today" value={typed.bytes} onChange={(bytes) => set({ bytes })} error={wrong("$.bytes")} />
        <Field label="Where it is" error={wrong("$.region")}>
          {(ids) => (
            <Select
              {...ids}
              value={typed.region}
              options={prices.regions.map((r) => ({ value: r.id, label: r.name }))}
              onChange={(e) => set({ region: e.target.value })}
            />
          )}
        </Field>
        <SourceFields
          label="What plans really read"
          offersNothing
          value={typed.source}
          onChange={(part) => set({ source: { ...typed.source, ...part } })}
          wrong={wrong}
          path="$.source"
        />
        {shareField("Growth a year", "growth", "$.yearlyGrowth")}
        {shareField("Ever changes", "changing", "$.changing", "of the content")}
        {shareField("Rewritten a day", "daily", "$.dailyChange", "of the content")}
        {shareField("Unique", "unique", "$.unique", "after deduplication")}
        {shareField("Compressed to", "compression", "$.compression")}
        <Field label="Recovery point (RPO)" error={wrong("$.rpoHours")} hint="empty: nothing agreed">
          {(ids) => (
            <span>
              <NumberInput {...ids} className="w-16" value={typed.rpo} onChange={(rpo) => set({ rpo })} /> h
            </span>
          )}
        </Field>
        <Field label="Recovery time (RTO)" error={wrong("$.rtoHours")} hint="empty: nothing agreed">
          {(ids) => (
            <span>
              <NumberInput {...ids} className="w-16" value={typed.rto} onChange={(rto) => set({ rto })} /> h
            </span>
          )}
        </Field>
        <label className="self-center">
          <input type="checkbox" checked={typed.encrypted} onChange={(e) => set({ encrypted: e.target.checked })} /> encrypted at
          its source
        </label>
      </div>
      <div className="mt-3 flex items-baseline gap-3">
        <Button kind="primary" type="submit" disabled={save.isPending}>
          {workload ? "Change" : "Add"}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
        {workload && !planned && (
          <ConfirmButton label="Remove" about={workload.name} question="Remove it for good?" onConfirm={() => remove.mutate()} />
        )}
        {workload && planned && <span className="text-sm text-ink-soft">A plan protects it: it cannot be removed.</span>}
      </div>
      {save.error && !(save.error instanceof ApiError && save.error.problems.length > 0) && <ErrorNote error={save.error} />}
      {remove.error && <ErrorNote error={remove.error} />}
    </form>
  );
}
