import type { Bucket, ReadBand } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { Button, Field, NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import type { Edit } from "./use-draft";

type EditorProps = { bucket: Bucket; edit: Edit; problemAt: ProblemAt };

/** The reading habit: from which age on, what share of the objects is read every day. */
export function ReadsEditor({ bucket, edit, problemAt }: EditorProps) {
  const reads = bucket.reads ?? [];
  const change = (place: number, part: Partial<ReadBand>) =>
    edit((b) => ({ ...b, reads: (b.reads ?? []).map((r, i) => (i === place ? { ...r, ...part } : r)) }));
  return (
    <div>
      <h2 className="text-lg">Access pattern</h2>
      {reads.length === 0 && <p className="text-ink-soft">Nobody reads it.</p>}
      {reads.map((band, i) => (
        <fieldset key={i} className="flex flex-wrap items-start gap-x-4 border-t border-hairline py-1.5">
          <legend className="sr-only">Reading habit {i + 1}</legend>
          <Field label="From day" error={problemAt(`$.reads[${i}].fromAge`)}>
            {(ids) => (
              <NumberInput {...ids} className="w-20" value={band.fromAge} onChange={(v) => change(i, { fromAge: orNull(v) })} />
            )}
          </Field>
          <Field label="% of the objects a day" error={problemAt(`$.reads[${i}].shareOfObjectsPerDay`)}>
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-24"
                value={band.shareOfObjectsPerDay == null ? null : Number((band.shareOfObjectsPerDay * 100).toPrecision(12))}
                onChange={(v) => change(i, { shareOfObjectsPerDay: orNull(v === null ? v : v / 100) })}
              />
            )}
          </Field>
          <Button
            kind="quiet"
            className="self-center"
            aria-label={`Remove reading habit ${i + 1}`}
            onClick={() => edit((b) => ({ ...b, reads: reads.filter((_, k) => k !== i) }))}
          >
            Remove
          </Button>
        </fieldset>
      ))}
      <Button
        className="mt-2"
        onClick={() =>
          edit((b) => ({
            ...b,
            reads: [
              ...reads,
              { fromAge: reads.length ? Math.max(...reads.map((r) => r.fromAge)) + 30 : 0, shareOfObjectsPerDay: 0.01 },
            ],
          }))
        }
      >
        Add a reading habit
      </Button>
    </div>
  );
}
