import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type ColumnMapping, type InventoryPreview, importInventory, readInventory, sendInventory } from "../../../api/client";
import { useEstate } from "../../../estate-context";
import { count } from "../../../format";
import { ApiError } from "../../../refusal";
import { Button, Field, NumberInput, Select } from "../../../ui/controls";
import { Dialog } from "../../../ui/dialog";
import { ErrorNote } from "../../../ui/error-note";
import { FilePicker } from "../../../ui/file-picker";
import { UntouchedTable } from "./untouched-table";

/** A list of data that is elsewhere: pick the file, say what its columns mean, see what it comes to, import it. */
export function InventoryDialog({ bucket, onClose }: { bucket: string; onClose: () => void }) {
  const sent = useMutation({ mutationFn: sendInventory });
  return (
    <Dialog open wide onClose={onClose} title={`Import an inventory into ${bucket}`}>
      <p>
        A CSV or Parquet list of data that is elsewhere: a key, its bytes, when it was last modified, and if you know them when it
        was last read and its tier. It becomes lots with a declared size; nothing is copied.
      </p>
      <div className="mt-3">
        <FilePicker
          label={sent.data ? "Another file…" : "Pick the file…"}
          inputLabel="Inventory file"
          accept=".csv,.txt,.tsv,.parquet"
          disabled={sent.isPending}
          onPick={(files) => files[0] && sent.mutate(files[0])}
        />
      </div>
      {sent.isPending && (
        <p role="status" className="mt-2 text-ink-soft">
          The file is being sent…
        </p>
      )}
      {sent.error && <ErrorNote error={sent.error} />}
      {sent.data && <Mapping key={sent.data.id} bucket={bucket} preview={sent.data} onClose={onClose} />}
    </Dialog>
  );
}

const fields = [
  { name: "key", label: "Key", needed: true },
  { name: "bytes", label: "Bytes", needed: true },
  { name: "lastModified", label: "Last modified", needed: true },
  { name: "lastRead", label: "Last read", needed: false },
  { name: "tier", label: "Tier", needed: false },
] as const;

function Mapping({ bucket, preview, onClose }: { bucket: string; preview: InventoryPreview; onClose: () => void }) {
  const queries = useQueryClient();
  const { bytes } = useEstate();
  const first = preview.columns[0] ?? "";
  const [mapping, setMapping] = useState<ColumnMapping>(
    preview.suggested ?? { key: first, bytes: first, lastModified: first, levels: 1 },
  );
  const read = useMutation({ mutationFn: (as: ColumnMapping) => readInventory(bucket, preview.id, as) });
  const bring = useMutation({
    mutationFn: () => importInventory(bucket, preview.id, mapping, true),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onClose();
    },
  });
  const set = (part: Partial<ColumnMapping>) => {
    setMapping({ ...mapping, ...part });
    read.reset();
  };
  /** What the reading asked for is answered, and it is read again at once. */
  const again = (part: Partial<ColumnMapping>) => {
    const next = { ...mapping, ...part };
    setMapping(next);
    read.mutate(next);
  };
  const columns = preview.columns.map((c) => ({ value: c, label: c }));
  const reading = read.data;
  const wrong = (name: string) =>
    read.error instanceof ApiError ? read.error.problems.find((p) => p.path === `$.${name}`)?.message : undefined;
  return (
    <div className="mt-3">
      <div className="max-h-40 overflow-auto border-y border-hairline">
        <table className="text-sm">
          <thead className="text-left text-ink-soft">
            <tr>
              {preview.columns.map((c) => (
                <th key={c} className="pr-6 font-normal">
                  {c}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {preview.rows.map((row, i) => (
              <tr key={i} className="border-t border-hairline">
                {row.map((cell, c) => (
                  <td key={c} className="max-w-72 truncate pr-6 whitespace-nowrap">
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-3 flex flex-wrap items-start gap-x-6 gap-y-2">
        {fields.map((field) => (
          <Field key={field.name} label={field.label} error={wrong(field.name)}>
            {(ids) => (
              <Select
                {...ids}
                value={mapping[field.name] ?? ""}
                options={field.needed ? columns : [{ value: "", label: "not in the file" }, ...columns]}
                onChange={(e) => set({ [field.name]: e.target.value || null })}
              />
            )}
          </Field>
        ))}
        <Field label="Levels of folders kept" error={wrong("levels")}>
          {(ids) => (
            <NumberInput {...ids} className="w-16" value={mapping.levels ?? 1} onChange={(v) => set({ levels: v ?? 1 })} />
          )}
        </Field>
      </div>
      <div className="mt-3 flex gap-3">
        <Button disabled={read.isPending} onClick={() => read.mutate(mapping)}>
          Read it through
        </Button>
        <Button kind="primary" disabled={!reading || reading.objects === 0 || bring.isPending} onClick={() => bring.mutate()}>
          {reading && reading.brokenRows > 0 ? `Import without the ${count(reading.brokenRows)} broken rows` : "Import"}
        </Button>
        {(read.isPending || bring.isPending) && (
          <span role="status" className="self-center text-ink-soft">
            {read.isPending ? "Reading…" : "Importing…"}
          </span>
        )}
      </div>
      {read.error && !(read.error instanceof ApiError && read.error.problems.length > 0) && <ErrorNote error={read.error} />}
      {bring.error && <ErrorNote error={bring.error} />}
      {reading && (
        <section aria-label="What it comes to" className="mt-4">
          <p>
            {count(reading.rows)} rows: {count(reading.objects)} objects with {bytes(reading.bytes)}, as {count(reading.lots)}{" "}
            lots.
          </p>
          {(reading.ambiguousDates > 0 || mapping.dates != null) && (
            <fieldset className="my-2">
              <legend>Some dates could be read two ways. Which comes first?</legend>
              {(["day-first", "month-first"] as const).map((order) => (
                <label key={order} className="mr-5 inline-flex items-center gap-2">
                  <input type="radio" name="dates" checked={mapping.dates === order} onChange={() => again({ dates: order })} />
                  {order === "day-first" ? "the day: 03/04 is 3 April" : "the month: 03/04 is 4 March"}
                </label>
              ))}
            </fieldset>
          )}
          {(reading.laterDates > 0 || mapping.laterIsToday) && (
            <label className="my-2 flex items-center gap-2">
              <input
                type="checkbox"
                checked={mapping.laterIsToday ?? false}
                onChange={(event) => again({ laterIsToday: event.target.checked })}
              />
              {count(reading.laterDates)} dates lie after the provider's today: count them as today
            </label>
          )}
          {reading.brokenRows > 0 && (
            <div role="alert" className="my-2 border-l-4 border-bad px-3">
              <p>
                {count(reading.brokenRows)} rows are broken.{" "}
                <a href={`/api/inventories/${preview.id}/errors.csv`} download>
                  All of them as CSV
                </a>
              </p>
              <ul className="max-h-32 overflow-y-auto text-sm">
                {reading.errors.map((e) => (
                  <li key={e.row}>
                    Row {count(e.row)}, {e.column} “{e.value}”: {e.message}
                  </li>
                ))}
              </ul>
            </div>
          )}
          <h3 className="mt-3 text-base">Not accessed for</h3>
          <UntouchedTable prefixes={reading.untouched} />
        </section>
      )}
    </div>
  );
}
