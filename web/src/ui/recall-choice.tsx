import { useId } from "react";
import type { RecallAtSpeed } from "../api/client";
import { useEstate } from "../estate-context";
import { count, day, moment } from "../format";
import { WhatMakesIt } from "../money/priced-terms";
import { Field, inputLook } from "./controls";

export type RecallChoice = { speed: string | null; days: number };

const mostDays = 3650;

/** What a recall takes and costs at each speed, of which one is chosen; and how long the copies stay. */
export function RecallChoiceFields({
  speeds,
  choice,
  onChange,
}: {
  speeds: RecallAtSpeed[];
  choice: RecallChoice;
  onChange: (choice: RecallChoice) => void;
}) {
  const { money, bytes, tierName } = useEstate();
  const group = useId();
  const first = speeds[0]?.recall;
  const chosen = speeds.find((s) => (s.speed ?? null) === choice.speed)?.recall;
  if (!first) return null;
  return (
    <fieldset className="w-full">
      <legend>
        {first.objects > 0
          ? `${count(first.objects)} ${first.objects === 1 ? "object rests" : "objects rest"} where reading takes a wait, ${bytes(first.bytes)}: recalled`
          : "What it reads is on its way already: recalled"}
      </legend>
      {speeds.map((s) => (
        <label key={s.speed ?? ""} className="flex items-baseline gap-2 py-0.5">
          <input
            type="radio"
            name={group}
            checked={(s.speed ?? null) === choice.speed}
            onChange={() => onChange({ ...choice, speed: s.speed ?? null })}
          />
          <span>
            {s.speed == null ? "at the ordinary speed" : s.name.toLowerCase()}: there by {moment(s.recall.readyFrom)},{" "}
            {money(s.recall.onceCharge)} once and {money(s.recall.storageCharge)} for the copies
          </span>
        </label>
      ))}
      {chosen && (
        <>
          <WhatMakesIt amount={chosen.onceCharge} terms={chosen.parts.flatMap((p) => p.terms)} />
          <WhatMakesIt amount={chosen.storageCharge} terms={[chosen.storage]} />
        </>
      )}
      <div className="mt-1">
        <Field
          label="They stay readable for"
          hint={`days, in ${tierName(first.tier)} until ${day(chosen?.until ?? first.until)}; what they are of stays where it is`}
        >
          {(ids) => (
            <input
              {...ids}
              type="number"
              min={1}
              max={mostDays}
              className={`${inputLook} w-24`}
              value={Number.isNaN(choice.days) ? "" : choice.days}
              onChange={(e) => onChange({ ...choice, days: e.target.valueAsNumber })}
            />
          )}
        </Field>
      </div>
    </fieldset>
  );
}

/** A number of days that a recall may be asked for with. */
export const isRecallDays = (days: number) => Number.isInteger(days) && days >= 1 && days <= mostDays;
