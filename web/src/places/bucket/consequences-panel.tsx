import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Assumption, Consequences, DraftReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { Opens } from "../../money/opens";
import { WhatMakesIt } from "../../money/priced-terms";
import { YearTable } from "../../money/year-table";
import { Figure } from "../../ui/controls";

/** `assume` opens what it would cost: the draft as an assumption, while these are its consequences. */
type PanelProps = { bucket: string; reading: DraftReading; changed: boolean; assume: Assumption[] | undefined };

/** What a draft would do, or why it is refused. All numbers come from the server. */
export function ConsequencesPanel({ bucket, reading, changed, assume }: PanelProps) {
  const { consequences, problems } = reading;
  if (!consequences) {
    return (
      <div role="alert">
        <h2 className="text-lg text-bad">Cannot be applied</h2>
        <ul className="mt-1 space-y-1 text-sm">
          {problems.map((problem) => (
            <li key={problem.path + problem.code}>{problem.message}</li>
          ))}
        </ul>
      </div>
    );
  }
  return (
    <div className="space-y-5 text-sm" data-testid="consequences">
      <Cost bucket={bucket} consequences={consequences} changed={changed} assume={assume} />
      <Now consequences={consequences} />
      <Doubts consequences={consequences} />
      <SmallObjects consequences={consequences} />
      <Slow consequences={consequences} changed={changed} />
    </div>
  );
}

/** `about` is the word of the glossary that says how it is computed. */
function Part({ title, about, children }: { title: string; about?: string; children: ReactNode }) {
  return (
    <section>
      <h2 className="mb-1 text-base">
        {title}{" "}
        {about && (
          <Link to={{ pathname: "/about", hash: about }} className="font-sans text-sm text-ink-soft">
            how?
          </Link>
        )}
      </h2>
      {children}
    </section>
  );
}

type CostProps = { bucket: string; consequences: Consequences; changed: boolean; assume: Assumption[] | undefined };

function Cost({ bucket, consequences, changed, assume }: CostProps) {
  const { moneyColumn, moneyChange } = useEstate();
  const { cost, charges } = consequences;
  const inColumn = moneyColumn(charges.flatMap((c) => [c.before, c.after]));
  const [first] = cost;
  const opened = (charge: string, amount: number, assuming: Assumption[] | undefined) =>
    first && assuming && amount !== 0 ? (
      <Opens
        why={{ month: first.from, to: first.to, bucket, charge, assume: assuming }}
        label={`${inColumn(amount)}: ${charge}, year 1${assuming.length > 0 ? ", afterwards" : ""}`}
      >
        {inColumn(amount)}
      </Opens>
    ) : (
      inColumn(amount)
    );
  return (
    <section>
      <YearTable
        caption={changed ? "Cost a year, before and after" : "Cost a year"}
        cost={cost}
        of="bucket"
        changed={changed}
        opens={{ bucket }}
        assume={assume}
      />
      {changed && cost.some((c) => Math.abs(c.elsewhereChange) >= 0.005) && (
        <p className="mt-1 text-ink-soft">
          Other buckets, through copies and shared price bands: {cost.map((c) => moneyChange(c.elsewhereChange)).join(", ")}.
        </p>
      )}
      <details className="mt-1">
        <summary className="cursor-pointer text-ink-soft">The first year by charge</summary>
        <table className="mt-1 w-full text-right">
          <tbody>
            {charges.map((c) => (
              <tr key={c.charge} className="border-b border-hairline">
                <th scope="row" className="text-left font-normal">
                  {c.charge}
                </th>
                {changed && <td>{opened(c.charge, c.before, [])}</td>}
                <td>{opened(c.charge, c.after, changed ? assume : [])}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </section>
  );
}

function Now({ consequences }: { consequences: Consequences }) {
  const { money, bytes, tierName } = useEstate();
  const { now, oneOffCharges } = consequences;
  return (
    <Part title="At once, when the rules run" about="early-leave">
      {now.length === 0 && <p>Nothing that is here moves or goes.</p>}
      <ul className="space-y-1">
        {now.map((m) => (
          <li key={m.fromTier + (m.toTier ?? "")} className={m.toTier == null ? "text-bad" : ""}>
            {count(m.objects)} objects, {bytes(m.bytes)},{" "}
            {m.toTier == null
              ? `expire from ${tierName(m.fromTier)}`
              : `move from ${tierName(m.fromTier)} to ${tierName(m.toTier)}`}
            {m.moveCharge > 0 && `; moves ${money(m.moveCharge)}`}
            {m.earlyLeaveCharge > 0 && `; leaving early ${money(m.earlyLeaveCharge)}`}.
          </li>
        ))}
      </ul>
      {oneOffCharges > 0 && <p className="mt-1 font-semibold">One-off charges: {money(oneOffCharges)}</p>}
      <WhatMakesIt amount={oneOffCharges} terms={now.flatMap((m) => m.terms)} />
    </Part>
  );
}

function Doubts({ consequences }: { consequences: Consequences }) {
  const { money, tierName } = useEstate();
  const { doubts, brokenStays } = consequences;
  if (doubts.length === 0) return null;
  return (
    <Part title="Warnings">
      <ul className="space-y-1">
        {doubts.map((doubt) => (
          <li key={doubt.path + doubt.message} className="border-l-2 border-bad pl-2">
            {doubt.message}
          </li>
        ))}
        {brokenStays.map((stay) => (
          <li key={stay.tier} className="pl-2.5">
            Leaving {tierName(stay.tier)} early costs {money(stay.chargeInYear1)} in the first year, {money(stay.chargeInYear3)}{" "}
            in the third.
          </li>
        ))}
      </ul>
    </Part>
  );
}

/** Whether each step pays for objects of the size that arrives, and what bundling would change. */
function SmallObjects({ consequences }: { consequences: Consequences }) {
  const { money, bytes, tierName } = useEstate();
  if (consequences.steps.length === 0) return null;
  return (
    <Part title="Does each step pay?" about="step-pays">
      <ul className="space-y-2">
        {consequences.steps.map((s) => (
          <li key={`${s.prefix}-${s.bytesPerObject}-${s.toTier}`}>
            <span className={s.netPerYear < 0 ? "font-semibold text-bad" : ""}>
              {s.prefix && `${s.prefix} `}
              {bytes(s.bytesPerObject)} objects to {tierName(s.toTier)}
              {s.bundleTo > 0 && `, in bundles of ${bytes(s.bundleTo)},`}{" "}
              {s.byReading ? `after ${s.age} days unread` : `at day ${s.age}`}:{" "}
              {s.netPerYear < 0
                ? `a year's arrivals cost ${money(-s.netPerYear)} more than they save`
                : `a year's arrivals save ${money(s.netPerYear)} over their stay`}
              .
            </span>{" "}
            {s.breakEvenBytes == null
              ? "No size of object would save."
              : s.breakEvenBytes > 0 && `Pays from ${bytes(s.breakEvenBytes)} an object on.`}
            {s.netPerYear < 0 &&
              (s.netPerYearBundled ?? 0) > 0 &&
              ` Bundled into 128 MB objects first, they would save ${money(s.netPerYearBundled ?? 0)}.`}
          </li>
        ))}
      </ul>
      <p className="mt-1 text-sm">
        <Link to="/break-even">Break-even sizes of all tiers</Link>
      </p>
    </Part>
  );
}

function Slow({ consequences, changed }: { consequences: Consequences; changed: boolean }) {
  const { bytes, tierName } = useEstate();
  if (consequences.slow.length === 0) return null;
  return (
    <Part title="Slow to read, in three years">
      {consequences.slow.map((s) => (
        <p key={s.tier}>
          <Figure projected>{bytes(s.bytesAfter)}</Figure> in {tierName(s.tier)} wait {s.waitHours} hours for the first byte
          {changed && s.bytesBefore !== s.bytesAfter && ` (${bytes(s.bytesBefore)} before)`}.
        </p>
      ))}
    </Part>
  );
}
