import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { readTargetUse, type TargetReading } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";
import { WhatMakesIt } from "../../money/priced-terms";
import { Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";

const chargeNames: Record<string, string> = {
  storage: "lies there",
  writes: "written",
  reads: "read",
  recall: "recalled",
  moves: "moved",
  "early-leave": "left early",
  transfer: "sent",
};

/** Bytes, requests and the money of each over a span, and what it costs in ten years. */
export function UsePart({ target }: { target: TargetReading }) {
  const { money, moneyColumn, bytes } = useEstate();
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const { id } = target.target;
  const use = useQuery({
    queryKey: keys.targetUse(id, from, to),
    queryFn: () => readTargetUse(id, from || null, to || null),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const said = use.data;
  const column = moneyColumn(said?.parts.map((p) => p.amount) ?? []);
  const many = (charge: string, quantity: number, unit: string) =>
    charge === "storage" || charge === "early-leave" || charge === "recall"
      ? `${quantity > 0 && quantity < 0.001 ? "under 0.001" : count(quantity, quantity < 10 ? 3 : 0)} ${unit}`
      : `${count(quantity)} ${quantity === 1 ? unit : `${unit}s`}`;
  return (
    <section aria-label="What it is charged">
      <h2 className="text-xl">What it is charged</h2>
      <div className="flex flex-wrap items-end gap-4">
        <Field label="From the day">
          {(ids) => (
            <input
              {...ids}
              type="date"
              className={inputLook}
              value={from || said?.from || ""}
              onChange={(e) => setFrom(e.target.value)}
            />
          )}
        </Field>
        <Field label="before the day">
          {(ids) => (
            <input
              {...ids}
              type="date"
              className={inputLook}
              value={to || said?.to || ""}
              onChange={(e) => setTo(e.target.value)}
            />
          )}
        </Field>
      </div>
      {use.error && <ErrorNote error={use.error} />}
      {said && said.parts.length === 0 && (
        <p className="text-ink-soft">
          Nothing from {day(said.from)} on: requests are booked at once, and what lies there at every midnight.
        </p>
      )}
      {said && said.parts.length > 0 && (
        <table className="mt-1 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">tier</th>
              <th className="font-normal">charged for what</th>
              <th className="text-right font-normal">quantity</th>
              <th className="text-right font-normal">bytes</th>
              <th className="text-right font-normal">money</th>
            </tr>
          </thead>
          <tbody>
            {said.parts.map((p) => (
              <tr key={p.tier + p.charge} className="border-b border-hairline">
                <td className="py-0.5">{p.tier}</td>
                <td>{chargeNames[p.charge] ?? p.charge}</td>
                <td className="text-right">{many(p.charge, p.quantity, p.unit)}</td>
                <td className="text-right">{p.bytes > 0 ? bytes(p.bytes) : ""}</td>
                <td className="text-right">{column(p.amount)}</td>
              </tr>
            ))}
            <tr>
              <th scope="row" colSpan={4} className="py-0.5 text-left font-normal">
                together
              </th>
              <td className="text-right">{money(said.money)}</td>
            </tr>
          </tbody>
        </table>
      )}
      {said?.tenthYear != null && (
        <>
          <p className="mt-2">
            Left to itself, what lies there costs <span className="figure-projected">{money(said.tenthYear)}</span> a month in the
            tenth year{target.monthMoney ? `; now ${money(target.monthMoney)}` : ""}.
          </p>
          <WhatMakesIt amount={said.tenthYear} terms={said.tenthYearTerms} />
        </>
      )}
    </section>
  );
}
