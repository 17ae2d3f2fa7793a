import { useQuery } from "@tanstack/react-query";
import { type BackupPlan, type PlanBody, readBucket } from "../../api/client";
import { keys } from "../../api/keys";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Button, NumberInput, Select } from "../../ui/controls";
import { orNull } from "../../ui/number-text";

type PackStep = NonNullable<PlanBody["packsAge"]>[number];

type PackStepProps = {
  steps: PackStep[];
  bucket: string;
  onChange: (steps: PackStep[]) => void;
  wrong: ProblemAt;
};

/** When what a plan stores ages into colder tiers: a rule of its target's bucket, written with the plan. */
export function PackSteps({ steps, bucket, onChange, wrong }: PackStepProps) {
  const { prices, tierName } = useEstate();
  const lies = useQuery({ queryKey: keys.bucket(bucket), queryFn: () => readBucket(bucket) }).data?.value;
  if (!lies) return null;
  const { region, tier: landing } = lies;
  const offered = prices.regions.find((r) => r.id === region)?.prices.map((p) => p.tier) ?? [];
  const order = prices.tiers.map((t) => t.id);
  const colder = (than: string) => order.filter((t) => offered.includes(t) && order.indexOf(t) > order.indexOf(than));
  const last = steps.at(-1)?.tier ?? landing;
  const wait = (tier: string) => prices.tiers.find((t) => t.id === tier)?.waitHours ?? 0;
  const set = (i: number, part: Partial<PackStep>) => onChange(steps.map((s, k) => (k === i ? { ...s, ...part } : s)));
  return (
    <fieldset>
      <legend className="text-sm text-ink-soft">What it stores ages</legend>
      {steps.length === 0 && <p>It stays in {tierName(landing)}.</p>}
      {steps.map((step, i) => (
        <div key={i} className="flex flex-wrap items-baseline gap-x-3">
          after{" "}
          <NumberInput
            aria-label={`Days until step ${i + 1}`}
            className="w-20"
            value={step.age}
            onChange={(v) => set(i, { age: orNull(v) })}
          />{" "}
          days into
          <Select
            aria-label={`Tier of step ${i + 1}`}
            value={step.tier}
            options={colder(i === 0 ? landing : (steps[i - 1]?.tier ?? landing)).map((t) => ({ value: t, label: tierName(t) }))}
            onChange={(e) => set(i, { tier: e.target.value })}
          />
          {wait(step.tier) > 0 && <span className="text-sm text-ink-soft">a restore waits {wait(step.tier)} h for it</span>}
          <Button kind="quiet" aria-label={`Without it, step ${i + 1}`} onClick={() => onChange(steps.filter((_, k) => k !== i))}>
            Without it
          </Button>
          {stepWrong(wrong, i) && <p className="w-full text-sm text-bad">{stepWrong(wrong, i)}</p>}
        </div>
      ))}
      {wrong("$.packsAge") && <p className="text-sm text-bad">{wrong("$.packsAge")}</p>}
      {colder(last).length > 0 && (
        <Button
          kind="quiet"
          onClick={() => onChange([...steps, { age: (steps.at(-1)?.age ?? 0) + 30, tier: colder(last)[0] ?? last }])}
        >
          {steps.length === 0 ? "Let it age" : "One step more"}
        </Button>
      )}
    </fieldset>
  );
}

const stepWrong = (wrong: ProblemAt, i: number) =>
  wrong(`$.packsAge[${i}]`) ?? wrong(`$.packsAge[${i}].age`) ?? wrong(`$.packsAge[${i}].tier`);

/** A plan as it is written: its steps only where somebody wrote them. */
export type PlanForm = BackupPlan & { packsAge?: PackStep[] | null };
