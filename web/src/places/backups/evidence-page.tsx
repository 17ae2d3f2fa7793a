import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { readWorkloads, type Verdict, type Workload, type WorkloadJudgement, type WorkloadProof } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";
import { useAsOf } from "../../rail/as-of";
import { Button } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { duration, hours } from "./plan-words";
import { useTargets } from "./use-backups";
import { Mark } from "./verdict-mark";
import { kindNames } from "./words";

/** For somebody who does not take a mark's word for it: each workload's marks on the as-of day, and what each of them rests on. */
export function EvidencePage() {
  usePageTitle("Evidence");
  const { estate } = useEstate();
  const { day: asOf, projected } = useAsOf(estate.months);
  const on = projected ? asOf : null;
  const workloads = useQuery({ queryKey: keys.workloads(on), queryFn: () => readWorkloads(on) });
  if (workloads.error && !workloads.data) return <ErrorPage what="Evidence" error={workloads.error} />;
  if (!workloads.data) return <div className="h-96" />;
  const { workloads: all, judgements, proofs, today } = workloads.data.value;
  return (
    <div className="max-w-5xl px-6 pb-24">
      <p className="pt-5 print:hidden">
        <Link to="/plans">Backup plans</Link>
      </p>
      <div className="flex flex-wrap items-baseline gap-x-6">
        <h1 className="text-3xl">Are we protected as agreed?</h1>
        <span className="print:hidden">
          <Button onClick={() => window.print()}>Print</Button>
        </span>
      </div>
      <p className="mt-1 text-ink-soft">
        {projected
          ? `Projected for ${day(asOf)} from what stood on ${day(today)}: nobody has seen that day yet.`
          : `On the morning of ${day(today)}, from runs that were done and rehearsals that were held.`}{" "}
        Points count that plans took; what was backed up by hand is told on its target's page.
      </p>
      {all.length === 0 && <p className="mt-4">No workload is named yet.</p>}
      {all.map((w, i) => (
        <Evidence
          key={w.id}
          workload={w}
          judged={judgements[i] as WorkloadJudgement}
          proof={proofs[i] as WorkloadProof}
          projected={projected}
        />
      ))}
    </div>
  );
}

type EvidenceProps = { workload: Workload; judged: WorkloadJudgement; proof: WorkloadProof; projected: boolean };

function Evidence({ workload: w, judged, proof, projected }: EvidenceProps) {
  const { bytes, regionName, money } = useEstate();
  const targets = useTargets().data?.value.targets ?? [];
  const holding = judged.targets.flatMap((id) => targets.find((t) => t.target.id === id) ?? []);
  const nameOf = (id: string) => targets.find((t) => t.target.id === id)?.target.name ?? id;
  const agreed = (n: number | null | undefined) => (n == null ? "nothing agreed" : `at most ${hours(n)}`);
  const none = judged.points === 0;
  const seals: Verdict = judged.sealed > 0 ? "met" : "not-agreed";
  const record = proof.newest;
  return (
    <section aria-label={w.name} className="mt-8 break-inside-avoid">
      <h2 className="text-xl">{w.name}</h2>
      <p className="text-sm text-ink-soft">
        {bytes(w.bytes)} in {regionName(w.region)};{" "}
        {none
          ? "no point of any plan"
          : `${count(judged.points, 0)} points in ${holding
              .map((t) => `${t.target.name} (${kindNames[t.target.kind]}, ${where(t.region, regionName)})`)
              .join("; ")}`}
      </p>
      <table className="mt-2 w-full">
        <thead className="sr-only">
          <tr>
            <th>what</th>
            <th>mark</th>
            <th>agreed</th>
            <th>evidence</th>
          </tr>
        </thead>
        <tbody>
          <Line name="Recovery point (RPO)" verdict={judged.rpo} agreed={agreed(w.rpoHours)} projected={projected}>
            {judged.largestGapHours == null
              ? "there is no point at all"
              : `the largest gap between points is ${hours(judged.largestGapHours)}; the newest is ${hours(judged.newestHours ?? 0)} old`}
          </Line>
          <Line name="Recovery time (RTO)" verdict={judged.rto} agreed={agreed(w.rtoHours)} projected={projected}>
            {judged.restoreHours == null
              ? "there is nothing to restore"
              : `the newest point is back in ${hours(judged.restoreHours)} from ${nameOf(judged.restoreFrom ?? "")}, waits and reading at ordinary speed counted`}
          </Line>
          <Line
            name="3-2-1"
            verdict={judged.threeTwoOne}
            agreed="3 copies, 2 kinds of media, 1 elsewhere (common practice)"
            projected={projected}
          >
            {judged.copies} {judged.copies === 1 ? "copy" : "copies"} with the workload itself, {judged.kinds}{" "}
            {judged.kinds === 1 ? "kind" : "kinds"} of media, {judged.elsewhere} in another region
          </Line>
          <Line name="Sealed" verdict={seals} agreed="points that nobody can delete" projected={projected}>
            {none
              ? "there is no point to seal"
              : `${count(judged.sealed, 0)} of ${count(judged.points, 0)} points lie sealed on that day`}
          </Line>
          <Line
            name="Its region lost"
            verdict={judged.elsewhere > 0 ? "met" : "missed"}
            agreed="a point in another region"
            projected={projected}
          >
            {none
              ? "there is no point to be left"
              : judged.elsewhere > 0
                ? `points in ${judged.elsewhere} ${judged.elsewhere === 1 ? "target" : "targets"} elsewhere would be left`
                : "no point lies in another region"}
            {judged.onlyRegion != null && `; every point lies in ${regionName(judged.onlyRegion)}, and would go with it`}
          </Line>
          <Line name="Proved" verdict={proof.verdict} agreed="a rehearsal in the last 90 days" projected={projected}>
            {record == null
              ? "it was never rehearsed"
              : `on ${day(record.day)} ${record.by} had the point of ${moment(record.taken)} from ${nameOf(record.target)} read whole: ` +
                `${bytes(record.bytes)} compared in ${duration(record.seconds)}` +
                `${record.money == null ? "" : `, for ${money(record.money)}`}, recorded at ${moment(record.at)}`}
          </Line>
        </tbody>
      </table>
    </section>
  );
}

const where = (region: string | null | undefined, name: (id: string) => string) =>
  region ? name(region) : "the server's machine";

type LineProps = { name: string; verdict: Verdict; agreed: string; projected: boolean; children: ReactNode };

function Line({ name, verdict, agreed, projected, children }: LineProps) {
  return (
    <tr className="border-b border-hairline align-baseline">
      <th scope="row" className="w-44 py-1 pr-4 text-left font-normal">
        {name}
      </th>
      <td className="w-32 pr-4 whitespace-nowrap">
        <Mark verdict={verdict} />
      </td>
      <td className="w-64 pr-4 text-sm text-ink-soft">{agreed}</td>
      <td className={projected ? "italic" : ""}>{children}</td>
    </tr>
  );
}
