import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { readPlans, readWorkloads, type Workload, type WorkloadJudgement, type WorkloadProof } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";
import { useAsOf } from "../../rail/as-of";
import { Button, Figure } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { CarrierPart } from "./carrier-part";
import { PeriodPart } from "./period-part";
import { cadenceWords, hours, planName, retentionWords, sourceWords, timesWords } from "./plan-words";
import { useTargets } from "./use-backups";
import { Mark } from "./verdict-mark";
import { WorkloadForm } from "./workload-form";

/** What is protected and whether it is, on the as-of day, and the plans that see to it. */
export function PlansPlace() {
  usePageTitle("Backup plans");
  const { estate, bytes } = useEstate();
  const { day: asOf, projected } = useAsOf(estate.months);
  const on = projected ? asOf : null;
  const workloads = useQuery({ queryKey: keys.workloads(on), queryFn: () => readWorkloads(on) });
  const plans = useQuery({ queryKey: keys.plans, queryFn: readPlans });
  const targets = useTargets();
  const [typing, setTyping] = useState<Workload | "new" | null>(null);
  const error = workloads.error ?? plans.error;
  if (error && !(workloads.data && plans.data)) return <ErrorPage what="Backup plans" error={error} />;
  if (!workloads.data || !plans.data || !targets.data) return <div className="h-96" />;
  const { workloads: all, judgements, proofs } = workloads.data.value;
  const targetName = (id: string) => targets.data?.value.targets.find((t) => t.target.id === id)?.target.name ?? id;
  const workloadName = (id: string) => all.find((w) => w.id === id)?.name ?? id;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-baseline gap-x-6 pt-5">
        <h1 className="text-3xl">Backup plans</h1>
        <Link to="/plans/new">New plan</Link>
        <Link to="/calendar">Calendar of points</Link>
        <Link to="/evidence">Evidence, to print</Link>
        <Link to="/backups">Targets</Link>
      </div>

      <section aria-label="Workloads" className="mt-5">
        <div className="flex flex-wrap items-baseline gap-x-6">
          <h2 className="text-xl">What is protected, {projected ? `as it will stand on ${day(asOf)}` : "and how it stands"}</h2>
          <Button kind="quiet" onClick={() => setTyping("new")}>
            Add a workload
          </Button>
        </div>
        {typing && (
          <WorkloadForm
            key={typing === "new" ? "" : typing.id}
            workload={typing === "new" ? null : typing}
            etag={workloads.data.etag}
            planned={typing !== "new" && plans.data.value.plans.some((p) => p.plan.workloads.includes(typing.id))}
            onClose={() => setTyping(null)}
          />
        )}
        {all.length === 0 ? (
          <p className="mt-2 max-w-2xl text-ink-soft">
            Nothing is named yet. A workload is what a plan protects: how large it is, how much of it changes, and how much of it
            may be lost for how long.
          </p>
        ) : (
          <table className="mt-1 w-full">
            <thead className="text-left text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 font-normal">workload</th>
                <th className="text-right font-normal">content</th>
                <th className="pl-6 font-normal">recovery point (RPO)</th>
                <th className="font-normal">recovery time (RTO)</th>
                <th className="font-normal">3-2-1</th>
                <th className="font-normal">proved</th>
                <th className="text-right font-normal">points</th>
              </tr>
            </thead>
            <tbody>
              {all.map((w, i) => {
                const judged = judgements[i] as WorkloadJudgement;
                return (
                  <tr key={w.id} className="border-b border-hairline align-baseline">
                    <th scope="row" className="py-2 pr-4 text-left font-serif text-lg font-medium">
                      {w.name}
                      <Button
                        kind="quiet"
                        className="font-sans text-sm"
                        aria-label={`Change ${w.name}`}
                        onClick={() => setTyping(w)}
                      >
                        Change
                      </Button>
                    </th>
                    <td className="text-right whitespace-nowrap">
                      {bytes(w.bytes)}
                      {w.source && (
                        <span className="block max-w-40 truncate text-sm text-ink-soft" title={sourceWords(w.source)}>
                          {sourceWords(w.source)}
                        </span>
                      )}
                    </td>
                    <td className="pr-4 pl-6">
                      <Mark verdict={judged.rpo} />
                      <span className="block text-sm text-ink-soft">
                        {judged.largestGapHours == null ? (
                          "no point at all"
                        ) : (
                          <>
                            at most <Figure projected={projected}>{hours(judged.largestGapHours)}</Figure> apart
                            {w.rpoHours != null && ` of ${hours(w.rpoHours)}`}
                          </>
                        )}
                      </span>
                    </td>
                    <td className="pr-4">
                      <Mark verdict={judged.rto} />
                      <span className="block text-sm text-ink-soft">
                        {judged.restoreHours == null ? (
                          "nothing to restore"
                        ) : (
                          <>
                            <Figure projected={projected}>{hours(judged.restoreHours)}</Figure>
                            {w.rtoHours != null && ` of ${hours(w.rtoHours)}`}, from {targetName(judged.restoreFrom ?? "")}
                          </>
                        )}
                      </span>
                    </td>
                    <td className="pr-4">
                      <Mark verdict={judged.threeTwoOne} />
                      <span className="block text-sm text-ink-soft">
                        {judged.copies} {judged.copies === 1 ? "copy" : "copies"}, {judged.kinds}{" "}
                        {judged.kinds === 1 ? "kind" : "kinds"} of media, {judged.elsewhere} elsewhere
                      </span>
                    </td>
                    <td className="pr-4">
                      <Proved proof={proofs[i] as WorkloadProof} />
                    </td>
                    <td className="text-right">
                      <Figure projected={projected}>{count(judged.points, 0)}</Figure>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </section>

      <section aria-label="Plans" className="mt-8">
        <h2 className="text-xl">Plans</h2>
        {plans.data.value.plans.length === 0 ? (
          <p className="mt-2 max-w-2xl text-ink-soft">
            There is no plan yet. <Link to="/plans/new">Make one</Link>: what is protected, where to, how often and how long; it
            shows what follows before it begins.
          </p>
        ) : (
          <table className="mt-1 w-full">
            <thead className="text-left text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 font-normal">plan</th>
                <th className="font-normal">protects</th>
                <th className="font-normal">how often, how long</th>
                <th className="font-normal">newest point</th>
                <th className="text-right font-normal">points</th>
                <th className="text-right font-normal">need</th>
              </tr>
            </thead>
            <tbody>
              {plans.data.value.plans.map(({ plan, branches, missed }) => (
                <tr key={plan.id} className="border-b border-hairline align-baseline">
                  <th scope="row" className="py-2 pr-4 text-left font-serif text-lg font-medium">
                    <Link to={`/plans/${plan.id}`}>{planName(plan)}</Link>
                    {plan.paused && <span className="block font-sans text-sm font-normal text-bad">paused</span>}
                    {missed > 0 && (
                      <span className="block font-sans text-sm font-normal text-bad">
                        {missed} {missed === 1 ? "run" : "runs"} missed in 30 days
                      </span>
                    )}
                  </th>
                  <td className="pr-4">{plan.workloads.map(workloadName).join(", ")}</td>
                  <td className="pr-4">
                    {[{ target: plan.target, every: plan.every, keep: plan.keep }, ...(plan.copies ?? [])].map((to) => (
                      <span key={to.target} className="block">
                        {cadenceWords(to.every ?? plan.every)}
                        {timesWords(plan)} to <Link to={`/backups/${to.target}`}>{targetName(to.target)}</Link>,{" "}
                        {retentionWords(to.keep)}
                      </span>
                    ))}
                  </td>
                  <td className="pr-4 whitespace-nowrap">
                    {newest(branches.map((b) => b.newest)) ?? <span className="text-ink-soft">none yet</span>}
                  </td>
                  <td className="text-right">
                    {count(
                      branches.reduce((n, b) => n + b.points, 0),
                      0,
                    )}
                  </td>
                  <td className="pl-4 text-right whitespace-nowrap">{bytes(branches.reduce((n, b) => n + b.neededBytes, 0))}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </section>

      <PeriodPart />
      <CarrierPart />
    </div>
  );
}

/** Whether its restore was rehearsed in the last 90 days; what is overdue is said aloud. */
function Proved({ proof }: { proof: WorkloadProof }) {
  return (
    <>
      <Mark verdict={proof.verdict} />
      <span className="block text-sm text-ink-soft">
        {!proof.newest ? (
          "never rehearsed"
        ) : proof.verdict === "met" ? (
          `rehearsed on ${day(proof.newest.day)}`
        ) : (
          <span className="text-bad">last rehearsed on {day(proof.newest.day)}: more than 90 days ago</span>
        )}
      </span>
    </>
  );
}

const newest = (days: (string | null | undefined)[]) => {
  const last = days
    .filter((d) => d != null)
    .sort()
    .at(-1);
  return last ? day(last) : null;
};
