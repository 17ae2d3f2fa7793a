import { useState } from "react";
import type { Bucket, DraftReading, LifecycleRule } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { TierName } from "../../strip/tiers";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orEmpty, orNull } from "../../ui/number-text";
import { SizeField } from "../../ui/size-field";
import { readTags, writeTags } from "../replication/words";
import type { Edit } from "./use-draft";

type Step = NonNullable<LifecycleRule["steps"]>[number];

const withRule = (bucket: Bucket, id: string, change: (rule: LifecycleRule) => LifecycleRule): Bucket => ({
  ...bucket,
  rules: (bucket.rules ?? []).map((r) => (r.id === id ? change(r) : r)),
});

export const withStep = (bucket: Bucket, ruleId: string, step: number, change: Partial<Step>) =>
  withRule(bucket, ruleId, (r) => ({ ...r, steps: (r.steps ?? []).map((s, i) => (i === step ? { ...s, ...change } : s)) }));

export const withExpiry = (bucket: Bucket, ruleId: string, expireAt: number | null) =>
  withRule(bucket, ruleId, (r) => ({ ...r, expireAt }));

type EditorProps = { bucket: Bucket; edit: Edit; problemAt: ProblemAt; suggested: DraftReading | null; most?: number };

/** The lifecycle rules as text: every step and expiry that the strip shows, typed. */
export function RulesEditor({ bucket, edit, problemAt, suggested, most = Number.MAX_SAFE_INTEGER }: EditorProps) {
  const rules = bucket.rules ?? [];
  // Null before the answer does not mean that there is none: such a rule would let objects expire.
  const first = suggested?.firstStep;
  const addRule = () =>
    edit((b) => ({
      ...b,
      rules: [
        ...rules,
        { id: freshId(rules), prefix: "", smallestBytes: 0, steps: first ? [first] : [], expireAt: first ? null : 365 },
      ],
    }));
  return (
    <div>
      <h2 className="text-lg">Lifecycle rules</h2>
      {rules.length === 0 && most > 1 && (
        <p className="text-ink-soft">Nothing moves and nothing expires: everything stays where it lands, for ever.</p>
      )}
      <div className="space-y-4">
        {rules.map((rule, r) => (
          <RuleEditor key={r} rule={rule} place={r} bucket={bucket} edit={edit} problemAt={problemAt} suggested={suggested} />
        ))}
      </div>
      {rules.length < most && (
        <Button className="mt-3" disabled={suggested === null} onClick={addRule}>
          Add a rule
        </Button>
      )}
    </div>
  );
}

function RuleEditor({ rule, place, bucket, edit, problemAt, suggested }: EditorProps & { rule: LifecycleRule; place: number }) {
  const { prices } = useEstate();
  const at = `$.rules[${place}]`;
  const steps = rule.steps ?? [];
  const isEarlier = rule.applies === "earlier";
  const [tags, setTags] = useState(writeTags(rule.tags));
  const change = (part: Partial<LifecycleRule>) =>
    edit((b) => ({ ...b, rules: (b.rules ?? []).map((r, i) => (i === place ? { ...r, ...part } : r)) }));
  const changeStep = (at: number, part: Partial<Step>) =>
    change({ steps: steps.map((s, i) => (i === at ? { ...s, ...part } : s)) });
  const changeClock = (at: number, clock: "created" | "read") => {
    const changed = steps.map((s, i) => (i === at ? { ...s, clock } : s));
    change({ steps: changed, ...(!watches(changed) && { backOnRead: false }) });
  };
  const offered = offeredTiers(bucket.region, prices);
  const next = suggested?.nextSteps[place];
  return (
    <fieldset className="border-t border-hairline pt-2">
      <legend className="sr-only">Rule {rule.id}</legend>
      <div className="flex flex-wrap items-start gap-x-6 gap-y-2">
        <Field label="Rule" error={problemAt(`${at}.id`) ?? problemAt(at)}>
          {(ids) => (
            <input {...ids} className={`${inputLook} w-36`} value={rule.id} onChange={(e) => change({ id: e.target.value })} />
          )}
        </Field>
        <Field label="Prefix" error={problemAt(`${at}.prefix`)}>
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-36`}
              value={rule.prefix ?? ""}
              placeholder="everything"
              onChange={(e) => change({ prefix: e.target.value })}
            />
          )}
        </Field>
        <SizeField
          label="Skip objects smaller than"
          value={rule.smallestBytes ?? 0}
          error={problemAt(`${at}.smallestBytes`)}
          onChange={(v) => change({ smallestBytes: orNull(v) })}
        />
        <Field label="and larger than" error={problemAt(`${at}.largestBytes`)} hint="bytes; empty for none">
          {(ids) => (
            <NumberInput
              {...ids}
              className="w-28"
              value={rule.largestBytes ?? null}
              onChange={(v, isEmpty) => change({ largestBytes: isEmpty ? null : orEmpty(v) })}
            />
          )}
        </Field>
        <Field label="Only with the tags" error={problemAt(`${at}.tags`)} hint="name=value, name=value; empty for any">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-44`}
              value={tags}
              onChange={(e) => {
                setTags(e.target.value);
                change({ tags: readTags(e.target.value) });
              }}
            />
          )}
        </Field>
        {(bucket.versioning || isEarlier) && (
          <Field label="Of" error={problemAt(`${at}.applies`)}>
            {(ids) => (
              <Select
                {...ids}
                value={rule.applies ?? "current"}
                options={[
                  { value: "current", label: "current versions" },
                  { value: "earlier", label: "earlier versions" },
                ]}
                onChange={(e) =>
                  change(e.target.value === "earlier" ? { applies: "earlier" } : { applies: "current", keepNewest: 0 })
                }
              />
            )}
          </Field>
        )}
        {isEarlier && (
          <Field label="Spare the newest" error={problemAt(`${at}.keepNewest`)} hint="versions of each key; 0 for none">
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-16"
                value={rule.keepNewest ?? 0}
                onChange={(v) => change({ keepNewest: orNull(v) })}
              />
            )}
          </Field>
        )}
        <Button
          kind="quiet"
          className="ml-auto self-center"
          onClick={() => edit((b) => ({ ...b, rules: (b.rules ?? []).filter((_, i) => i !== place) }))}
        >
          Remove rule
        </Button>
      </div>
      {isEarlier && <p className="mt-1 text-sm text-ink-soft">Days count from the day on which a version was superseded.</p>}
      <ol className="mt-2 space-y-1">
        {steps.map((step, s) => (
          <li key={s}>
            <div className="flex flex-wrap items-start gap-x-3">
              <Field label="At day" error={problemAt(`${at}.steps[${s}].age`)}>
                {(ids) => (
                  <NumberInput {...ids} className="w-20" value={step.age} onChange={(v) => changeStep(s, { age: orNull(v) })} />
                )}
              </Field>
              {tooYoung(step, prices) && (
                <Button className="mt-4" onClick={() => changeStep(s, { age: leastAge(step, prices) })}>
                  Take day {leastAge(step, prices)}
                </Button>
              )}
              {!isEarlier && (
                <Field label="counted from" error={problemAt(`${at}.steps`)}>
                  {(ids) => (
                    <Select
                      {...ids}
                      value={step.clock ?? "created"}
                      options={[
                        { value: "created", label: "its creation" },
                        { value: "read", label: "its last reading" },
                      ]}
                      onChange={(e) => changeClock(s, e.target.value === "read" ? "read" : "created")}
                    />
                  )}
                </Field>
              )}
              <Field label="move to" error={problemAt(`${at}.steps[${s}].tier`)}>
                {(ids) => (
                  <Select
                    {...ids}
                    value={step.tier}
                    options={offered.map((t) => ({ value: t.id, label: t.name }))}
                    onChange={(e) => changeStep(s, { tier: e.target.value })}
                  />
                )}
              </Field>
              {step.bundleTo == null ? (
                <Button kind="quiet" className="mt-4" onClick={() => changeStep(s, { bundleTo: 64e6 })}>
                  Bundle small ones
                </Button>
              ) : (
                <span className="flex items-start gap-x-1">
                  <SizeField
                    label="in bundles of"
                    value={step.bundleTo}
                    error={problemAt(`${at}.steps[${s}].bundleTo`)}
                    onChange={(v) => changeStep(s, { bundleTo: orNull(v) })}
                  />
                  <Button kind="quiet" className="mt-4" onClick={() => changeStep(s, { bundleTo: null })}>
                    One by one
                  </Button>
                </span>
              )}
              <Button
                kind="quiet"
                className="mt-4"
                aria-label={`Remove the step at day ${step.age}`}
                onClick={() => change({ steps: steps.filter((_, i) => i !== s) })}
              >
                Remove
              </Button>
            </div>
            <p className="text-sm text-ink-soft">
              <TierTerms tier={step.tier} region={bucket.region} />
            </p>
          </li>
        ))}
        {rule.expireAt != null && (
          <li className="flex items-start gap-x-3">
            <Field label="Expire at day" error={problemAt(`${at}.expireAt`)}>
              {(ids) => (
                <NumberInput
                  {...ids}
                  className="w-20"
                  value={rule.expireAt ?? null}
                  onChange={(v) => change({ expireAt: orEmpty(v) })}
                />
              )}
            </Field>
            <Button kind="quiet" className="mt-4" onClick={() => change({ expireAt: null })}>
              Never expire
            </Button>
          </li>
        )}
      </ol>
      {(watches(steps) || rule.backOnRead) && (
        <label className="mt-1 flex items-baseline gap-2">
          <input type="checkbox" checked={rule.backOnRead ?? false} onChange={(e) => change({ backOnRead: e.target.checked })} />
          <span>
            What somebody reads comes back to <TierName id={bucket.tier} /> that night
            <WatchingFee bucket={bucket} />
            {problemAt(`${at}.backOnRead`) && <span className="block text-bad">{problemAt(`${at}.backOnRead`)}</span>}
          </span>
        </label>
      )}
      <div className="mt-2 flex gap-3">
        <Button disabled={next == null} onClick={() => next && change({ steps: [...steps, next] })}>
          Add a step
        </Button>
        {rule.expireAt == null && (
          <Button onClick={() => change({ expireAt: Math.max(365, ...steps.map((s) => s.age + 365)) })}>Add an expiry</Button>
        )}
      </div>
    </fieldset>
  );
}

const watches = (steps: Step[]) => steps.some((s) => s.clock === "read");

/** The youngest age that the step's tier takes, by the step's clock. */
const leastAge = (step: Step, prices: Prices) => {
  const least = prices.tiers.find((t) => t.id === step.tier)?.leastAge;
  return (step.clock === "read" ? least?.read : least?.created) ?? 0;
};

const tooYoung = (step: Step, prices: Prices) => step.age != null && step.age < leastAge(step, prices);

/** Who is watched for reading is charged for it, wherever it rests. */
function WatchingFee({ bucket }: { bucket: Bucket }) {
  const { prices, price: inPrice } = useEstate();
  const fees = (prices.regions.find((r) => r.id === bucket.region)?.prices ?? []).filter((p) => (p.watching ?? 0) > 0);
  if (fees.length === 0) return <span className="text-ink-soft">; watching for it is free here.</span>;
  return (
    <span className="text-ink-soft">
      ; watching costs{" "}
      {fees.map((p, i) => (
        <span key={p.tier}>
          {i > 0 && ", "}
          {inPrice(p.watching ?? 0)} in <TierName id={p.tier} />
        </span>
      ))}{" "}
      per 1,000 objects and month.
    </span>
  );
}

/** What a tier demands, shown before anything is entered. */
function TierTerms({ tier, region }: { tier: string; region: string }) {
  const { prices, price: inPrice, bytes } = useEstate();
  const terms = prices.tiers.find((t) => t.id === tier);
  const price = prices.regions.find((r) => r.id === region)?.prices.find((p) => p.tier === tier);
  if (!terms || !price) return <TierName id={tier} />;
  const parts = [
    `${inPrice(price.storage[0]?.price ?? 0)} per ${prices.unit}-month`,
    terms.minimumStayDays > 0 ? `at least ${terms.minimumStayDays} days` : "no minimum stay",
    terms.minimumObjectBytes > 0 ? `billed from ${bytes(terms.minimumObjectBytes)}` : null,
    terms.overheadBytes > 0 ? `${bytes(terms.overheadBytes)} extra an object` : null,
    youngest(terms.leastAge),
    terms.waitHours > 0 ? `${terms.waitHours} hours to the first byte` : "at once",
  ];
  return (
    <>
      <TierName id={tier} /> {parts.filter(Boolean).join(" · ")}
    </>
  );
}

function youngest(least: { created?: number; read?: number } | null | undefined) {
  const ages = [
    least?.created ? `${least.created} days from creation` : null,
    least?.read ? `${least.read} days unread` : null,
  ].filter((a) => a !== null);
  return ages.length > 0 ? `takes nothing before ${ages.join(" or ")}` : null;
}

type Prices = ReturnType<typeof useEstate>["prices"];

const offeredTiers = (region: string, prices: Prices) => {
  const here = prices.regions.find((r) => r.id === region)?.prices.map((p) => p.tier) ?? [];
  return prices.tiers.filter((t) => here.includes(t.id));
};

function freshId(rules: LifecycleRule[]): string {
  const taken = new Set(rules.map((r) => r.id));
  let n = 1;
  while (taken.has(`rule-${n}`)) n++;
  return `rule-${n}`;
}
