import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import {
  type BackupPlan,
  type PlannedRehearsal,
  readPlannedPoints,
  readRestoreEstimates,
  readRuns,
  rehearsePlanned,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day } from "../../format";
import { TermTable } from "../../money/priced-terms";
import { useAddress } from "../../ui/address";
import { ConfirmButton } from "../../ui/confirm-button";
import { Field, inputLook, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { done } from "../../ui/toasts";
import { hours } from "./plan-words";

type Named = { id: string; name: string; source?: unknown };

/** What a restore of one of the plan's points takes and costs, at every speed, today or on a day to come. */
export function RestorePart({ plan, pools, workloads }: { plan: BackupPlan; pools: Named[]; workloads: Named[] }) {
  const { estate, prices, bytes, moneyColumn } = useEstate();
  const { params, set } = useAddress();
  const on = params.get("on");
  const workload = params.get("workload") ?? plan.workloads[0] ?? "";
  const target = params.get("target") ?? plan.target;
  const to = params.get("to");
  const points = useQuery({
    queryKey: keys.plannedPoints(on),
    queryFn: () => readPlannedPoints(on),
    placeholderData: keepPreviousData,
  });
  const own = (points.data ?? []).filter((p) => p.plan === plan.id && p.workload === workload && p.target === target);
  const asked = params.get("taken");
  // The nearest before the day that was asked for.
  const taken = own.findLast((p) => asked === null || p.taken <= asked)?.taken ?? own.at(0)?.taken;
  const order = taken ? { plan: plan.id, workload, target, taken, ...(on && { on }), ...(to && { to }) } : null;
  const estimates = useQuery({
    queryKey: keys.restoreEstimates(order),
    queryFn: () => readRestoreEstimates(order as NonNullable<typeof order>),
    enabled: order !== null,
    placeholderData: keepPreviousData,
  });
  const runs = useQuery({ queryKey: keys.runs(plan.id), queryFn: () => readRuns(plan.id) });
  const isReal = workloads.find((w) => w.id === workload)?.source != null;
  const point = runs.data?.find((r) => r.workload === workload && r.target === target && r.day === taken)?.point;
  const queries = useQueryClient();
  const rehearse = useMutation({
    mutationFn: (what: PlannedRehearsal) => rehearsePlanned(what),
    onSuccess: async (record) => {
      await queries.invalidateQueries({ queryKey: keys.plans });
      done(`Rehearsed: every byte compared, in ${hours(record.seconds / 3600)}.`);
    },
  });
  const ordinary = estimates.data?.[0]?.estimate;
  const name = (of: Named[], id: string) => of.find((n) => n.id === id)?.name ?? id;
  const money = moneyColumn((estimates.data ?? []).map((e) => e.estimate.money));
  const why = params.get("why");
  const opened = order && estimates.data?.find((e) => (e.speed ?? "") === why && e.estimate.terms.length > 0);
  const targets = [...new Set([plan.target, ...(plan.copies ?? []).map((c) => c.target)])];
  return (
    <section id="restore" aria-label="What a restore takes" className="mt-10 max-w-4xl">
      <h2 className="text-xl">What a restore takes</h2>
      <div className="mt-2 flex flex-wrap gap-x-6 gap-y-2">
        <Field label="Of">
          {(ids) => (
            <Select
              {...ids}
              value={workload}
              options={plan.workloads.map((w) => ({ value: w, label: name(workloads, w) }))}
              onChange={(e) => set("workload", e.target.value)}
            />
          )}
        </Field>
        <Field label="From">
          {(ids) => (
            <Select
              {...ids}
              value={target}
              options={targets.map((t) => ({ value: t, label: name(pools, t) }))}
              onChange={(e) => set("target", e.target.value)}
            />
          )}
        </Field>
        <Field label="As of" hint={taken ? `nearest before: ${day(taken)}` : "no point is there"}>
          {(ids) => (
            <input
              {...ids}
              type="date"
              className={inputLook}
              value={asked ?? taken ?? ""}
              onChange={(e) => set("taken", e.target.value || null)}
            />
          )}
        </Field>
        <Field label="Restored on">
          {(ids) => (
            <input
              {...ids}
              type="date"
              min={estate.today}
              className={inputLook}
              value={on ?? estate.today}
              onChange={(e) => set("on", e.target.value > estate.today ? e.target.value : null)}
            />
          )}
        </Field>
        <Field label="Into">
          {(ids) => (
            <Select
              {...ids}
              value={to ?? ""}
              options={[{ value: "", label: "where it lies" }, ...prices.regions.map((r) => ({ value: r.id, label: r.name }))]}
              onChange={(e) => set("to", e.target.value || null)}
            />
          )}
        </Field>
      </div>
      {estimates.error && <ErrorNote error={estimates.error} />}
      {order && estimates.data && (
        <table className="mt-3 w-full text-right">
          <thead className="text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">at this speed</th>
              <th className="font-normal">gives back</th>
              <th className="font-normal">is read</th>
              <th className="font-normal">waits</th>
              <th className="font-normal">is carried in</th>
              <th className="font-normal">altogether</th>
              <th className="font-normal">costs</th>
            </tr>
          </thead>
          <tbody>
            {estimates.data.map(({ speed, name: called, estimate: e }) => (
              <tr key={speed ?? ""} className="border-b border-hairline">
                <th scope="row" className="py-1 text-left font-normal">
                  {called}
                </th>
                <td>{bytes(e.contentBytes)}</td>
                <td>{bytes(e.readBytes)}</td>
                <td>{hours(e.waitHours)}</td>
                <td>{hours(e.transferHours)}</td>
                <td className="font-medium">{hours(e.hours)}</td>
                <td>
                  {e.terms.length === 0 ? (
                    money(e.money)
                  ) : (
                    <button
                      type="button"
                      className="text-accent underline"
                      aria-label={`Why ${money(e.money)}, ${called}`}
                      aria-expanded={why === (speed ?? "")}
                      onClick={() => set("why", why === (speed ?? "") ? null : (speed ?? ""))}
                    >
                      {money(e.money)}
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {opened && (
        <section className="mt-3 border-l-2 border-accent pl-4" aria-label="Why">
          <h3 className="font-serif text-lg">
            {money(opened.estimate.money)}, {opened.name}, is the sum of
          </h3>
          <TermTable terms={opened.estimate.terms} />
        </section>
      )}
      {order && isReal && !on && point != null && (
        <p className="mt-3">
          <Link to={`/backups/${target}?point=${point}`}>Look into this point, restore or rehearse it</Link>
        </p>
      )}
      {order && ordinary && !isReal && !on && !to && !estimates.isPlaceholderData && (
        <p className="mt-3 flex flex-wrap items-baseline gap-3">
          <ConfirmButton
            label="Rehearse this restore now"
            about={`${name(workloads, workload)} of ${day(order.taken)}`}
            question={`${bytes(ordinary.readBytes)} are read, and ${money(ordinary.money)} charged. Rehearse it?`}
            disabled={rehearse.isPending}
            onConfirm={() => rehearse.mutate({ plan: plan.id, workload, target, taken: order.taken })}
          />
          <span className="text-sm text-ink-soft">
            at the ordinary speed, into nowhere: it proves that the workload comes back
          </span>
        </p>
      )}
      {rehearse.error && <ErrorNote error={rehearse.error} />}
    </section>
  );
}
