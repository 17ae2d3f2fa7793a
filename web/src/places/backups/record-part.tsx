import { useQuery } from "@tanstack/react-query";
import { type RestoreRecord, readRestoreRecords, restoreRecordsFile } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";

/** So many are shown; the file has all. */
const shown = 12;

/** What was restored and rehearsed from a target, newest first. */
export function RecordPart({ id, stamp }: { id: string; stamp: string }) {
  const records = useQuery({
    queryKey: [...keys.restoreRecords(id), stamp],
    queryFn: () => readRestoreRecords(id),
    placeholderData: (p) => p,
  });
  const all = records.data ?? [];
  if (all.length === 0) return null;
  return (
    <section aria-label="Restored and rehearsed">
      <h2 className="text-xl">Restored and rehearsed</h2>
      <table className="mt-1 w-full">
        <thead className="text-left text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 font-normal">begun</th>
            <th className="font-normal">what</th>
            <th className="text-right font-normal">bytes</th>
            <th className="text-right font-normal">took</th>
            <th className="pl-4 font-normal">how it went</th>
          </tr>
        </thead>
        <tbody>
          {all.slice(0, shown).map((r) => (
            <RecordLine key={`${r.at} ${r.point}`} record={r} />
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-sm">
        <a href={`${restoreRecordsFile}?target=${encodeURIComponent(id)}`} download>
          {all.length > shown ? `All ${count(all.length, 0)} as CSV` : "As CSV"}
        </a>
      </p>
    </section>
  );
}

function RecordLine({ record: r }: { record: RestoreRecord }) {
  const { bytes } = useEstate();
  return (
    <tr className="border-b border-hairline align-baseline">
      <th scope="row" className="py-1 pr-3 text-left font-normal">
        <span className="whitespace-nowrap">{moment(r.at)}</span>
        <span className="block text-sm text-ink-soft">
          {r.by}, on the provider's {day(r.day)}
        </span>
      </th>
      <td className="pr-3">
        {r.kind === "rehearsal" ? "rehearsal" : "restore"}, {r.workload}
        <span className="block text-sm break-words text-ink-soft">
          {r.under && `${r.under}, `}as of {moment(r.taken)}
          {r.into && ` into ${r.into}`}
        </span>
      </td>
      <td className="text-right whitespace-nowrap">{bytes(r.bytes)}</td>
      <td className="pl-3 text-right whitespace-nowrap">{count(r.seconds, 1)} s</td>
      <td className="pl-4">
        {r.error ? (
          <span className="text-bad">✕ {r.error}</span>
        ) : r.problems > 0 ? (
          <span className="text-bad">✕ {count(r.problems, 0)} did not come back</span>
        ) : (
          <span className="text-good">✓ {r.kind === "rehearsal" ? "every byte compared" : "read back and compared"}</span>
        )}
      </td>
    </tr>
  );
}
