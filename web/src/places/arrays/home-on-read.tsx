import type { ArrayReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { WhatMakesIt } from "../../money/priced-terms";

type HomeOnReadProps = { reading: ArrayReading; value: boolean; onChange: (home: boolean) => void };

/** Whether reading brings data home, and what either way costs. */
export function HomeOnRead({ reading, value, onChange }: HomeOnReadProps) {
  const { money, bytes } = useEstate();
  const price = reading.readPrice;
  const days = price?.daysAtHome;
  return (
    <fieldset className="mt-4 border-t border-hairline pt-3">
      <legend className="sr-only">When somebody reads what is away</legend>
      <h2 className="font-serif">When somebody reads what is away</h2>
      <Choice
        name="it is read where it is"
        amount={price && money(price.whereItIs)}
        checked={!value}
        onChange={() => onChange(false)}
      />
      <Choice name="it comes home" amount={price && money(price.home)} checked={value} onChange={() => onChange(true)} />
      {price && (
        <>
          <WhatMakesIt amount={price.whereItIs} terms={price.whereItIsTerms} />
          <WhatMakesIt amount={price.home} terms={price.homeTerms} />
          <p className="mt-1 text-sm text-ink-soft">
            {price.readAfter == null
              ? `For reading all ${bytes(price.bytes)} that are away.`
              : `For reading the ${bytes(price.bytes)} that would leave tonight, ${price.readAfter} days later.`}{" "}
            Coming home is one reading, leaving the tier early, {days == null ? "a year" : `${days} days`} on the array instead of
            in the bucket{days != null && ", and the way back"}.{" "}
            {price.homeWinsFrom != null &&
              (price.homeWinsFrom <= 1
                ? "It costs no more than reading it once."
                : `It pays when the same data is read ${Math.ceil(price.homeWinsFrom)} times ${days == null ? "in that year" : "within those days"}.`)}
          </p>
        </>
      )}
      <p className="mt-1 text-sm text-ink-soft">What is kept in the bucket, or has no room on the array, is read where it is.</p>
    </fieldset>
  );
}

type ChoiceProps = { name: string; amount: string | null | undefined; checked: boolean; onChange: () => void };

function Choice({ name, amount, checked, onChange }: ChoiceProps) {
  return (
    <label className="mt-1 flex items-baseline gap-2">
      <input type="radio" name="home-on-read" className="accent-(--accent)" checked={checked} onChange={onChange} />
      <span className="grow">{name}</span>
      {amount != null && <span className="italic">{amount}</span>}
    </label>
  );
}
