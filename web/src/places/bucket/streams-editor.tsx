import type { Bucket, ObjectStream } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Button, Field, inputLook, NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { SizeField } from "../../ui/size-field";
import type { Edit } from "./use-draft";

type EditorProps = { bucket: Bucket; edit: Edit; problemAt: ProblemAt };

/** What arrives every day, and how that grows. */
export function StreamsEditor({ bucket, edit, problemAt }: EditorProps) {
  const { bytes } = useEstate();
  const streams = bucket.streams ?? [];
  const change = (place: number, part: Partial<ObjectStream>) =>
    edit((b) => ({ ...b, streams: (b.streams ?? []).map((s, i) => (i === place ? { ...s, ...part } : s)) }));
  return (
    <div id="workload">
      <h2 className="text-lg">Ingest</h2>
      {streams.length === 0 && <p className="text-ink-soft">No stream of its own.</p>}
      {streams.map((stream, i) => {
        const at = `$.streams[${i}]`;
        return (
          <fieldset key={i} className="flex flex-wrap items-start gap-x-6 gap-y-2 border-t border-hairline py-2">
            <legend className="sr-only">Stream {i + 1}</legend>
            <Field label="Prefix" error={problemAt(`${at}.prefix`)}>
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-32`}
                  value={stream.prefix ?? ""}
                  placeholder="no prefix"
                  onChange={(e) => change(i, { prefix: e.target.value })}
                />
              )}
            </Field>
            <Field label="Objects a day" error={problemAt(`${at}.objectsPerDay`)}>
              {(ids) => (
                <NumberInput
                  {...ids}
                  className="w-24"
                  digits={6}
                  value={stream.objectsPerDay}
                  onChange={(v) => change(i, { objectsPerDay: orNull(v) })}
                />
              )}
            </Field>
            <SizeField
              label="Bytes per object"
              value={stream.bytesPerObject}
              error={problemAt(`${at}.bytesPerObject`)}
              onChange={(v) => change(i, { bytesPerObject: orNull(v) })}
            />
            <Field label="Growth a year, %" error={problemAt(`${at}.yearlyGrowth`)}>
              {(ids) => (
                <NumberInput
                  {...ids}
                  className="w-20"
                  value={stream.yearlyGrowth == null ? null : Number((stream.yearlyGrowth * 100).toPrecision(12))}
                  onChange={(v) => change(i, { yearlyGrowth: orNull(v === null ? v : v / 100) })}
                />
              )}
            </Field>
            <span className="self-center pt-4 text-sm text-ink-soft">
              {bytes(stream.objectsPerDay * stream.bytesPerObject)} a day now
            </span>
            <Button
              kind="quiet"
              className="ml-auto self-center"
              aria-label={`Remove stream ${i + 1}`}
              onClick={() => edit((b) => ({ ...b, streams: streams.filter((_, k) => k !== i) }))}
            >
              Remove
            </Button>
          </fieldset>
        );
      })}
      <Button
        className="mt-2"
        onClick={() =>
          edit((b) => ({
            ...b,
            streams: [...streams, { prefix: "", objectsPerDay: 100, bytesPerObject: 1_000_000, yearlyGrowth: 0 }],
          }))
        }
      >
        Add a stream
      </Button>
    </div>
  );
}
