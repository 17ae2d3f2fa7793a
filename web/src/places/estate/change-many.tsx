import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type Bucket, type BucketChange, changeManyBuckets, readBucket, readDraft, readManyDraft } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { KeepFields } from "../bucket/keep-editor";
import { RulesEditor } from "../bucket/rules-editor";
import { TenantField } from "../bucket/tenant-field";
import { ManyConsequences } from "./many-consequences";
import { useSelection } from "./selection";

const storageKey = "ripen-change-many";

/** One change for all selected buckets, with what it does to all of them together and to each. */
export function ChangeMany() {
  usePageTitle("Change buckets together");
  const { estate } = useEstate();
  const { names } = useSelection();
  // Those that went meanwhile, or belong to another estate, are not meant any more.
  const selected = estate.buckets.filter((name) => names.has(name));
  if (selected[0] === undefined)
    return (
      <p className="px-6 py-8">
        No bucket is selected. <Link to="/">Select some on the board</Link>, and come back.
      </p>
    );
  return <Change selected={selected} first={selected[0]} />;
}

function Change({ selected, first }: { selected: string[]; first: string }) {
  const { prices } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { clear } = useSelection();
  const [change, setChange] = useState<BucketChange>(
    () => JSON.parse(sessionStorage.getItem(storageKey) ?? "{}") as BucketChange,
  );
  const [applying, setApplying] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const set = (part: Partial<BucketChange>) => {
    const next = { ...change, ...part };
    setChange(next);
    sessionStorage.setItem(storageKey, JSON.stringify(next));
  };
  const says = Object.values(change).some((v) => v !== null && v !== undefined && v !== "");
  const many = { buckets: selected, change };
  const draft = useQuery({
    queryKey: keys.manyDraft(many),
    queryFn: ({ signal }) => readManyDraft(many, signal),
    enabled: says,
    placeholderData: keepPreviousData,
  });
  const reading = says ? draft.data?.value : undefined;
  const exact = draft.data !== undefined && !draft.isPlaceholderData && !draft.isFetching;
  const ready = says && exact && reading?.seen != null && reading.refused === 0 && reading.changing > 0;
  const apply = async () => {
    if (!draft.data || !reading?.seen) return;
    setApplying(true);
    setError(null);
    try {
      await changeManyBuckets(many, draft.data.etag, reading.seen);
      sessionStorage.removeItem(storageKey);
      clear();
      done(`${count(reading.changing)} buckets changed. The log can undo each.`);
      await queries.invalidateQueries();
      await navigate("/");
    } catch (refusal) {
      setError(refusal as Error);
      await queries.invalidateQueries({ queryKey: keys.manyDrafts });
    } finally {
      setApplying(false);
    }
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(22rem,34rem)] gap-x-10 px-6 pb-24">
      <section aria-label="The change" className="space-y-5">
        <h1 className="pt-4 text-3xl">
          Change {count(selected.length)} {selected.length === 1 ? "bucket" : "buckets"} together
        </h1>
        <p className="text-ink-soft">What is left as it is stays what it is in each of them. All change, or none.</p>
        <div className="flex flex-wrap gap-x-8 gap-y-3">
          <Field label="Redundancy scheme">
            {(ids) => (
              <Select
                {...ids}
                value={change.scheme ?? ""}
                options={[leave, ...prices.schemes.map((s) => ({ value: s.id, label: s.name }))]}
                onChange={(e) => set({ scheme: e.target.value || null })}
              />
            )}
          </Field>
          <TenantField
            value={change.tenant ?? ""}
            hint="Empty leaves it as it is; - is nobody in particular"
            onChange={(tenant) => set({ tenant: tenant || null })}
          />
          <Field label="Landing tier">
            {(ids) => (
              <Select
                {...ids}
                value={change.tier ?? ""}
                options={[leave, ...prices.tiers.map((t) => ({ value: t.id, label: t.name }))]}
                onChange={(e) => set({ tier: e.target.value || null })}
              />
            )}
          </Field>
          <Field label="Versioning">
            {(ids) => (
              <Select
                {...ids}
                value={change.versioning == null ? "" : String(change.versioning)}
                options={[leave, { value: "true", label: "on" }, { value: "false", label: "off" }]}
                onChange={(e) => set({ versioning: e.target.value === "" ? null : e.target.value === "true" })}
              />
            )}
          </Field>
          <Field label="Encrypted under">
            {(ids) => (
              <Select
                {...ids}
                value={change.ownKey == null ? "" : String(change.ownKey)}
                options={[leave, { value: "true", label: "a key of its own" }, { value: "false", label: "the provider's key" }]}
                onChange={(e) => set({ ownKey: e.target.value === "" ? null : e.target.value === "true" })}
              />
            )}
          </Field>
        </div>
        <PutRule first={first} rule={change.putRule ?? null} onChange={(putRule) => set({ putRule })} />
        <KeepFields
          keep={change.keep ?? null}
          none="leave as it is"
          problemAt={() => undefined}
          onChange={(keep) => set({ keep })}
        />
        <Field label="Remove the lifecycle rule named" hint="Buckets that have no such rule stay as they are.">
          {(ids) => (
            <input
              {...ids}
              className="w-44 border-b border-hairline-strong bg-transparent px-1"
              value={change.dropRule ?? ""}
              onChange={(e) => set({ dropRule: e.target.value || null })}
            />
          )}
        </Field>
      </section>
      <aside aria-label="Consequences" className="border-l border-hairline pt-4 pl-6">
        <div className="flex flex-wrap items-center gap-3 pb-2">
          <Button kind="primary" disabled={!ready || applying} onClick={() => void apply()}>
            Apply to {count(reading?.changing ?? 0)}
          </Button>
          <Link to="/">Back to the board</Link>
          <span role="status" className="text-sm text-ink-soft">
            {applying ? "being applied" : says ? "a draft; nothing is done yet" : "nothing is changed yet"}
          </span>
        </div>
        {error && <ErrorNote error={error} />}
        {draft.error && <ErrorNote error={draft.error} />}
        {reading && (
          <div data-stale={!exact}>
            <ManyConsequences reading={reading} />
          </div>
        )}
      </aside>
    </div>
  );
}

const leave = { value: "", label: "leave as it is" };

type RuleProps = { first: string; rule: BucketChange["putRule"]; onChange: (rule: BucketChange["putRule"]) => void };

/** The rule that all get, with steps suggested by the server for the first of them. */
function PutRule({ first, rule, onChange }: RuleProps) {
  const stored = useQuery({ queryKey: keys.bucket(first), queryFn: () => readBucket(first) }).data?.value;
  const bucket: Bucket | undefined = stored && { ...stored, rules: rule ? [rule] : [] };
  const suggested = useQuery({
    queryKey: keys.draft(first, "many", bucket),
    queryFn: ({ signal }) => readDraft(bucket as Bucket, first, signal),
    enabled: bucket !== undefined,
    placeholderData: keepPreviousData,
  }).data;
  const problemAt = useProblems(suggested?.problems.filter((p) => p.path.startsWith("$.rules")));
  if (!bucket) return null;
  return (
    <div>
      <RulesEditor
        bucket={bucket}
        most={1}
        problemAt={problemAt}
        suggested={suggested ?? null}
        edit={(edited) => onChange(edited(bucket).rules?.[0] ?? null)}
      />
      <p className="text-sm text-ink-soft">It takes the place of a rule of the same name in each bucket, or comes last.</p>
    </div>
  );
}
