import type { Assumption, Fan } from "../../api/client";
import { useEstate } from "../../estate-context";
import { month } from "../../format";
import { Opens } from "../../money/opens";
import { Figure } from "../../ui/controls";

/** The three bounds, in the order in which a band has their futures. */
export const bounds = ["p10", "p50", "p90"] as const;

type FutureAmountProps = {
  amount: number;
  /** That the future was drawn for. */
  scenario: string | null;
  /** Whose money it is, or comes nearest to it. */
  future: Fan["total"]["nearest"][number] | undefined;
  from: string;
  to: string;
  /** What it is of. */
  label: string;
};

/** An amount that opens as a future: what was drawn for it, and what the estate costs then. */
export function FutureAmount({ amount, scenario, future, from, to, label }: FutureAmountProps) {
  const { money } = useEstate();
  const figure = <Figure projected>{money(amount)}</Figure>;
  if (!future) return figure;
  const assume: Assumption[] = [
    ...(future.growth !== 0 ? [{ growth: { yearlyGrowth: future.growth } }] : []),
    ...(future.reading !== 1 ? [{ reading: { times: future.reading } }] : []),
  ];
  return (
    <Opens
      why={{
        month: from,
        ...(to !== from && { to }),
        ...(scenario && { scenario }),
        ...(future.prices !== 0 && { rise: String(future.prices) }),
        assume,
      }}
      label={`${money(amount)}: ${label} of ${from === to ? month(from) : `${month(from)} to ${month(to)}`}`}
    >
      {figure}
    </Opens>
  );
}

type BandAmountsProps = { scenario: string | null; band: Fan["total"]; from: string; to: string };

/** The three of a band, each as the future that comes nearest to it. */
export const bandAmounts = ({ scenario, band, from, to }: BandAmountsProps) =>
  bounds.map((bound, i) => (
    <FutureAmount
      key={bound}
      scenario={scenario}
      amount={band[bound]}
      future={band.nearest[i]}
      from={from}
      to={to}
      label={bound.toUpperCase()}
    />
  ));
