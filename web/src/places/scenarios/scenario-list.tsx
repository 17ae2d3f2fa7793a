import { Link, useLocation } from "react-router";
import type { Assumption, ScenarioOutlook } from "../../api/client";
import { useEstate } from "../../estate-context";
import { Opens } from "../../money/opens";
import { tone } from "../../money/year-table";
import { Button, Figure } from "../../ui/controls";

const shown = [1, 3, 10];

type ListProps = {
  outlooks: ScenarioOutlook[];
  chosen: string;
  /** The scenario that is being typed, stored nowhere yet, and what was assumed for its money; null before that is known. */
  typed: { id: string; assume: Assumption[] | null } | null;
  onAdd: () => void;
};

/** The estate as it stands and every scenario, a line each: what single years cost. */
export function ScenarioList({ outlooks, chosen, typed, onAdd }: ListProps) {
  const { money } = useEstate();
  const { search } = useLocation();
  return (
    <>
      <table className="w-full text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">scenario</th>
            {shown.map((year) => (
              <th key={year} className="pl-3 font-normal">
                year {year}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {outlooks.map((of) => (
            <tr key={of.id} className={`border-b border-hairline ${of.id === chosen ? "bg-paper-deep" : ""}`}>
              <th scope="row" className="py-1 text-left font-normal">
                {of.id === "" ? (
                  of.name
                ) : (
                  <Link to={`/what-if/${of.id}${search}`} aria-current={of.id === chosen}>
                    {of.name || "without a name"}
                  </Link>
                )}
              </th>
              {of.problems.length > 0 && (
                <td colSpan={shown.length} className="pl-3 text-left text-bad">
                  does not fit the estate any more
                </td>
              )}
              {of.problems.length === 0 &&
                shown.map((year) => {
                  const { money: own, from, to } = of.years[year - 1] ?? {};
                  const asItStands = outlooks[0]?.years[year - 1]?.money;
                  return (
                    <td
                      key={year}
                      className={`pl-3 ${own === undefined || asItStands === undefined ? "" : tone(own - asItStands)}`}
                    >
                      {own === undefined || from === undefined || to === undefined ? (
                        ""
                      ) : of.id === typed?.id && !typed.assume ? (
                        <Figure projected>{money(own)}</Figure>
                      ) : (
                        <Opens
                          why={{
                            month: from,
                            to,
                            ...(of.id === typed?.id ? { assume: typed.assume ?? [] } : of.id !== "" && { scenario: of.id }),
                          }}
                          label={`${money(own)}: ${of.name}, year ${year}`}
                        >
                          <Figure projected>{money(own)}</Figure>
                        </Opens>
                      )}
                    </td>
                  );
                })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2">
        <Button onClick={onAdd}>New scenario</Button>
      </p>
    </>
  );
}
