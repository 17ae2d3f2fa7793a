import type { AwayCharges } from "../../api/client";
import { useEstate } from "../../estate-context";
import { WhatMakesIt } from "../../money/priced-terms";

/** What reading data that is away costs once. */
export function AwayBill({ charges }: { charges: AwayCharges }) {
  const { money } = useEstate();
  return (
    <>
      <table className="mt-3">
        <tbody>
          <Row name="Reading and recalling" amount={money(charges.read)} />
          <Row name="Leaving tiers before their minimum stay" amount={money(charges.earlyLeave)} />
          <Row name="Transfer to the array" amount={money(charges.transfer)} />
          <Row name="Once, together" amount={money(charges.once)} strong />
        </tbody>
      </table>
      <WhatMakesIt amount={charges.once} terms={charges.terms} />
    </>
  );
}

function Row({ name, amount, strong = false }: { name: string; amount: string; strong?: boolean }) {
  return (
    <tr className={strong ? "border-t border-hairline-strong font-medium" : ""}>
      <th className="py-0.5 pr-8 text-left font-normal">{name}</th>
      <td className="text-right">{amount}</td>
    </tr>
  );
}
