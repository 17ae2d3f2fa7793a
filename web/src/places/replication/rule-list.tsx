import { Fragment, useDeferredValue } from "react";
import { Link } from "react-router";
import type { CopiesReading, CopyRuleStatus } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, instant } from "../../format";
import { RuleSheet } from "./rule-sheet";
import { scope, span } from "./words";

type ListProps = Pick<CopiesReading, "rules" | "probes" | "records"> & { open: number; etag: string };

const atOnce = 40;

/** Every rule in a row, with what a person has to know of it; the open one with its sheet. */
export function RuleList({ rules, probes, records, open, etag }: ListProps) {
  // A long list is drawn from its beginning, so that the page is there before its end is.
  const drawn = useDeferredValue(rules, rules.slice(0, atOnce));
  const shown = drawn.length < rules.length ? drawn : rules;
  return (
    <section aria-label="Replication rules" className="mt-6">
      <table className="w-full table-fixed text-right">
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="w-[20%] py-1 text-left font-normal">from – to</th>
            <th className="w-[9%] text-left font-normal">takes</th>
            <th className="w-[11%] pl-3 font-normal">waiting</th>
            <th className="w-[7%] pl-3 font-normal">copied</th>
            <th className="w-[5%] pl-3 font-normal">failed</th>
            <th className="w-[12%] pl-3 font-normal">oldest waiting since</th>
            <th className="w-[6%] pl-3 font-normal">lag now</th>
            <th className="w-[9%] pl-3 font-normal">worst of 30 days</th>
            <th className="w-[6%] pl-3 font-normal">allowed</th>
            <th className="pl-3 font-normal">backlog clears</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((rule) => (
            <Fragment key={rule.id}>
              <Row rule={rule} open={rule.id === open} />
              {rule.id === open && (
                <tr>
                  <td colSpan={10} className="border-b border-hairline-strong pb-6 text-left">
                    <RuleSheet
                      rule={rule}
                      probes={probes.filter((p) => p.rule === rule.id)}
                      records={records.filter((r) => r.subject === rule.bucket && r.target === rule.target)}
                      etag={etag}
                    />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({ rule, open }: { rule: CopyRuleStatus; open: boolean }) {
  const { bytes } = useEstate();
  const failed = rule.failures.reduce((sum, f) => sum + f.objects, 0);
  const late = rule.standing === "late";
  const allowed = rule.rule.allowedLagHours;
  return (
    <tr className={open ? "" : "border-b border-hairline"} data-testid={`rule-${rule.bucket}-${rule.target}`}>
      <th scope="row" className="py-1.5 text-left font-normal">
        <Link to={open ? "/replication" : `/replication/rules/${rule.id}`} aria-expanded={open}>
          {rule.bucket} – {rule.target}
        </Link>
        {rule.bringsBack && <span className="text-sm text-ink-soft"> (brings back)</span>}
        {rule.line !== "open" && (
          <span className="font-semibold text-bad"> · {rule.line === "cut" ? "line cut" : "region lost"}</span>
        )}
      </th>
      <td className="text-left text-sm break-words">{scope(rule.rule)}</td>
      <td data-testid="waiting">
        {count(rule.waiting)}
        {rule.waitingBytes >= 1 && <span className="text-sm text-ink-soft"> · {bytes(rule.waitingBytes)}</span>}
      </td>
      <td data-testid="copied">{count(rule.copied)}</td>
      <td className={failed > 0 ? "font-semibold text-bad" : ""}>{count(failed)}</td>
      <td className="text-sm" title={rule.oldestKey ?? undefined}>
        {rule.oldest ? instant(rule.oldest) : "–"}
      </td>
      <td className={late ? "font-semibold text-bad" : ""} data-testid="lag">
        {span(rule.lagHours)}
      </td>
      <td className={allowed != null && rule.worstLagHours > allowed ? "text-bad" : ""}>{span(rule.worstLagHours)}</td>
      <td>{allowed == null ? "–" : span(allowed)}</td>
      <td className="pl-4" data-testid="empty">
        <Emptying rule={rule} />
      </td>
    </tr>
  );
}

/** The hour at which nothing waits any more, given what keeps coming and the line; in closed form, by the server. */
export function Emptying({ rule }: { rule: CopyRuleStatus }) {
  const { bytes } = useEstate();
  if (rule.emptyAfterHours == null) {
    return (
      <span className="font-semibold text-bad" title="More arrives than the line carries.">
        never: short of {bytes(rule.shortBytesPerSecond * 86400)} a day
      </span>
    );
  }
  if (rule.waiting === 0) return "clear";
  if (rule.emptyAfterHours === 0) return "as time passes";
  const after = span(rule.emptyAfterHours);
  if (!rule.emptyAt)
    return (
      <>
        in {after}
        {rule.line === "open" ? "" : " of an open line"}
      </>
    );
  return (
    <span className="figure-projected" title={`in ${after}`}>
      {instant(rule.emptyAt)}
    </span>
  );
}
