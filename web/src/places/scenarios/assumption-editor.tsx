import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type Assumption, type BackupPlan, readPlans } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day } from "../../format";
import { Button, Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { orEmpty } from "../../ui/number-text";
import { chargeWords, words } from "./assumption-words";
import { useNames } from "./use-names";

type EditorProps = {
  /** The id of the one that it belongs to. */
  scenario: string;
  number: number;
  assumption: Assumption;
  problem: string | undefined;
  isFirst: boolean;
  onChange: (assumption: Assumption) => void;
  onRemove: () => void;
  /** Before the one that it follows. */
  onEarlier: () => void;
};

/** One assumption, with the fields that its kind has. */
export function AssumptionEditor({ scenario, number, assumption, problem, isFirst, onChange, onRemove, onEarlier }: EditorProps) {
  const said = words(assumption, useNames());
  return (
    <li className="border-b border-hairline py-2">
      <p className="flex items-baseline gap-2">
        <span className="font-serif text-ink-soft">{number}</span>
        <span className="min-w-0 grow">{said}</span>
        <Button kind="quiet" className="text-sm" disabled={isFirst} aria-label={`Earlier: ${said}`} onClick={onEarlier}>
          earlier
        </Button>
        <Button kind="quiet" className="text-sm" aria-label={`Remove: ${said}`} onClick={onRemove}>
          remove
        </Button>
      </p>
      <div className="mt-1 flex flex-wrap items-start gap-x-3 gap-y-1 pl-5">
        <Fields scenario={scenario} assumption={assumption} onChange={onChange} />
      </div>
      {problem && (
        <p role="alert" className="mt-1 pl-5 text-sm text-bad">
          {problem}
        </p>
      )}
    </li>
  );
}

type FieldsProps = { scenario: string; assumption: Assumption; onChange: (assumption: Assumption) => void };

function Fields({ scenario, assumption, onChange }: FieldsProps) {
  if (assumption.growth) return <GrowthFields of={assumption.growth} onChange={(growth) => onChange({ growth })} />;
  if (assumption.reading) {
    const reading = assumption.reading;
    return (
      <>
        <BucketField value={reading.bucket} onChange={(bucket) => onChange({ reading: { ...reading, bucket } })} />
        <NumberField
          label="times as often"
          value={reading.times}
          onChange={(times) => onChange({ reading: { ...reading, times } })}
        />
      </>
    );
  }
  if (assumption.prices) return <PriceFields of={assumption.prices} onChange={(prices) => onChange({ prices })} />;
  if (assumption.offer) return <OfferField of={assumption.offer} onChange={(offer) => onChange({ offer })} />;
  if (assumption.priceBook)
    return (
      <p className="text-sm text-ink-soft">
        A draft of the price book.{" "}
        <Link to={`/prices?what-if=${scenario}`} state={{ draft: assumption.priceBook }}>
          Open it
        </Link>{" "}
        to change it, and keep it here again.
      </p>
    );
  if (assumption.place) return <PlaceFields of={assumption.place} onChange={(place) => onChange({ place })} />;
  if (assumption.bucket) {
    const { as, stated } = assumption.bucket;
    return (
      <p className="text-sm text-ink-soft">
        A draft of {day(stated)}.{" "}
        <Link to={`/buckets/${as.name}?what-if=${scenario}`} state={{ draft: as }}>
          Open it
        </Link>{" "}
        to change it, and keep it here again.
      </p>
    );
  }
  if (assumption.plan) return <PlanDraft scenario={scenario} plan={assumption.plan} />;
  if (assumption.packsAge)
    return (
      <p className="text-sm text-ink-soft">
        As in the draft of a <Link to="/plans">plan</Link> that leads there; keep it from one again to change it.
      </p>
    );
  return null;
}

function PlanDraft({ scenario, plan }: { scenario: string; plan: BackupPlan }) {
  const plans = useQuery({ queryKey: keys.plans, queryFn: readPlans });
  const isKnown = plans.data?.value.plans.some((p) => p.plan.id === plan.id);
  if (isKnown === undefined) return null;
  return (
    <p className="text-sm text-ink-soft">
      {isKnown ? "A draft of it." : "A new plan."}{" "}
      <Link to={`/plans/${isKnown ? plan.id : "new"}?what-if=${scenario}`} state={{ draft: plan }}>
        Open it
      </Link>{" "}
      to change it, and keep it here again.
    </p>
  );
}

type Of<K extends keyof Assumption> = {
  of: NonNullable<Assumption[K]>;
  onChange: (of: NonNullable<Assumption[K]>) => void;
};

function GrowthFields({ of, onChange }: Of<"growth">) {
  return (
    <>
      <BucketField value={of.bucket} onChange={(bucket) => onChange({ ...of, bucket })} />
      <Field label="prefix">
        {(ids) => (
          <input
            {...ids}
            className={`${inputLook} w-20`}
            value={of.prefix ?? ""}
            onChange={(e) => onChange({ ...of, prefix: e.target.value })}
          />
        )}
      </Field>
      <NumberField label="arrivals, times" value={of.arrivals ?? 1} onChange={(arrivals) => onChange({ ...of, arrivals })} />
      <NumberField
        label="growth, points"
        value={hundredfold(of.yearlyGrowth ?? 0)}
        onChange={(points) => onChange({ ...of, yearlyGrowth: points === null ? orEmpty(null) : points / 100 })}
      />
    </>
  );
}

function PriceFields({ of, onChange }: Of<"prices">) {
  const { prices } = useEstate();
  return (
    <>
      <Field label="for">
        {(ids) => (
          <Select
            {...ids}
            value={of.charge ?? ""}
            options={[
              { value: "", label: "everything by use" },
              ...Object.entries(chargeWords).map(([value, label]) => ({ value, label })),
            ]}
            onChange={(e) => onChange({ ...of, charge: (e.target.value || null) as typeof of.charge })}
          />
        )}
      </Field>
      <NumberField
        label="per cent more"
        value={hundredfold(of.times, 1)}
        onChange={(more) => onChange({ ...of, times: more === null ? orEmpty(null) : 1 + more / 100 })}
      />
      <Field label="from">
        {(ids) => (
          <input
            {...ids}
            type="date"
            className={inputLook}
            value={of.from ?? ""}
            onChange={(e) => onChange({ ...of, from: e.target.value || null })}
          />
        )}
      </Field>
      <Choose
        label="tier"
        none="every tier"
        value={of.tier}
        options={prices.tiers}
        onChange={(tier) => onChange({ ...of, tier })}
      />
      <Choose
        label="region"
        none="everywhere"
        value={of.region}
        options={prices.regions}
        onChange={(region) => onChange({ ...of, region })}
      />
    </>
  );
}

function OfferField({ of, onChange }: Of<"offer">) {
  const { offers, prices } = useNames();
  const known = offers.filter((o) => o.prices.currency === prices.currency);
  return (
    <Field label="offer">
      {(ids) => (
        <Select
          {...ids}
          value={of}
          options={[
            ...(known.some((o) => o.id === of) ? [] : [{ value: of, label: of }]),
            ...known.map((o) => ({ value: o.id, label: o.name })),
          ]}
          onChange={(e) => onChange(e.target.value)}
        />
      )}
    </Field>
  );
}

function PlaceFields({ of, onChange }: Of<"place">) {
  const { prices } = useEstate();
  return (
    <>
      <BucketField value={of.bucket} onChange={(bucket) => onChange({ ...of, bucket })} />
      <Choose
        label="region"
        none="where it is"
        value={of.region}
        options={prices.regions}
        onChange={(region) => onChange({ ...of, region })}
      />
      <Choose
        label="scheme"
        none="as it is"
        value={of.scheme}
        options={prices.schemes}
        onChange={(scheme) => onChange({ ...of, scheme })}
      />
      <Choose
        label="landing tier"
        none="as it is"
        value={of.tier}
        options={prices.tiers}
        onChange={(tier) => onChange({ ...of, tier })}
      />
    </>
  );
}

type ChosenProps = {
  value: string | null | undefined;
  onChange: (value: string | null) => void;
};

function BucketField(props: ChosenProps) {
  const { estate } = useEstate();
  return <Choose label="bucket" none="all buckets" options={estate.buckets.map((id) => ({ id, name: id }))} {...props} />;
}

function Choose({
  label,
  none,
  value,
  options,
  onChange,
}: ChosenProps & { label: string; none: string; options: { id: string; name: string }[] }) {
  return (
    <Field label={label}>
      {(ids) => (
        <Select
          {...ids}
          className="max-w-40"
          value={value ?? ""}
          options={[{ value: "", label: none }, ...options.map((o) => ({ value: o.id, label: o.name }))]}
          onChange={(e) => onChange(e.target.value || null)}
        />
      )}
    </Field>
  );
}

function NumberField({ label, value, onChange }: { label: string; value: number | null; onChange: (value: number) => void }) {
  return (
    <Field label={label}>
      {(ids) => <NumberInput {...ids} className="w-20" digits={6} value={value} onChange={(next) => onChange(orEmpty(next))} />}
    </Field>
  );
}

/** As per cent above a base; what is no number yet stays none. */
const hundredfold = (value: number, base = 0) => (typeof value === "number" ? (value - base) * 100 : value);
