import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import {
  type Bucket,
  type CopyOrder,
  type CopyRuleStatus,
  changeCopyRule,
  makeCopyRule,
  type RegionReading,
  readBucket,
  readCopyDraft,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useBucketUndo } from "../../draft/bucket-undo";
import { MergeNote } from "../../draft/merge-note";
import { useProblems } from "../../draft/problems";
import { useStoredDraft } from "../../draft/use-stored-draft";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { CatchUpChoice } from "./catch-up-choice";
import { regionsOf } from "./map-geometry";
import { NewTarget } from "./new-target";
import { RuleConsequences } from "./rule-consequences";
import { useDeed, useReplication } from "./use-replication";
import { readTags, writeTags } from "./words";

const newBucket = "+";

/** Everything that the form asks for. */
type Typed = {
  source: string;
  target: string;
  made: Bucket;
  prefix: string;
  tags: string;
  tier: string;
  followDeletions: boolean;
  allowed: number | null;
  switchVersioningOn: boolean;
  catchUp: boolean | null;
};

/** A new rule (/replication/new?from=…&to=…), or a change of one there is (/replication/change/…). */
export function RuleForm() {
  usePageTitle("Replication rule");
  const copies = useReplication();
  const id = useParams().rule;
  const [params] = useSearchParams();
  const found = copies.data?.value.rules.find((r) => r.id === Number(id));
  // What was read once stays: neither a failed look nor somebody who removes the rule takes away what is typed.
  const first = useRef(found);
  first.current ??= found;
  if (!copies.data) return copies.error ? <ErrorPage what="Replication rule" error={copies.error} /> : <div className="h-96" />;
  if (id !== undefined && !first.current)
    return <ErrorPage what="Replication rule" error={new Error("There is no such replication rule any more.")} />;
  return (
    <Form
      key={id ?? params.toString()}
      rule={found ?? first.current}
      regions={copies.data.value.regions}
      etag={copies.data.etag}
    />
  );
}

function Form({ rule, regions, etag }: { rule: CopyRuleStatus | undefined; regions: RegionReading[]; etag: string }) {
  const { estate, regionName, prices } = useEstate();
  const navigate = useNavigate();
  const [params] = useSearchParams();
  const regionByBucket = useMemo(() => regionsOf(regions), [regions]);
  const regionOf = (bucket: string) => regionByBucket.get(bucket) ?? "";
  const from = rule?.bucket ?? params.get("from") ?? estate.buckets[0] ?? "";
  const typed = useStoredDraft<Typed>({
    storageKey: `ripen-draft:${estate.identity}:rule:${rule?.id ?? `${from}~${params.get("to") ?? ""}`}`,
    current: {
      etag,
      value: {
        source: from,
        target: rule?.target ?? params.get("to") ?? newBucket,
        made: beginning(from, regionOf(from), prices),
        prefix: rule?.rule.prefix ?? "",
        tags: writeTags(rule?.rule.tags),
        tier: rule?.rule.tier ?? "",
        followDeletions: rule?.rule.followDeletions ?? false,
        allowed: rule ? (rule.rule.allowedLagHours ?? null) : 24,
        switchVersioningOn: false,
        catchUp: rule ? false : null,
      },
    },
  });
  const set = (part: Partial<Typed>) => typed.edit((t) => ({ ...t, ...part }));
  const { source, target, made, prefix, tags, tier, followDeletions, allowed, switchVersioningOn, catchUp } =
    typed.value as Typed;
  const elsewhere = useMemo(() => {
    const near = regionByBucket.get(source);
    const others = estate.buckets.filter((b) => b !== source);
    return [...others.filter((b) => regionByBucket.get(b) !== near), ...others.filter((b) => regionByBucket.get(b) === near)];
  }, [estate.buckets, regionByBucket, source]);
  const into = target === newBucket ? made.region : regionOf(target);
  const offered = prices.regions.find((r) => r.id === into)?.prices.map((p) => p.tier) ?? [];
  const order: CopyOrder = {
    source,
    rule: {
      bucket: target === newBucket ? made.name : target,
      prefix,
      tags: readTags(tags),
      tier: offered.includes(tier) ? tier : null,
      followDeletions,
      allowedLagHours: allowed,
      catchUp: catchUp ?? false,
    },
    newBucket: target === newBucket ? made : null,
    switchVersioningOn,
  };
  const isOther =
    rule !== undefined &&
    (order.rule.bucket !== rule.target || prefix !== rule.rule.prefix || tags !== writeTags(rule.rule.tags));
  const draft = useQuery({
    queryKey: [...keys.drafts, "copy", order, rule?.id, etag],
    queryFn: () => readCopyDraft(order, rule?.id ?? null),
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
  });
  const seen = catchUp ? draft.data?.seenWith : draft.data?.seenWithout;
  const undo = useBucketUndo();
  const apply = useDeed(
    async () => {
      const version = typed.base?.etag ?? etag;
      const before = await readBucket(source);
      const stored = rule ? await changeCopyRule(rule.id, order, version, seen) : await makeCopyRule(order, version, seen);
      return { stored, before: before.value, after: (await readBucket(source)).value };
    },
    ({ stored, before, after }) => {
      typed.discard();
      done(`Applied to ${source}.`, { label: "Undo", onClick: () => void undo(source, before, after) });
      void navigate(`/replication/rules/${stored.id}`);
    },
  );
  const refused = apply.error instanceof ApiError ? apply.error.problems : [];
  const problemAt = useProblems(draft.data && draft.data.problems.length > 0 ? draft.data.problems : refused);
  // What stands beside the form is the answer to exactly what is typed, or it cannot be applied.
  const answered = draft.data !== undefined && !draft.isPlaceholderData && !draft.isFetching;
  const open = !answered || draft.data.problems.length > 0;
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/replication">Replication</Link>
      </p>
      <h1 className="text-3xl">{rule ? `Edit ${rule.bucket} – ${rule.target}` : "New replication rule"}</h1>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_22rem] gap-x-10">
        <form className="space-y-6" onSubmit={(event) => event.preventDefault()}>
          <div className="flex flex-wrap items-start gap-x-8 gap-y-3">
            <Field label="What lies in" error={problemAt("$.source")} hint={regionName(regionOf(source))}>
              {(ids) => (
                <Select
                  {...ids}
                  value={source}
                  disabled={rule !== undefined}
                  options={estate.buckets.map((b) => ({ value: b, label: b }))}
                  onChange={(e) => set({ source: e.target.value })}
                />
              )}
            </Field>
            <Field
              label="is copied to"
              error={problemAt("$.rule.bucket")}
              hint={target === newBucket ? undefined : regionName(into)}
            >
              {(ids) => (
                <Select
                  {...ids}
                  value={target}
                  options={[
                    ...elsewhere.map((b) => ({ value: b, label: `${b} (${regionName(regionOf(b))})` })),
                    { value: newBucket, label: "a new bucket…" },
                  ]}
                  onChange={(e) => set({ target: e.target.value })}
                />
              )}
            </Field>
            {target === newBucket && (
              <NewTarget bucket={made} set={(part) => set({ made: { ...made, ...part } })} problemAt={problemAt} />
            )}
          </div>
          <div className="flex flex-wrap items-start gap-x-8 gap-y-3">
            <Field
              label="Only under the prefix"
              error={problemAt("$.rule.prefix") ?? problemAt("$.rule")}
              hint="empty for everything"
            >
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-56`}
                  value={prefix}
                  autoComplete="off"
                  onChange={(e) => set({ prefix: e.target.value })}
                />
              )}
            </Field>
            <Field label="Only with the tags" error={problemAt("$.rule.tags")} hint="name=value, name=value; empty for any">
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-64`}
                  value={tags}
                  autoComplete="off"
                  onChange={(e) => set({ tags: e.target.value })}
                />
              )}
            </Field>
            <Field label="Copies land in" error={problemAt("$.rule.tier")}>
              {(ids) => (
                <Select
                  {...ids}
                  value={order.rule.tier ?? ""}
                  options={[
                    { value: "", label: "that bucket's landing tier" },
                    ...prices.tiers.filter((t) => offered.includes(t.id)).map((t) => ({ value: t.id, label: t.name })),
                  ]}
                  onChange={(e) => set({ tier: e.target.value })}
                />
              )}
            </Field>
            <Field label="Allowed lag, hours" error={problemAt("$.rule.allowedLagHours")} hint="empty when nothing was agreed">
              {(ids) => <NumberInput {...ids} className="w-20" value={allowed} onChange={(allowed) => set({ allowed })} />}
            </Field>
          </div>
          {rule && isOther && (
            <p className="border-l-4 border-accent px-3">
              Another scope is another rule: {count(rule.waiting)} objects that wait for the old one are not copied any more,
              unless the new one is told to catch up.
            </p>
          )}
          <Choice
            label="Deletions follow"
            hint={
              followDeletions
                ? "A deletion is marked there as well; the versions before it stay. A version that is removed for good here stays there."
                : "What is deleted here stays there: a copy also guards against a deletion by mistake."
            }
            checked={followDeletions}
            error={problemAt("$.rule.followDeletions")}
            onChange={(followDeletions) => set({ followDeletions })}
          />
          {(draft.data?.versioning.length ?? 0) > 0 && (
            <Choice
              label={`Switch versioning on for ${draft.data?.versioning.map((v) => v.bucket).join(" and ")}`}
              hint="Copies need versions on both sides, so that none is overwritten. It is switched on in the same change."
              checked={switchVersioningOn}
              error={problemAt("$.switchVersioningOn")}
              onChange={(switchVersioningOn) => set({ switchVersioningOn })}
            />
          )}
          {draft.data?.catchUp && (!rule || isOther) && (
            <CatchUpChoice reading={draft.data} value={catchUp} onChange={(catchUp) => set({ catchUp })} />
          )}
        </form>
        <aside aria-label="Consequences" className="min-w-0 border-l border-hairline pl-6">
          <div className="flex items-center gap-3 pb-2">
            <Button
              kind="primary"
              disabled={open || catchUp === null || apply.isPending || typed.merged !== null}
              onClick={() => apply.mutate(undefined)}
            >
              Apply
            </Button>
            <Button disabled={!typed.changed} onClick={typed.discard}>
              Discard
            </Button>
            <Link to={rule ? `/replication/rules/${rule.id}` : "/replication"}>Leave it for later</Link>
          </div>
          {typed.merged && <MergeNote what="rule" draft={typed} merged={typed.merged} />}
          <p role="status" className="text-sm text-ink-soft">
            {catchUp === null ? "Say first what happens to what is there already." : "a draft; nothing is done yet"}
          </p>
          {apply.error && refused.length === 0 && <ErrorNote error={apply.error} />}
          {draft.error && <ErrorNote error={draft.error} />}
          {draft.data && (
            <div data-stale={!answered}>
              <RuleConsequences reading={draft.data} catchUp={catchUp ?? false} />
            </div>
          )}
        </aside>
      </div>
    </div>
  );
}

function beginning(source: string, region: string, prices: ReturnType<typeof useEstate>["prices"]): Bucket {
  const other = prices.regions.find((r) => r.id !== region) ?? prices.regions[0];
  return {
    name: `${source}-far`.slice(0, 63),
    region: other?.id ?? "",
    scheme: prices.schemes[0]?.id ?? "",
    tier: other?.prices[0]?.tier ?? "",
    versioning: true,
  };
}

type ChoiceProps = {
  label: string;
  hint: string;
  checked: boolean;
  error: string | undefined;
  onChange: (checked: boolean) => void;
};

function Choice({ label, hint, checked, error, onChange }: ChoiceProps) {
  return (
    <div>
      <label className="inline-flex items-center gap-2">
        <input type="checkbox" className="accent-(--accent)" checked={checked} onChange={(e) => onChange(e.target.checked)} />
        {label}
      </label>
      <p className={`max-w-2xl text-sm ${error ? "text-bad" : "text-ink-soft"}`}>{error ?? hint}</p>
    </div>
  );
}
