import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import {
  type BackupPlan,
  draftPlan,
  putPlan,
  readPlans,
  readWorkloads,
  removePlan,
  type Versioned,
  type Workload,
} from "../../api/client";
import { keys } from "../../api/keys";
import { same } from "../../draft/merge";
import { MergeNote } from "../../draft/merge-note";
import { useProblems } from "../../draft/problems";
import { useBrought } from "../../draft/use-brought";
import { useStoredDraft } from "../../draft/use-stored-draft";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { ConfirmButton } from "../../ui/confirm-button";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { orNull } from "../../ui/number-text";
import { usePageTitle } from "../../ui/page-title";
import { KeepForWhatIf } from "../scenarios/keep-for-what-if";
import { CarrierField } from "./carrier-part";
import { PackSteps, type PlanForm } from "./pack-steps";
import { CadenceFields, TimesFields } from "./plan-fields";
import { PlanOutlookPanel } from "./plan-outlook";
import { planName } from "./plan-words";
import { RestorePart } from "./restore-part";
import { RetentionFields } from "./retention-fields";
import { RunNowPart } from "./run-now-part";
import { RunTable } from "./run-table";
import { useTargets } from "./use-backups";
import { idOf } from "./words";

/** A plan: what is protected, where to, how often and how long; what follows from it stands beside it while it is written. */
export function PlanPage() {
  const { plan: id = "" } = useParams();
  const plans = useQuery({ queryKey: keys.plans, queryFn: readPlans });
  const workloads = useQuery({ queryKey: keys.workloads(null), queryFn: () => readWorkloads(null) });
  const targets = useTargets();
  const isNew = id === "new";
  const found = plans.data?.value.plans.find((p) => p.plan.id === id);
  usePageTitle(isNew ? "New backup plan" : found ? planName(found.plan) : "Backup plan");
  if (plans.error && !plans.data) return <ErrorPage what="Backup plan" error={plans.error} />;
  if (!plans.data || !workloads.data || !targets.data) return <div className="h-96" />;
  const pools = targets.data.value.targets.map((t) => t.target).filter((t) => t.kind === "bucket" || t.kind === "directory");
  const all = workloads.data.value.workloads;
  if (!isNew && !found)
    return (
      <div className="px-6 pt-5">
        <h1 className="text-3xl">There is no plan '{id}'</h1>
        <Link to="/plans">All plans</Link>
      </div>
    );
  if (isNew && (all.length === 0 || pools.length === 0))
    return (
      <div className="max-w-2xl px-6 pt-5">
        <h1 className="text-3xl">New backup plan</h1>
        <p className="mt-3 text-ink-soft">
          A plan needs something to protect and a pool to protect it in.{" "}
          {all.length === 0 ? <Link to="/plans">Add a workload</Link> : <Link to="/new-target">Make a target</Link>} first.
        </p>
      </div>
    );
  const begin = editable(
    found?.plan ?? {
      id: "",
      name: "",
      workloads: [all[0]?.id ?? ""],
      target: pools[0]?.id ?? "",
      every: { days: 1 },
      keep: { days: 30 },
    },
  );
  return (
    <Editor
      key={id}
      stored={{ value: begin, etag: plans.data.etag }}
      isNew={isNew}
      workloads={all}
      pools={pools}
      packsAge={plans.data.value.packsAge}
      points={found?.branches.reduce((n, b) => n + b.points, 0) ?? 0}
    />
  );
}

/** As it is written: who took the points knows them, and they do not travel with a draft. */
const editable = (plan: BackupPlan): BackupPlan => ({
  ...plan,
  name: plan.name ?? plan.id,
  copies: (plan.copies ?? []).map((c) => ({ ...c, runs: [] })),
  runs: [],
});

type EditorProps = {
  stored: Versioned<BackupPlan>;
  isNew: boolean;
  workloads: Workload[];
  pools: { id: string; name: string; kind: string; deduplicates?: boolean; bucket?: string | null }[];
  packsAge: Record<string, NonNullable<PlanForm["packsAge"]>>;
  points: number;
};

function Editor({ stored, isNew, workloads, pools, packsAge, points }: EditorProps) {
  const { estate } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const begin = stored.value;
  const typed = useStoredDraft<PlanForm>({
    storageKey: `ripen-draft:${estate.identity}:plan:${isNew ? "" : begin.id}`,
    current: stored,
  });
  const plan: PlanForm = typed.value ?? begin;
  const etag = typed.base?.etag ?? stored.etag;
  const set = (part: Partial<PlanForm>) => typed.edit((p) => ({ ...p, ...part }));
  const sent = useMemo<PlanForm>(
    () => ({ ...plan, id: isNew ? idOf(plan.name ?? "") || "unnamed" : plan.id, name: plan.name || null }),
    [plan, isNew],
  );
  const { packsAge: steps, ...assumed } = sent;
  const changed = isNew || typed.changed;
  useBrought<BackupPlan>(true, (brought) => typed.bring(editable(brought)));
  const draft = useQuery({
    queryKey: keys.planDraft([etag, sent]),
    queryFn: ({ signal }) => draftPlan(sent, signal),
    placeholderData: keepPreviousData,
  });
  const assume =
    draft.data?.problems.length === 0 && !draft.isPlaceholderData
      ? [
          ...(isNew || !same({ ...plan, packsAge: null }, begin) ? [{ plan: assumed }] : []),
          ...(steps ? [{ packsAge: { target: plan.target, steps } }] : []),
        ]
      : undefined;
  const done = async () => {
    await queries.invalidateQueries({ queryKey: keys.plans });
    await queries.invalidateQueries({ queryKey: keys.boards });
  };
  const [discard, setDiscard] = useState(false);
  const save = useMutation({
    mutationFn: () => putPlan(sent, etag, discard),
    onSuccess: async () => {
      typed.discard();
      await done();
      if (isNew) navigate(`/plans/${sent.id}`);
    },
    onError: (error) => {
      // Somebody else was quicker: both changes are shown together.
      if (error instanceof ApiError && error.status === 412) void queries.invalidateQueries({ queryKey: keys.plans });
    },
  });
  const remove = useMutation({
    mutationFn: () => removePlan(begin.id, etag, points > 0),
    onSuccess: async () => {
      await done();
      navigate("/plans");
    },
  });
  const refused = save.error instanceof ApiError ? save.error : null;
  const problems = [...(draft.data?.problems ?? []), ...(refused?.problems ?? [])];
  const wrong = useProblems(problems);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate();
  };
  const pool = pools.find((p) => p.id === plan.target);
  const isReal = plan.workloads.some((id) => workloads.find((w) => w.id === id)?.source);
  const copies = plan.copies ?? [];
  const others = pools.filter((p) => p.id !== plan.target);
  const setCopy = (i: number, part: Partial<(typeof copies)[number]>) =>
    set({ copies: copies.map((c, k) => (k === i ? { ...c, ...part } : c)) });
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-baseline gap-x-6 pt-5">
        <h1 className="text-3xl">{isNew ? "New backup plan" : planName(begin)}</h1>
        <Link to="/plans">All plans</Link>
        {!isNew && <Link to="/calendar">Calendar of points</Link>}
      </div>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_minmax(20rem,26rem)] gap-x-10">
        <form onSubmit={submit} aria-label="Plan" className="space-y-5">
          {typed.merged && <MergeNote what="plan" draft={typed} merged={typed.merged} />}
          <Field
            label="It is called"
            error={wrong("$.name") ?? wrong("$.id")}
            hint={isNew && plan.name ? `known as ${idOf(plan.name)}` : undefined}
          >
            {(ids) => (
              <input
                {...ids}
                className={`${inputLook} w-72`}
                value={plan.name ?? ""}
                onChange={(e) => set({ name: e.target.value })}
              />
            )}
          </Field>
          <fieldset>
            <legend className="text-sm text-ink-soft">It protects</legend>
            <div className="flex flex-wrap gap-x-5">
              {workloads.map((w) => (
                <label key={w.id}>
                  <input
                    type="checkbox"
                    checked={plan.workloads.includes(w.id)}
                    onChange={(e) =>
                      set({
                        workloads: e.target.checked ? [...plan.workloads, w.id] : plan.workloads.filter((id) => id !== w.id),
                      })
                    }
                  />{" "}
                  {w.name}
                </label>
              ))}
            </div>
            {wrong("$.workloads") && <p className="text-sm text-bad">{wrong("$.workloads")}</p>}
          </fieldset>
          <div className="flex flex-wrap gap-x-8 gap-y-3">
            <Field label="Into" error={wrong("$.target")}>
              {(ids) => (
                <Select
                  {...ids}
                  value={plan.target}
                  options={pools.map((p) => ({ value: p.id, label: p.name }))}
                  onChange={(e) => set({ target: e.target.value, packsAge: null })}
                />
              )}
            </Field>
            <Field label="From" error={wrong("$.from")} hint="no run before it">
              {(ids) => (
                <input
                  {...ids}
                  type="date"
                  className={inputLook}
                  value={plan.from ?? estate.today}
                  onChange={(e) => set({ from: e.target.value || null })}
                />
              )}
            </Field>
            <CarrierField value={plan.carrier ?? null} error={wrong("$.carrier")} onChange={(carrier) => set({ carrier })} />
            {pool?.deduplicates === false && (
              <Field label="Everything again every" error={wrong("$.full.every")} hint="runs; the pool stores nothing once">
                {(ids) => (
                  <NumberInput
                    {...ids}
                    className="w-16"
                    value={plan.full?.every ?? 1}
                    onChange={(v) => set({ full: { every: orNull(v) } })}
                  />
                )}
              </Field>
            )}
          </div>
          <CadenceFields value={plan.every} onChange={(every) => set({ every })} wrong={wrong} path="$.every" />
          {isReal && <TimesFields value={plan} onChange={set} wrong={wrong} />}
          <RetentionFields
            value={plan.keep}
            onChange={(keep) => set({ keep })}
            wrong={wrong}
            path="$.keep"
            today={estate.today}
            canSeal={isReal && pool?.kind === "bucket"}
          />
          {pool?.bucket && (
            <PackSteps
              steps={plan.packsAge ?? packsAge[plan.target] ?? []}
              bucket={pool.bucket}
              onChange={(steps) => set({ packsAge: steps })}
              wrong={wrong}
            />
          )}
          {copies.map((copy, i) => (
            <fieldset key={copy.target} className="space-y-3 border-l-2 border-hairline pl-4">
              <legend className="font-serif">{i === 0 ? "Second copy" : i === 1 ? "Third copy" : `Copy number ${i + 2}`}</legend>
              <div className="flex flex-wrap items-end gap-x-8">
                <Field label="Into" error={wrong(`$.copies[${i}].target`)}>
                  {(ids) => (
                    <Select
                      {...ids}
                      value={copy.target}
                      options={others
                        .filter((p) => p.id === copy.target || copies.every((c) => c.target !== p.id))
                        .map((p) => ({ value: p.id, label: p.name }))}
                      onChange={(e) => setCopy(i, { target: e.target.value })}
                    />
                  )}
                </Field>
                <CarrierField
                  value={copy.carrier ?? null}
                  error={wrong(`$.copies[${i}].carrier`)}
                  onChange={(carrier) => setCopy(i, { carrier })}
                />
                <Button kind="quiet" onClick={() => set({ copies: copies.filter((_, k) => k !== i) })}>
                  Without it
                </Button>
              </div>
              <CadenceFields
                value={copy.every ?? plan.every}
                onChange={(every) => setCopy(i, { every })}
                wrong={wrong}
                path={`$.copies[${i}].every`}
              />
              <RetentionFields
                value={copy.keep}
                onChange={(keep) => setCopy(i, { keep })}
                wrong={wrong}
                path={`$.copies[${i}].keep`}
                today={estate.today}
                canSeal={isReal && pools.find((p) => p.id === copy.target)?.kind === "bucket"}
              />
            </fieldset>
          ))}
          <div className="flex flex-wrap items-baseline gap-x-6">
            {others.some((p) => copies.every((c) => c.target !== p.id)) && (
              <Button
                onClick={() =>
                  set({
                    copies: [
                      ...copies,
                      { target: others.find((p) => copies.every((c) => c.target !== p.id))?.id ?? "", keep: plan.keep, runs: [] },
                    ],
                  })
                }
              >
                {copies.length === 0 ? "Second copy" : "One copy more"}
              </Button>
            )}
            <Field label="Rehearse each restore every" error={wrong("$.rehearseEveryDays")} hint="empty: by hand only">
              {(ids) => (
                <span>
                  <NumberInput
                    {...ids}
                    className="w-16"
                    value={plan.rehearseEveryDays ?? null}
                    onChange={(v) => set({ rehearseEveryDays: v })}
                  />{" "}
                  days
                </span>
              )}
            </Field>
            <label>
              <input type="checkbox" checked={plan.paused ?? false} onChange={(e) => set({ paused: e.target.checked })} /> paused
            </label>
          </div>
          <div className="flex flex-wrap items-baseline gap-3">
            <Button
              kind="primary"
              type="submit"
              disabled={!changed || typed.merged !== null || save.isPending || (draft.data?.problems.length ?? 0) > 0}
            >
              {isNew ? "Begin" : "Apply"}
            </Button>
            {typed.changed && <Button onClick={typed.discard}>Discard</Button>}
            {changed && <KeepForWhatIf assume={assume} />}
            {!isNew && (
              <ConfirmButton
                label="Remove"
                about={planName(begin)}
                question={points > 0 ? `Give up its ${points} points? What a bucket keeps stays until it may go.` : "Remove it?"}
                onConfirm={() => remove.mutate()}
              />
            )}
          </div>
          {refused && <ErrorNote error={refused} />}
          {refused?.code === "points-would-go" && (
            <label className="block">
              <input type="checkbox" checked={discard} onChange={(e) => setDiscard(e.target.checked)} /> These points may go
            </label>
          )}
          {remove.error && <ErrorNote error={remove.error} />}
        </form>
        <PlanOutlookPanel
          draft={draft.data}
          error={draft.error}
          changed={changed}
          assume={assume}
          pools={pools}
          workloads={workloads}
        />
      </div>
      {!isNew && <RestorePart plan={begin} pools={pools} workloads={workloads} />}
      {!isNew && <RunNowPart plan={begin} workloads={workloads} pools={pools} />}
      {!isNew && <RunTable plan={begin.id} pools={pools} workloads={workloads} />}
    </div>
  );
}
