import type { Assumption, YearChange } from "../../api/client";
import { useEstate } from "../../estate-context";
import { YearTable } from "../../money/year-table";

/** What the whole estate costs a year, before and after a change of several buckets; `assume` opens what it costs afterwards. */
export function CostTable({ cost, assume }: { cost: YearChange[]; assume?: Assumption[] | undefined }) {
  const { moneyChange } = useEstate();
  if (cost.length === 0) return null;
  return (
    <section>
      <YearTable caption="The estate's cost a year" cost={cost} of="estate" opens={{}} assume={assume} />
      <p className="mt-1 text-ink-soft">
        Of the first year's change {moneyChange(cost[0]?.bucketChange ?? 0)} in the source, the rest elsewhere.
      </p>
    </section>
  );
}
