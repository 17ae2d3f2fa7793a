import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { readPlans, type TargetReading } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { Fill } from "./fill";
import { useTargets } from "./use-backups";
import { kindNames } from "./words";

/** Where backups go: every target with its place, what it holds and costs, and whether it has proved itself. */
export function BackupsPlace() {
  usePageTitle("Backups");
  const targets = useTargets();
  const plans = useQuery({ queryKey: keys.plans, queryFn: readPlans });
  const { regionName, bytes, moneyColumn } = useEstate();
  if (targets.error && !targets.data) return <ErrorPage what="Backups" error={targets.error} />;
  if (!targets.data) return <div className="h-96" />;
  const all = targets.data.value.targets;
  /** What plans' simulated runs need there: expected bytes, without content. */
  const simulated = (target: string) =>
    plans.data?.value.plans
      .flatMap((p) => p.branches)
      .filter((b) => b.target === target && !b.isReal)
      .reduce((sum, b) => sum + b.neededBytes, 0) ?? 0;
  const money = moneyColumn(all.map((t) => t.monthMoney ?? 0));
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-baseline gap-x-6 pt-5">
        <h1 className="text-3xl">Backups</h1>
        <Link to="/plans">Plans</Link>
        <Link to="/calendar">Calendar of points</Link>
        <Link to="/find">Find a file</Link>
        <Link to="/find-mail">Find a mail</Link>
        <Link to="/new-target">New target</Link>
        <Link to="/sizing">Which kind, and how large?</Link>
        <Link to="/credentials">Credentials</Link>
      </div>
      {all.length === 0 && (
        <p className="mt-5 max-w-2xl text-ink-soft">
          There is no backup target yet. A target is a pool that Ripen backs folders up into, a block volume, or cartridges: make
          one, and it proves itself.
        </p>
      )}
      {all.length > 0 && (
        <table className="mt-4 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">target</th>
              <th className="font-normal">lies in</th>
              <th className="font-normal">stands</th>
              <th className="text-right font-normal">stored</th>
              <th className="text-right font-normal">a month</th>
            </tr>
          </thead>
          <tbody>
            {all.map((t) => (
              <tr key={t.target.id} className="border-b border-hairline align-baseline">
                <th scope="row" className="py-2 pr-4 text-left font-serif text-lg font-medium">
                  <Link to={`/backups/${t.target.id}`}>{t.target.name}</Link>
                  <span className="block font-sans text-sm font-normal text-ink-soft">{kindNames[t.target.kind]}</span>
                </th>
                <td className="pr-4">
                  {t.target.bucket ? (
                    <Link to={`/buckets/${t.target.bucket}?in=${encodeURIComponent(t.target.prefix ?? "")}#objects`}>
                      {t.target.bucket}/{t.target.prefix}
                    </Link>
                  ) : (
                    <span className="break-all">{t.target.folder}</span>
                  )}
                  <span className="block text-sm text-ink-soft">{t.region ? regionName(t.region) : "the server's machine"}</span>
                </td>
                <td className="max-w-md pr-4">
                  <Standing target={t} />
                  {t.capacityBytes && !t.wrong && <Fill used={t.storedBytes} of={t.capacityBytes} />}
                </td>
                <td className="text-right">
                  {bytes(t.storedBytes)}
                  {simulated(t.target.id) > 0 && (
                    <span className="block text-sm text-ink-soft">and {bytes(simulated(t.target.id))} simulated</span>
                  )}
                </td>
                <td className="text-right">{t.target.bucket ? money(t.monthMoney ?? 0) : ""}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

/** In a sentence how a target stands: what is wrong first. */
function Standing({ target }: { target: TargetReading }) {
  const failed = target.test?.steps.find((s) => !s.worked);
  if (failed)
    return (
      <span className="block text-bad">
        failed its test: {failed.what}. {failed.why}
      </span>
    );
  if (target.wrong) return <span className="block text-bad">{target.wrong}</span>;
  if (target.job?.running) return <span role="status">{target.job.kind === "run" ? "a run is under way" : "at work"}</span>;
  const isPool = target.target.kind === "bucket" || target.target.kind === "directory";
  if (isPool && target.pool && !target.pool.canOpen)
    return <span className="text-bad">locked: its passphrase is not known here</span>;
  return (
    <span>
      {target.test ? "proved" : "not tested yet"}
      {isPool && !target.pool && ", no pool yet"}
      {target.doubts.length > 0 && <span className="text-ink-soft">; {target.doubts.length} worth knowing</span>}
    </span>
  );
}
