import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readRuns } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";
import { duration } from "./plan-words";

type Named = { id: string; name: string };

/** The plan's last runs, newest first: what each stored of what it protects, drawn and said. */
export function RunTable({ plan, pools, workloads }: { plan: string; pools: Named[]; workloads: Named[] }) {
  const { bytes } = useEstate();
  const runs = useQuery({ queryKey: keys.runs(plan), queryFn: () => readRuns(plan) });
  if (!runs.data) return null;
  const name = (of: Named[], id: string) => of.find((n) => n.id === id)?.name ?? id;
  const most = Math.max(1, ...runs.data.map((r) => r.storedBytes));
  return (
    <section aria-label="Runs" className="mt-10 max-w-5xl">
      <h2 className="text-xl">Runs</h2>
      {runs.data.length === 0 ? (
        <p className="mt-1 text-ink-soft">None was done yet: runs are done by the provider's clock.</p>
      ) : (
        <table className="mt-1 w-full text-right">
          <thead className="text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">day</th>
              <th className="text-left font-normal">of</th>
              <th className="text-left font-normal">in</th>
              <th className="font-normal">protected</th>
              <th className="font-normal">stored</th>
              <th className="w-40 pl-4 font-normal">
                <span className="sr-only">stored, as a picture</span>
              </th>
              <th className="font-normal">to one</th>
              <th className="font-normal">took</th>
            </tr>
          </thead>
          <tbody>
            {runs.data.map((r) => (
              <tr key={r.id} className="border-b border-hairline">
                <td className="py-1 text-left">{r.at == null ? day(r.day) : moment(r.at)}</td>
                <td className="text-left">{name(workloads, r.workload)}</td>
                <td className="text-left">
                  {r.point == null ? (
                    name(pools, r.target)
                  ) : (
                    <Link to={`/backups/${r.target}?point=${r.point}`}>{name(pools, r.target)}</Link>
                  )}
                </td>
                {r.missed != null ? (
                  <td colSpan={5} className="text-left text-bad">
                    missed: {r.missed}
                  </td>
                ) : (
                  <>
                    <td>{bytes(r.logicalBytes)}</td>
                    <td>{bytes(r.storedBytes)}</td>
                    <td className="pl-4">
                      <span
                        aria-hidden="true"
                        className="block h-2 bg-ink-soft"
                        style={{ width: `${Math.max(1, (100 * r.storedBytes) / most)}%` }}
                      />
                    </td>
                    <td>{r.storedBytes > 0 ? `${count(r.logicalBytes / r.storedBytes, 1)} : 1` : "–"}</td>
                    <td>{r.seconds == null ? "–" : duration(r.seconds)}</td>
                  </>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
