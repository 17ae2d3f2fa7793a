import type { CopyDraftReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { WhatMakesIt } from "../../money/priced-terms";
import { Figure } from "../../ui/controls";
import { span } from "./words";

type CatchUpProps = { reading: CopyDraftReading; value: boolean | null; onChange: (catchUp: boolean) => void };

/** What lies there already: both answers with their bytes, hours and money. Neither is chosen for anybody. */
export function CatchUpChoice({ reading, value, onChange }: CatchUpProps) {
  const { money, bytes } = useEstate();
  const cost = reading.catchUp;
  if (!cost) return null;
  const answers = [
    {
      catchUp: true,
      title: "Copy what is there already, too",
      facts: [
        `${count(cost.objects)} objects, ${bytes(cost.bytes)}, are safe as well`,
        cost.hours == null
          ? `never done: the line is short of ${bytes(cost.shortBytesPerSecond * 86400)} a day`
          : cost.hours === 0
            ? "the line has no limit: as soon as time passes"
            : `all there after ${span(cost.hours)}`,
        `once ${money(cost.onceCharge)} (writes ${money(cost.writeCharge)}, transfer ${money(cost.transferCharge)}); storage ${money(cost.storageAMonth)} a month`,
      ],
      year: reading.costWith[0]?.estateChange ?? 0,
    },
    {
      catchUp: false,
      title: "Only what comes from now on",
      facts: [
        `${count(cost.objects)} objects, ${bytes(cost.bytes)}, stay behind: they are lost with their region`,
        "nothing to wait for",
        "once nothing",
      ],
      year: reading.costWithout[0]?.estateChange ?? 0,
    },
  ];
  return (
    <fieldset>
      <legend className="font-serif text-lg">What is there already</legend>
      <div className="mt-1 grid max-w-4xl grid-cols-2 gap-x-8">
        {answers.map((answer) => (
          <label
            key={String(answer.catchUp)}
            className={`block border-t-2 py-2 ${value === answer.catchUp ? "border-accent" : "border-hairline"}`}
          >
            <span className="flex items-center gap-2 font-medium">
              <input
                type="radio"
                name="catch-up"
                className="accent-(--accent)"
                checked={value === answer.catchUp}
                onChange={() => onChange(answer.catchUp)}
              />
              {answer.title}
            </span>
            {answer.facts.map((fact) => (
              <span key={fact} className="mt-0.5 block text-sm">
                {fact}
              </span>
            ))}
            <span className="mt-0.5 block text-sm">
              <Figure projected>{money(answer.year)}</Figure> more in the first year
            </span>
          </label>
        ))}
      </div>
      <WhatMakesIt amount={cost.onceCharge} terms={cost.once} />
      <WhatMakesIt amount={cost.storageAMonth} terms={[cost.storage]} />
    </fieldset>
  );
}
