import type { Assumption, PlanDraft } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { YearTable } from "../../money/year-table";
import { Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { DoubtList } from "./doubt-list";
import { duration, verdictWords } from "./plan-words";
import { Mark } from "./verdict-mark";

type Named = { id: string; name: string };

type PanelProps = {
  draft: PlanDraft | undefined;
  error: Error | null;
  changed: boolean;
  /** What opens the cost afterwards, while it is that of the draft. */
  assume: Assumption[] | undefined;
  pools: Named[];
  workloads: Named[];
};

/** What follows from the plan as it is written: points, run times, money, judgements before and after. */
export function PlanOutlookPanel({ draft, error, changed, assume, pools, workloads }: PanelProps) {
  const { bytes } = useEstate();
  const nameOf = (of: Named[], id: string) => of.find((n) => n.id === id)?.name ?? id;
  const outlook = draft?.outlook;
  return (
    <aside aria-label="Consequences" className="border-l border-hairline pl-6">
      <h2 className="text-xl">{changed ? "What would follow" : "What follows"}</h2>
      {error && <ErrorNote error={error} />}
      {draft && draft.problems.length > 0 && (
        <ul className="mt-2 space-y-1 text-bad">
          {draft.problems.map((p) => (
            <li key={p.path + p.code}>{p.message}</li>
          ))}
        </ul>
      )}
      {outlook && draft.problems.length === 0 && (
        <>
          <table className="mt-2 w-full text-right text-sm">
            <caption className="mb-1 text-left font-serif text-base">Points and runs of a year</caption>
            <thead className="text-ink-soft">
              <tr className="border-b border-hairline">
                <th className="text-left font-normal">of, in</th>
                <th className="pl-3 font-normal">taken</th>
                <th className="pl-3 font-normal">there then</th>
                <th className="pl-3 font-normal">first run</th>
                <th className="pl-3 font-normal">later ones</th>
              </tr>
            </thead>
            <tbody>
              {outlook.branches.map((b) => (
                <tr key={`${b.target} ${b.workload}`} className="border-b border-hairline align-baseline">
                  <th scope="row" className="text-left font-normal">
                    {nameOf(workloads, b.workload)}
                    <span className="block text-ink-soft">
                      {nameOf(pools, b.target)}
                      {b.carriedBy != null && `, by ${b.carriedBy}`}
                    </span>
                  </th>
                  <td>{count(b.pointsAYear, 0)}</td>
                  <td>
                    {count(b.pointsThen, 0)}
                    <span className="block text-ink-soft">{bytes(b.neededBytesThen)}</span>
                  </td>
                  <td>
                    {b.firstRunBytes == null ? "–" : <Figure projected>{bytes(b.firstRunBytes)}</Figure>}
                    {b.firstRunSeconds != null && <span className="block text-ink-soft">{duration(b.firstRunSeconds)}</span>}
                  </td>
                  <td>
                    {b.laterRunBytes == null ? "–" : <Figure projected>{bytes(b.laterRunBytes)}</Figure>}
                    {b.laterRunSeconds != null && <span className="block text-ink-soft">{duration(b.laterRunSeconds)}</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="mt-5">
            <YearTable
              caption={changed ? "The whole estate's cost, before and after" : "The whole estate's cost"}
              cost={outlook.cost}
              of="estate"
              changed={changed}
              opens={{}}
              assume={assume}
            />
          </div>
          <table className="mt-5 w-full text-sm">
            <caption className="mb-1 text-left font-serif text-base">A year from now</caption>
            <thead className="text-left text-ink-soft">
              <tr className="border-b border-hairline">
                <th className="font-normal">workload</th>
                <th className="font-normal">RPO</th>
                <th className="font-normal">RTO</th>
                <th className="font-normal">3-2-1</th>
              </tr>
            </thead>
            <tbody>
              {outlook.judgedAfter.map((j, i) => {
                const before = outlook.judgedBefore[i];
                return (
                  <tr key={j.workload} className="border-b border-hairline align-baseline">
                    <th scope="row" className="text-left font-normal">
                      {nameOf(workloads, j.workload)}
                    </th>
                    {(["rpo", "rto", "threeTwoOne"] as const).map((of) => (
                      <td key={of}>
                        <Mark verdict={j[of]} />
                        {before && before[of] !== j[of] && (
                          <span className="block text-ink-soft">before: {verdictWords[before[of]]}</span>
                        )}
                      </td>
                    ))}
                  </tr>
                );
              })}
            </tbody>
          </table>
          <DoubtList doubts={outlook.doubts} bucket={null} />
        </>
      )}
    </aside>
  );
}
