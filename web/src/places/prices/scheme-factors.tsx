import { Link } from "react-router";
import type { PriceBook } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";

type FactorsProps = { book: PriceBook; problemAt: ProblemAt; onChange: (book: PriceBook) => void };

/** What storage costs under each redundancy scheme, times the price of the tier. */
export function SchemeFactors({ book, problemAt, onChange }: FactorsProps) {
  return (
    <section className="mt-6">
      <h2 className="text-xl">Redundancy schemes</h2>
      <p className="text-sm text-ink-soft">
        Every storage price is multiplied by the factor of the bucket's scheme, from today on. What a scheme promises stands under{" "}
        <Link to="/schemes">Redundancy</Link>.
      </p>
      <table className="mt-1">
        <tbody>
          {book.schemes.map((scheme, i) => {
            const wrong = problemAt(`$.schemes[${i}].storageFactor`);
            return (
              <tr key={scheme.id} className="border-b border-hairline">
                <th className="py-1 pr-8 text-left font-normal">
                  {scheme.name}
                  {wrong && (
                    <span role="alert" className="block text-sm text-bad">
                      {wrong}
                    </span>
                  )}
                </th>
                <td>
                  <NumberInput
                    aria-label={`${scheme.name}: factor of storage prices`}
                    aria-invalid={wrong !== undefined}
                    className="w-20"
                    value={scheme.storageFactor}
                    onChange={(v) =>
                      onChange({
                        ...book,
                        schemes: book.schemes.map((s, j) => (j === i ? { ...s, storageFactor: orNull(v) } : s)),
                      })
                    }
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
