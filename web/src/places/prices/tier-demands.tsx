import type { PriceBook, Tier } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { AddForm } from "./add-form";
import { withoutTier, withTier } from "./price-lists";

type DemandsProps = { book: PriceBook; problemAt: ProblemAt; onChange: (book: PriceBook) => void };

const demands = [
  { key: "minimumStayDays", label: "minimum stay, days" },
  { key: "minimumObjectBytes", label: "smallest billed size, bytes" },
  { key: "overheadBytes", label: "added to each object, bytes" },
  { key: "indexBytes", label: "of those in the landing tier, bytes" },
  { key: "waitHours", label: "wait, hours" },
] as const;

/** What each tier asks for, in every region alike and from now on. */
export function TierDemands({ book, problemAt, onChange }: DemandsProps) {
  const change = (place: number, part: Partial<Tier>) =>
    onChange({ ...book, tiers: book.tiers.map((t, i) => (i === place ? { ...t, ...part } : t)) });
  return (
    <section className="mt-6">
      <h2 className="text-xl">What tiers ask for</h2>
      <p className="text-sm text-ink-soft">
        From warm to cold, in every region alike. This holds from today on, whatever day is looked at.
      </p>
      <table className="mt-1 w-full">
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="text-left font-normal">tier</th>
            {demands.map((d) => (
              <th key={d.key} className="pl-3 text-right align-bottom font-normal">
                {d.label}
              </th>
            ))}
            <th className="pl-3 text-right align-bottom font-normal">least age by creation, days</th>
            <th className="pl-3 text-right align-bottom font-normal">by reading, days</th>
          </tr>
        </thead>
        <tbody>
          {book.tiers.map((tier, i) => (
            <tr key={tier.id} className="border-b border-hairline">
              <th className="whitespace-nowrap py-1 text-left font-normal">
                <input
                  aria-label={`Name of ${tier.id}`}
                  className="w-24 bg-transparent"
                  value={tier.name}
                  onChange={(e) => change(i, { name: e.target.value })}
                />
                <button
                  type="button"
                  aria-label={`Remove the tier ${tier.name}`}
                  title="remove the tier"
                  className="px-1 text-ink-soft hover:text-bad"
                  onClick={() => onChange(withoutTier(book, tier.id))}
                >
                  ×
                </button>
              </th>
              {demands.map((d) => (
                <td key={d.key} className="pl-3 text-right">
                  <NumberInput
                    aria-label={`${tier.name}: ${d.label}`}
                    aria-invalid={problemAt(`$.tiers[${i}].${d.key}`) !== undefined}
                    title={problemAt(`$.tiers[${i}].${d.key}`)}
                    className="w-20"
                    value={tier[d.key]}
                    onChange={(v) => change(i, { [d.key]: orNull(v) })}
                  />
                </td>
              ))}
              {(["created", "read"] as const).map((clock) => (
                <td key={clock} className="pl-3 text-right">
                  <NumberInput
                    aria-label={`${tier.name}: least age by ${clock === "read" ? "reading" : "creation"}, days`}
                    className="w-16"
                    value={tier.leastAge?.[clock] ?? 0}
                    onChange={(v) => change(i, { leastAge: { created: 0, read: 0, ...tier.leastAge, [clock]: orNull(v) } })}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <AddForm what="tier" taken={book.tiers.map((t) => t.id)} onAdd={(id, name) => onChange(withTier(book, id, name))} />
    </section>
  );
}
