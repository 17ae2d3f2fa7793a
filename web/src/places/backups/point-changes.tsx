import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type DifferenceReading, fileOfPoint, type PointReading, readDifferences } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, moment } from "../../format";
import { useAddress } from "../../ui/address";
import { Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";

type ChangesProps = { id: string; point: PointReading; earlier: PointReading[]; folder: string };

/** What the point has otherwise than an earlier one of its workload (?since=), in the folder that is open. */
export function PointChanges({ id, point, earlier, folder }: ChangesProps) {
  const { bytes } = useEstate();
  const { params, set } = useAddress();
  const since = earlier.find((p) => p.id === params.get("since"));
  const changes = useQuery({
    queryKey: keys.differences(id, point.id, since?.id ?? "", folder),
    queryFn: ({ signal }) => readDifferences(id, point.id, since?.id ?? "", folder, signal),
    enabled: since !== undefined,
    placeholderData: keepPreviousData,
  });
  const shown = since && changes.data;
  return (
    <section aria-label="What changed" className="mt-6">
      <h3 className="text-lg">What changed</h3>
      <Field label={folder === "" ? "Compared with" : `${folder} compared with`}>
        {(ids) => (
          <Select
            {...ids}
            value={since?.id ?? ""}
            options={[
              { value: "", label: "choose an earlier point" },
              ...earlier.map((p) => ({ value: p.id, label: moment(p.taken) })),
            ]}
            onChange={(e) => set("since", e.target.value || null)}
          />
        )}
      </Field>
      {changes.error && <ErrorNote error={changes.error} />}
      {shown && (
        <>
          <p role="status" className="mt-2">
            {count(shown.added)} added, {count(shown.removed)} removed, {count(shown.changed)} changed
            {shown.grownBytes !== 0 && (
              <>
                ; {bytes(Math.abs(shown.grownBytes))} {shown.grownBytes > 0 ? "more" : "less"}
              </>
            )}
            .
          </p>
          {shown.differences.length > 0 && (
            <table className="mt-1 w-full">
              <thead className="text-left text-sm text-ink-soft">
                <tr className="border-b border-hairline-strong">
                  <th className="py-1 font-normal">path</th>
                  <th className="font-normal">is</th>
                  <th className="text-right font-normal">then</th>
                  <th className="text-right font-normal">in this point</th>
                </tr>
              </thead>
              <tbody>
                {shown.differences.map((d) => (
                  <ChangeLine key={d.path} id={id} change={d} since={since.id} point={point.id} />
                ))}
              </tbody>
            </table>
          )}
          {shown.differences.length < shown.added + shown.removed + shown.changed && (
            <p className="text-sm text-ink-soft">And more: open a folder to see what changed in it.</p>
          )}
        </>
      )}
    </section>
  );
}

type LineProps = { id: string; change: DifferenceReading; since: string; point: string };

/** A file can be taken as it was in either point. */
function ChangeLine({ id, change, since, point }: LineProps) {
  const { bytes } = useEstate();
  const side = (name: DifferenceReading["before"], from: string, when: string) =>
    name == null ? (
      "–"
    ) : name.kind === "file" ? (
      <a href={fileOfPoint(id, from, change.path)} download aria-label={`${bytes(name.bytes)}, ${change.path} ${when}`}>
        {bytes(name.bytes)}
      </a>
    ) : (
      name.kind
    );
  return (
    <tr className="border-b border-hairline">
      <th scope="row" className="py-1 text-left font-normal break-all">
        {change.path}
      </th>
      <td className="pr-4 pl-2">{change.before == null ? "added" : change.after == null ? "removed" : "changed"}</td>
      <td className="text-right whitespace-nowrap">{side(change.before, since, "then")}</td>
      <td className="pl-4 text-right whitespace-nowrap">{side(change.after, point, "in this point")}</td>
    </tr>
  );
}
