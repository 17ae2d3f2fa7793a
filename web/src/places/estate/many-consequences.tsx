import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import { Link } from "react-router";
import type { ManyReading, YearChange } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Opens } from "../../money/opens";
import { tone, YearTable } from "../../money/year-table";

/** What one change does to many buckets: the sum, and every bucket with its reason or its money. */
export function ManyConsequences({ reading }: { reading: ManyReading }) {
  const changed = reading.each.filter((one) => one.changes).map((one) => one.name);
  return (
    <div className="space-y-4 text-sm">
      {reading.problems.map((problem) => (
        <p key={problem.code + problem.message} role="alert" className="border-l-4 border-bad pl-3 text-bad">
          {problem.message}
        </p>
      ))}
      <p>
        {count(reading.changing)} change
        {reading.refused > 0 && (
          <strong className="text-bad">, {count(reading.refused)} cannot take it: nothing can be applied</strong>
        )}
        .
      </p>
      {reading.cost.length > 0 && (
        <YearTable
          caption="Cost a year of those that change, together"
          cost={reading.cost}
          of="bucket"
          {...(reading.assume.length > 0 && { opens: { bucket: changed.join(",") }, assume: reading.assume })}
        />
      )}
      <Each reading={reading} />
    </div>
  );
}

const lineHeight = 44;

function Each({ reading }: { reading: ManyReading }) {
  const { money, moneyChange } = useEstate();
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: reading.each.length,
    getScrollElement: () => box.current,
    estimateSize: () => lineHeight,
  });
  const third = (cost: YearChange[]) => cost.find((c) => c.year === 3);
  return (
    <section aria-label="One by one">
      <h2 className="text-base">One by one, the third year</h2>
      <div ref={box} tabIndex={0} className="mt-1 max-h-[46vh] overflow-y-auto">
        <ul className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const one = reading.each[item.index];
            const year = one && third(one.cost);
            return (
              one && (
                <li
                  key={one.name}
                  className="absolute inset-x-0 flex items-center gap-3 border-t border-hairline"
                  style={{ transform: `translateY(${item.start}px)`, height: lineHeight }}
                >
                  <Link to={`/buckets/${one.name}`} className="truncate">
                    {one.name}
                  </Link>
                  {one.problems.length > 0 ? (
                    <span className="line-clamp-2 text-bad">{one.problems[0]?.message}</span>
                  ) : year ? (
                    <span className="ml-auto whitespace-nowrap">
                      <Opens
                        why={{ month: year.from, to: year.to, bucket: one.name }}
                        label={`${one.name}: ${money(year.bucketBefore)}`}
                      >
                        {money(year.bucketBefore)}
                      </Opens>{" "}
                      →{" "}
                      {reading.assume.length > 0 ? (
                        <Opens
                          why={{ month: year.from, to: year.to, bucket: one.name, assume: reading.assume }}
                          label={`${one.name}: ${money(year.bucketAfter)}, afterwards`}
                        >
                          {money(year.bucketAfter)}
                        </Opens>
                      ) : (
                        money(year.bucketAfter)
                      )}{" "}
                      <span className={tone(year.bucketChange)}>{moneyChange(year.bucketChange)}</span>
                    </span>
                  ) : (
                    <span className="ml-auto text-ink-soft">is so already</span>
                  )}
                </li>
              )
            );
          })}
        </ul>
      </div>
    </section>
  );
}
