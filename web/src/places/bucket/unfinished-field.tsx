import type { Bucket } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { Field, NumberInput, Select } from "../../ui/controls";
import { orEmpty } from "../../ui/number-text";
import type { Edit } from "./use-draft";

type EditorProps = { bucket: Bucket; edit: Edit; problemAt: ProblemAt };

const usual = 7;

/** When what came of an upload goes that nobody completes. */
export function UnfinishedField({ bucket, edit, problemAt }: EditorProps) {
  const days = bucket.unfinishedUploadDays;
  const set = (unfinishedUploadDays: number | null) => edit((b) => ({ ...b, unfinishedUploadDays }));
  return (
    <div id="unfinished">
      <h2 className="text-lg">Uploads that nobody completes</h2>
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
        <Field
          label="What has come of them"
          hint={
            days == null
              ? "It costs what objects in the landing tier cost, for as long as it lies there."
              : "Until then their sender can go on; it costs what objects in the landing tier cost."
          }
        >
          {(ids) => (
            <Select
              {...ids}
              value={days == null ? "stays" : "goes"}
              options={[
                { value: "stays", label: "stays until somebody discards it" },
                { value: "goes", label: "is removed" },
              ]}
              onChange={(e) => set(e.target.value === "goes" ? usual : null)}
            />
          )}
        </Field>
        {days != null && (
          <Field label="Days after the last byte" error={problemAt("$.unfinishedUploadDays")}>
            {(ids) => <NumberInput {...ids} className="w-24" value={days} onChange={(v) => set(orEmpty(v))} />}
          </Field>
        )}
      </div>
    </div>
  );
}
