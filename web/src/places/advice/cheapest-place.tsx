import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { Link, useNavigate } from "react-router";
import { type EstateAdvice, readCheapest, readCheapestWhy, type ScheduleTerm } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count } from "../../format";
import { TermCells } from "../../money/priced-terms";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useCapped } from "../../ui/use-capped";

type Advice = EstateAdvice["buckets"][number];
type Schedule = Advice["schedules"][number];

/** The cheapest schedules of the estate, what saves most first, each with one key to its draft. */
export function CheapestPlace() {
  usePageTitle("Cheapest schedules");
  const { prices, money } = useEstate();
  const { params, goTo } = useAddress();
  const wait = params.get("wait") === null ? null : Number(params.get("wait"));
  const advice = useQuery({
    queryKey: keys.cheapest(wait),
    queryFn: () => readCheapest(wait),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const waits = [...new Set(prices.tiers.map((t) => t.waitHours))].toSorted((a, b) => a - b);
  const all = advice.data?.buckets ?? [];
  const { shown, more } = useCapped(all, 60);
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Cheapest schedules</h1>
      <p className="mt-2 max-w-3xl text-ink-soft">
        For each bucket the steps that cost least over the life of what arrives there: storage, moves, leaving early, reading by
        its habit, within least ages and its expiry. Money is a year's, once it has settled, in the first bands of the prices; the
        draft says what it does exactly. <Link to="/break-even">Break-even sizes</Link> say from which size on a move pays at all.
      </p>
      <div className="mt-3">
        <Field label="Readers accept to wait">
          {(ids) => (
            <Select
              {...ids}
              value={wait === null ? "" : String(wait)}
              options={[
                { value: "", label: "as long as now, bucket by bucket" },
                ...waits.map((h) => ({ value: String(h), label: h === 0 ? "not at all" : `up to ${h} hours` })),
              ]}
              onChange={(e) => goTo("wait", e.target.value === "" ? null : e.target.value)}
            />
          )}
        </Field>
      </div>
      {advice.error && <ErrorNote error={advice.error} />}
      {advice.data && (
        <>
          <p className="mt-4">
            To be saved: <strong>{money(advice.data.saving)}</strong> a year. Saved already against leaving everything where it
            lands: {money(advice.data.savedAlready)}.
          </p>
          <table className="mt-2 w-full">
            <thead className="text-left text-sm text-ink-soft">
              <tr className="border-b border-hairline-strong">
                <th className="py-1 font-normal">bucket</th>
                <th className="font-normal">now</th>
                <th className="font-normal">cheapest</th>
                <th className="text-right font-normal">a year now</th>
                <th className="text-right font-normal">at best</th>
                <th className="text-right font-normal">saved</th>
                <th>
                  <span className="sr-only">draft</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {shown.map((a) => (
                <Rows key={a.draft.name} advice={a} wait={wait} />
              ))}
            </tbody>
          </table>
          {more}
          {advice.data.inAll > all.length && (
            <p className="mt-1 text-ink-soft">
              {count(advice.data.inAll - all.length)} more save less; the sums above are of all.
            </p>
          )}
          {advice.data.others.length > 0 && (
            <>
              <h2 className="mt-6 text-lg">Not worked out</h2>
              <ul>
                {advice.data.others.map((o) => (
                  <li key={o.bucket}>
                    <Link to={`/buckets/${o.bucket}`}>{o.bucket}</Link> <span className="text-ink-soft">{o.why}</span>
                  </li>
                ))}
              </ul>
              {advice.data.othersInAll > advice.data.others.length && (
                <p className="text-ink-soft">And {count(advice.data.othersInAll - advice.data.others.length)} more.</p>
              )}
            </>
          )}
        </>
      )}
    </div>
  );
}

function Rows({ advice, wait }: { advice: Advice; wait: number | null }) {
  const { params } = useAddress();
  const { name } = advice.draft;
  return advice.schedules.map((s, i) => {
    const isOpen = params.get("why") === name && (params.get("prefix") ?? "") === s.prefix;
    return (
      <Fragment key={s.prefix}>
        <Row advice={advice} schedule={s} isFirst={i === 0} isOpen={isOpen} />
        {isOpen && <Why bucket={name} prefix={s.prefix} wait={wait} />}
      </Fragment>
    );
  });
}

type RowProps = { advice: Advice; schedule: Schedule; isFirst: boolean; isOpen: boolean };

function Row({ advice, schedule: s, isFirst, isOpen }: RowProps) {
  const { money } = useEstate();
  const { params } = useAddress();
  const navigate = useNavigate();
  const { name } = advice.draft;
  const why = () => {
    const next = new URLSearchParams(params);
    next.set("why", name);
    next.set("prefix", s.prefix);
    return `?${next}`;
  };
  const opened = (amount: number) => (
    <Link
      to={why()}
      aria-label={`Why ${money(amount)}, ${name} ${s.prefix}`}
      aria-current={isOpen ? "true" : undefined}
      preventScrollReset
    >
      {money(amount)}
    </Link>
  );
  return (
    <tr className="border-b border-hairline align-baseline">
      <td className="py-1 pr-4">
        {isFirst && <Link to={`/buckets/${name}`}>{name}</Link>} <span className="text-ink-soft">{s.prefix}</span>
      </td>
      <td className="pr-4">
        <Steps steps={s.now} />
      </td>
      <td className="pr-4">{s.saving > 1e-9 ? <Steps steps={s.cheapest} /> : <span className="text-ink-soft">as now</span>}</td>
      <td className="text-right whitespace-nowrap">{opened(s.asNow)}</td>
      <td className="pl-4 text-right whitespace-nowrap">{opened(s.atBest)}</td>
      <td className="pl-4 text-right font-semibold whitespace-nowrap">{s.saving > 1e-9 ? opened(s.saving) : "–"}</td>
      <td className="pl-4 text-right">
        {isFirst && advice.saving > 1e-9 && (
          <Button
            kind="quiet"
            aria-label={`Draft for ${name}`}
            onClick={() => void navigate(`/buckets/${name}`, { state: { draft: advice.draft } })}
          >
            Draft
          </Button>
        )}
      </td>
    </tr>
  );
}

/** What makes the money of a schedule, now and at best. */
function Why({ bucket, prefix, wait }: { bucket: string; prefix: string; wait: number | null }) {
  const { money } = useEstate();
  const why = useQuery({
    queryKey: keys.cheapestWhy(bucket, prefix, wait),
    queryFn: () => readCheapestWhy(bucket, prefix, wait),
    retry: false,
  });
  return (
    <tr className="border-b border-hairline-strong">
      <td colSpan={7} className="py-2 pl-4">
        {why.error && <ErrorNote error={why.error} />}
        {why.data && (
          <section aria-label={`Why, ${bucket} ${prefix}`} className="border-l-2 border-accent pl-4">
            <p className="text-sm text-ink-soft">What arrives in a year, over its life of ten years at most.</p>
            <div className="flex flex-wrap items-start gap-x-12 gap-y-4">
              <Terms caption={`Now ${money(why.data.schedule.asNow)}`} terms={why.data.now} />
              {why.data.schedule.saving > 1e-9 && (
                <Terms caption={`At best ${money(why.data.schedule.atBest)}`} terms={why.data.best} />
              )}
            </div>
          </section>
        )}
      </td>
    </tr>
  );
}

function Terms({ caption, terms }: { caption: string; terms: ScheduleTerm[] }) {
  return (
    <table className="text-sm">
      <caption className="text-left font-serif text-lg">{caption}, the sum of</caption>
      <tbody>
        {terms.map((t, i) => (
          <tr key={`${t.term.tier} ${t.term.what}`} className="border-b border-hairline align-baseline">
            {terms[i - 1]?.term.tier !== t.term.tier && (
              <th
                scope="rowgroup"
                rowSpan={terms.filter((o) => o.term.tier === t.term.tier).length}
                className="py-0.5 pr-3 text-left align-top font-normal whitespace-nowrap"
              >
                <TierName id={t.term.tier ?? ""} /> day {count(t.from)} to {count(t.to)}
              </th>
            )}
            <TermCells term={t.term} />
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Steps({ steps }: { steps: Schedule["now"] }) {
  if (steps.length === 0) return <span className="text-ink-soft">stays where it lands</span>;
  return steps.map((s, i) => (
    <Fragment key={s.age}>
      {i > 0 && ", "}
      day {s.age} <TierName id={s.tier} />
    </Fragment>
  ));
}
