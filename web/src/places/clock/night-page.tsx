import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type NightReading, nightFile, readNight } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day } from "../../format";
import { useAddress } from "../../ui/address";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { useCapped } from "../../ui/use-capped";
import { DeedWords, deeds } from "./deed-words";
import { RulesAhead } from "./rules-ahead";

/** What rules will do tonight, or did last night: in sums by rule, and object by object. */
export function NightPage() {
  const { estate } = useEstate();
  const { params, goTo } = useAddress();
  const which = params.get("night");
  const [last, isYear] = [which === "last", which === "year"];
  const bucket = params.get("bucket");
  const title = isYear ? "Twelve months ahead" : last ? "Last night" : "Tonight";
  usePageTitle(title);
  const night = useInfiniteQuery({
    queryKey: keys.night(last, bucket),
    queryFn: ({ pageParam }) => readNight(last, bucket, pageParam),
    initialPageParam: 0,
    getNextPageParam: (page: NightReading) => page.next ?? undefined,
    placeholderData: keepPreviousData,
    retry: false,
    enabled: !isYear,
  });
  const first = night.data?.pages[0];
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-8 gap-y-2 pt-5">
        <h1 className="text-3xl">{title}</h1>
        <Field label="Which night">
          {(ids) => (
            <Select
              {...ids}
              value={which ?? "next"}
              options={[
                { value: "next", label: "the run that closes today" },
                { value: "last", label: "the last run" },
                { value: "year", label: "the runs of twelve months" },
              ]}
              onChange={(e) => goTo("night", e.target.value === "next" ? null : e.target.value)}
            />
          )}
        </Field>
        <Field label="Of">
          {(ids) => (
            <Select
              {...ids}
              value={bucket ?? ""}
              options={[{ value: "", label: "all buckets" }, ...estate.buckets.map((b) => ({ value: b, label: b }))]}
              onChange={(e) => goTo("bucket", e.target.value || null)}
            />
          )}
        </Field>
        <Link to="/clock">Clock</Link>
      </div>
      <p className="mt-2 max-w-3xl text-ink-soft">
        {isYear
          ? "What rules will do from today on, in expectation and with what arrives meanwhile. Packs that no restore point needs any more leave by their plan, and are told in its calendar."
          : last
            ? "What rules did when the day was closed."
            : "What rules will do when today is closed, if nothing comes, goes or is changed until then: what still arrives can be old enough for a rule at once, and what is deleted by hand is not there any more."}
      </p>
      {isYear && <RulesAhead bucket={bucket} />}
      {!isYear && night.error && <ErrorNote error={night.error} />}
      {!isYear && first && <Sums night={first} last={last} />}
      {!isYear && first && first.acts.length > 0 && (
        <>
          <h2 className="mt-8 text-xl">One by one</h2>
          <Acts night={night.data?.pages.flatMap((p) => p.acts) ?? []} />
          <p className="mt-2 flex items-baseline gap-5">
            {night.hasNextPage && (
              <Button disabled={night.isFetchingNextPage} onClick={() => void night.fetchNextPage()}>
                More of them
              </Button>
            )}
            <a href={nightFile(last, bucket)} download className="text-sm">
              All of it as CSV
            </a>
          </p>
        </>
      )}
    </div>
  );
}

function Sums({ night, last }: { night: NightReading; last: boolean }) {
  const { bytes, moneyColumn, money } = useEstate();
  const { shown, more } = useCapped(night.sums, 100);
  const column = moneyColumn(night.sums.map((s) => s.charge));
  if (night.sums.length === 0)
    return (
      <p className="mt-4">
        {last ? "They did nothing" : "They will do nothing"} as {day(night.day)} {last ? "was" : "is"} closed.
      </p>
    );
  return (
    <section aria-label="By rule" className="mt-6">
      <h2 className="text-xl">
        By rule, as {day(night.day)} {last ? "was" : "is"} closed
      </h2>
      <table className="mt-1 w-full max-w-5xl">
        <thead className="text-left text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 font-normal">bucket</th>
            <th className="font-normal">rule</th>
            <th className="font-normal">what</th>
            <th className="text-right font-normal">objects</th>
            <th className="text-right font-normal">bytes</th>
            <th className="text-right font-normal">charge</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((s) => (
            <tr key={`${s.bucket} ${s.rule} ${s.deed} ${s.from} ${s.to}`} className="border-b border-hairline">
              <td className="py-1 pr-4">
                <Link to={`/buckets/${s.bucket}`}>{s.bucket}</Link>
              </td>
              <td className="pr-4">{s.rule ?? "a later arrival"}</td>
              <td className="pr-4">
                <DeedWords {...s} />
              </td>
              <td className="text-right">{count(s.objects)}</td>
              <td className="pl-4 text-right whitespace-nowrap">{bytes(s.bytes)}</td>
              <td className="pl-4 text-right whitespace-nowrap">{column(s.charge)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {more}
      <p className="mt-1">
        All together {money(night.charge)}: moves, and what leaves a tier before its minimum stay, among{" "}
        <Link to={`/why?month=${night.day.slice(0, 7)}${last ? "&of=charged" : ""}`}>
          {last ? "what was charged in its month" : "what its month will cost"}
        </Link>
        .
      </p>
    </section>
  );
}

function Acts({ night }: { night: NightReading["acts"] }) {
  const { bytes, moneyColumn, tierName } = useEstate();
  const column = moneyColumn(night.map((a) => a.charge));
  return (
    <table className="mt-1 w-full">
      <thead className="text-left text-sm text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="py-1 font-normal">bucket, key</th>
          <th className="font-normal">what</th>
          <th className="font-normal">rule</th>
          <th className="text-right font-normal">objects</th>
          <th className="text-right font-normal">bytes</th>
          <th className="text-right font-normal">charge</th>
        </tr>
      </thead>
      <tbody>
        {night.map((a, i) => (
          <tr key={`${i} ${a.key}`} className="border-b border-hairline">
            <td className="py-1 pr-4 wrap-anywhere">
              <span className="text-ink-soft">{a.bucket}</span> {a.key || "everything"}
            </td>
            <td className="pr-4 whitespace-nowrap">
              {deeds[a.deed]}
              {a.to != null && ` to ${tierName(a.to)}`}
            </td>
            <td className="pr-4">{a.rule ?? "a later arrival"}</td>
            <td className="text-right">{count(a.objects)}</td>
            <td className="pl-4 text-right whitespace-nowrap">{bytes(a.bytes)}</td>
            <td className="pl-4 text-right whitespace-nowrap">{column(a.charge)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
