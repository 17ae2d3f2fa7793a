import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { type FullRestoreAtSpeed, readFullRestore } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { TermTable } from "../../money/priced-terms";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Field, inputLook, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { span } from "../replication/words";
import { RestoreCurve } from "./restore-curve";

const amounts = (s: FullRestoreAtSpeed) => [
  { charge: "recall", amount: s.recall },
  { charge: "reads", amount: s.reads },
  { charge: "transfer", amount: s.transfer },
  { charge: "all", amount: s.total },
];

/** What makes an amount: every quantity with its price. */
function Terms({ speed, charge }: { speed: FullRestoreAtSpeed; charge: string }) {
  const { money } = useEstate();
  const terms = speed.terms.filter((t) => charge === "all" || t.charge === charge);
  const whole = amounts(speed).find((a) => a.charge === charge)?.amount ?? 0;
  return (
    <section className="mt-4 max-w-4xl border-l-2 border-accent pl-4" aria-label="Why">
      <h2 className="font-serif text-lg">
        {money(whole)}, {speed.name}, is the sum of
      </h2>
      <TermTable terms={terms} />
      <p className="mt-1 text-sm text-ink-soft">
        What lies there today, at the prices of today (<Link to="/prices">Prices</Link>).
      </p>
    </section>
  );
}

/** What it costs and how long it takes to have everything back, or a bucket, or what begins so. */
export function FullRestorePlace() {
  usePageTitle("Everything back");
  const { estate, prices, money, bytes, regionName } = useEstate();
  const { params, goTo, set } = useAddress();
  const [noLine, setNoLine] = useState(false);
  const bucket = params.get("bucket");
  const to = params.get("to");
  const line = params.get("line") === null ? null : Number(params.get("line"));
  const question = { bucket, prefix: params.get("prefix") ?? "", to, megabitsPerSecond: to === null ? line : null };
  const read = useQuery({
    queryKey: keys.fullRestore(question),
    queryFn: () => readFullRestore(question),
    placeholderData: keepPreviousData,
    enabled: !noLine,
    retry: false,
  });
  const there = read.data?.there ?? [];
  const restore = read.data?.restore;
  // Which amount is opened: a speed and a charge.
  const [ofSpeed, ofCharge] = (params.get("why") ?? "").split(":");
  const opened = params.has("why") ? restore?.speeds.find((s) => (s.speed ?? "") === ofSpeed) : undefined;
  const asked = opened && { s: opened, charge: ofCharge ?? "all" };
  const why = (speed: string, charge: string) => {
    const next = new URLSearchParams(params);
    next.set("why", `${speed}:${charge}`);
    return `?${next}`;
  };
  const all = there.reduce((sum, r) => sum + r.bytes, 0);
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Everything back</h1>
      <p className="mt-2 max-w-3xl text-ink-soft">
        What it costs once, and how long it takes, to read what is current and carry it to one region, or out of all of them:
        after a loss, for an audit, or to leave. Recalls wait, and then the line is shared by all that is there.
      </p>
      <div className="mt-3 flex flex-wrap items-start gap-x-8 gap-y-2">
        <Field label="What">
          {(ids) => (
            <Select
              {...ids}
              value={bucket ?? ""}
              options={[{ value: "", label: "everything" }, ...estate.buckets.map((b) => ({ value: b, label: b }))]}
              onChange={(e) => goTo("bucket", e.target.value || null)}
            />
          )}
        </Field>
        <Field label="that begins">
          {(ids) => (
            <input
              {...ids}
              className={`${inputLook} w-40`}
              placeholder="everything"
              value={question.prefix}
              onChange={(e) => set("prefix", e.target.value || null)}
            />
          )}
        </Field>
        <Field label="Goes to">
          {(ids) => (
            <Select
              {...ids}
              value={to ?? ""}
              options={[
                { value: "", label: "out of all regions" },
                ...prices.regions.map((r) => ({ value: r.id, label: r.name })),
              ]}
              onChange={(e) => goTo("to", e.target.value || null)}
            />
          )}
        </Field>
        {to === null && (
          <Field
            label="Over a line of, Mbit/s"
            error={noLine ? "This is no number." : undefined}
            hint="Empty: as fast as it comes."
          >
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-28"
                value={line}
                onChange={(v, isEmpty) => {
                  setNoLine(v === null && !isEmpty);
                  set("line", v === null ? null : String(v));
                }}
              />
            )}
          </Field>
        )}
      </div>
      {read.error && <ErrorNote error={read.error} />}
      {restore && (
        <div data-stale={read.isPlaceholderData}>
          <p className="mt-4">
            <strong>{bytes(all)}</strong> in {count(there.reduce((sum, r) => sum + r.objects, 0))} objects
          </p>
          <ul className="text-sm text-ink-soft">
            {[...new Set(there.map((r) => r.region))].map((region) => (
              <li key={region}>
                {regionName(region)}:{" "}
                {there
                  .filter((r) => r.region === region)
                  .map((r, i) => (
                    <span key={r.tier}>
                      {i > 0 && ", "}
                      {bytes(r.bytes)} in <TierName id={r.tier} />
                    </span>
                  ))}
              </li>
            ))}
          </ul>
          <table className="mt-4 w-full max-w-4xl">
            <thead className="text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 text-left font-normal">recalled at this speed</th>
                <th className="text-right font-normal">recall</th>
                <th className="text-right font-normal">reading</th>
                <th className="text-right font-normal">transfer</th>
                <th className="text-right font-normal">once, together</th>
                <th className="text-right font-normal">last tier's first byte</th>
                <th className="text-right font-normal">last byte</th>
              </tr>
            </thead>
            <tbody>
              {restore.speeds.map((s) => (
                <tr key={s.name} className="border-b border-hairline">
                  <th className="py-1 text-left font-normal">{s.name}</th>
                  {amounts(s).map(({ charge, amount }) => (
                    <td key={charge} className={`text-right ${charge === "all" ? "font-medium" : ""}`}>
                      {amount === 0 ? (
                        money(0)
                      ) : (
                        <Link
                          to={why(s.speed ?? "", charge)}
                          aria-label={`Why ${money(amount)}, ${s.name}`}
                          aria-current={asked?.s === s && asked.charge === charge ? "true" : undefined}
                        >
                          {money(amount)}
                        </Link>
                      )}
                    </td>
                  ))}
                  <td className="text-right">{s.waitHours === 0 ? "at once" : `after ${span(s.waitHours)}`}</td>
                  <td className="text-right">{s.hours === 0 ? "at once" : `after ${span(s.hours)}`}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {asked && <Terms speed={asked.s} charge={asked.charge} />}
          {!restore.hasPriceOut && (
            <p className="mt-2 max-w-3xl text-bad">
              The price book has no price for going out (<code>transferOut</code>) of some region here: its transfer counts as
              free, and will not be.
            </p>
          )}
          {restore.warmCopyAYear != null && all > 0 && (
            <p className="mt-2 max-w-3xl">
              Kept warm in {regionName(to ?? "")} it would cost {money(restore.warmCopyAYear)} a year and be there at once:{" "}
              {restore.restoresForWarmCopy == null
                ? "having it back costs nothing."
                : `as much as having it all back ${count(restore.restoresForWarmCopy, 1)} times a year.`}
            </p>
          )}
          {all > 0 && <RestoreCurve speeds={restore.speeds} />}
        </div>
      )}
    </div>
  );
}
