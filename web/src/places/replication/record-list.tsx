import { Link } from "react-router";
import type { ProofHead } from "../../api/client";
import { useEstate } from "../../estate-context";
import { instant } from "../../format";

export const kinds: Record<ProofHead["kind"], string> = {
  probe: "probe",
  audit: "comparison",
  "region-lost": "region lost",
  "region-back": "region back",
};

const shown = 12;

/** Dated records of what was proved, newest first. */
export function RecordList({ records }: { records: ProofHead[] }) {
  const { regionName } = useEstate();
  return (
    <section aria-label="Records" className="mt-10">
      <h2 className="text-xl">Records</h2>
      {records.length === 0 && (
        <p className="mt-1 text-ink-soft">Nothing was proved yet. Open a rule to send a probe or to compare both sides.</p>
      )}
      <ul className="mt-1 max-w-5xl">
        {records.slice(0, shown).map((r) => (
          <li key={r.id} className="grid grid-cols-[11rem_8rem_16rem_1fr] gap-x-4 border-t border-hairline py-1.5">
            <Link to={`/replication/records/${r.id}`}>{instant(r.clock)}</Link>
            <span>{kinds[r.kind]}</span>
            <span>{r.target ? `${r.subject} – ${r.target}` : regionName(r.subject)}</span>
            <span className={r.good ? "" : "text-bad"}>{r.summary}</span>
          </li>
        ))}
      </ul>
      {records.length > shown && <p className="text-sm text-ink-soft">And {records.length - shown} older ones.</p>}
    </section>
  );
}
