import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { type KeepingConflict, type KeepingReading, keepingFile, readBucket, readKeeping } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, month } from "../../format";
import { OpenAmount, TermRow } from "../../money/open-amount";
import { WhatMakesIt } from "../../money/priced-terms";
import { useAddress } from "../../ui/address";
import { Button, Field, Select } from "../../ui/controls";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { useCapped } from "../../ui/use-capped";
import { KeepingChart } from "./keeping-chart";

const spans = [12, 24, 60, 120];

/** What is kept until when, what goes and when, and what of it does not fit together; of all buckets or of one. */
export function KeepingPlace() {
  const { estate } = useEstate();
  const { params, goTo } = useAddress();
  const months = Number(params.get("months") ?? 24);
  const bucket = params.get("bucket");
  const keeping = useQuery({
    queryKey: keys.keeping(months, bucket),
    queryFn: () => readKeeping(months, bucket),
    placeholderData: keepPreviousData,
  });
  usePageTitle("Keeping");
  if (keeping.error && !keeping.data) return <ErrorPage what="Keeping" error={keeping.error} />;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-8 gap-y-2 pt-5">
        <h1 className="text-3xl">Keeping</h1>
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
        <Field label="For">
          {(ids) => (
            <Select
              {...ids}
              value={String(months)}
              options={spans.map((n) => ({ value: String(n), label: n === 12 ? "one year" : `${n / 12} years` }))}
              onChange={(e) => goTo("months", e.target.value)}
            />
          )}
        </Field>
      </div>
      {keeping.data && (
        <>
          <Conflicts conflicts={keeping.data.conflicts} />
          <Months calendar={keeping.data.calendar} months={months} bucket={bucket} />
          <Days calendar={keeping.data.calendar} bucket={bucket} />
        </>
      )}
    </div>
  );
}

function Conflicts({ conflicts }: { conflicts: KeepingConflict[] }) {
  const navigate = useNavigate();
  const { shown, more } = useCapped(bySentence(conflicts), 50);
  // The bucket's page merges it with a draft that lies there already.
  const look = async ({ draft }: KeepingConflict) => {
    if (!draft) return;
    try {
      const stored = await readBucket(draft.name);
      await navigate(`/buckets/${draft.name}`, { state: { draft: { ...stored.value, ...draft } } });
    } catch (error) {
      done((error as Error).message);
    }
  };
  return (
    <section aria-label="What does not fit together" className="mt-6 max-w-5xl">
      <h2 className="text-xl">What does not fit together</h2>
      {conflicts.length === 0 && <p className="text-ink-soft">Nothing: what is kept, what expires and what is copied agree.</p>}
      <ul>
        {shown.map(([sentence, alike]) => (
          <li key={sentence} className="border-b border-hairline py-2">
            <p>{sentence}</p>
            <Alike conflicts={alike} look={look} />
          </li>
        ))}
      </ul>
      {more}
    </section>
  );
}

function Alike({ conflicts, look }: { conflicts: KeepingConflict[]; look: (conflict: KeepingConflict) => Promise<void> }) {
  const { shown, more } = useCapped(conflicts, 20);
  return (
    <>
      <ul className="flex flex-wrap gap-x-6">
        {shown.map((c) => (
          <li key={c.bucket}>
            <Link to={`/buckets/${c.bucket}`}>{c.bucket}</Link>
            {c.draft && c.mending && (
              <Button kind="quiet" aria-label={`Draft: ${c.mending}, for ${c.bucket}`} onClick={() => void look(c)}>
                Draft: {c.mending}
              </Button>
            )}
          </li>
        ))}
      </ul>
      {more}
    </>
  );
}

/** The same is said once, of all buckets that it holds for. */
function bySentence(conflicts: KeepingConflict[]): [string, KeepingConflict[]][] {
  const sentences = new Map<string, KeepingConflict[]>();
  for (const c of conflicts) {
    const alike = sentences.get(c.sentence);
    if (alike) alike.push(c);
    else sentences.set(c.sentence, [c]);
  }
  return [...sentences];
}

type CalendarProps = { calendar: KeepingReading["calendar"]; bucket: string | null };

function Months({ calendar, months, bucket }: CalendarProps & { months: number }) {
  const { bytes, money, moneyColumn } = useEstate();
  const { params, set } = useAddress();
  const opened = params.get("freed");
  const [isTable, setTable] = useState(opened !== null);
  const column = moneyColumn(calendar.months.map((m) => m.freedMonthly));
  const query = `?months=${months}${bucket ? `&bucket=${bucket}` : ""}`;
  return (
    <section aria-label="Month by month" className="mt-8">
      <h2 className="text-xl">Month by month</h2>
      <p className="max-w-3xl text-ink-soft">
        What may go from a month on, because its retention ends then; and what rules let go. What backup plans store is in their
        own calendar.
        {calendar.endlessObjects > 0 && (
          <>
            {" "}
            <span className="text-ink">
              {count(calendar.endlessObjects)} objects, {bytes(calendar.endlessBytes)}, are kept without an end, for{" "}
              {money(calendar.endlessMonthly)} a month.
            </span>
          </>
        )}
      </p>
      <WhatMakesIt amount={calendar.endlessMonthly} terms={calendar.endlessTerms} />
      <KeepingChart months={calendar.months} />
      <details className="mt-2" open={isTable} onToggle={(e) => setTable(e.currentTarget.open)}>
        <summary>As a table</summary>
        <table className="mt-1 w-full max-w-4xl text-right">
          <thead className="text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">month</th>
              <th className="font-normal">may go from then on</th>
              <th className="font-normal">bytes of it</th>
              <th className="font-normal">storing it costs a month</th>
              <th className="font-normal">expires</th>
              <th className="font-normal">bytes of it</th>
            </tr>
          </thead>
          <tbody>
            {calendar.months.flatMap((m) => [
              <tr key={m.month} className="border-b border-hairline">
                <th scope="row" className="py-1 text-left font-normal">
                  {month(m.month)}
                </th>
                <td>{count(m.freedObjects, 0)}</td>
                <td>{bytes(m.freedBytes)}</td>
                <td>
                  <OpenAmount
                    id={m.month}
                    label={`to store what may go from ${month(m.month)} on`}
                    text={column(m.freedMonthly)}
                    terms={m.freedTerms}
                    opened={opened}
                    onOpen={(id) => set("freed", id)}
                  />
                </td>
                <td>{count(m.expiringObjects, 0)}</td>
                <td>{bytes(m.expiringBytes)}</td>
              </tr>,
              ...(opened === m.month ? [<TermRow key={`${m.month} opened`} columns={6} terms={m.freedTerms} />] : []),
            ])}
          </tbody>
        </table>
      </details>
      <p className="mt-1 text-sm">
        <a href={`${keepingFile("months.csv")}${query}`} download>
          As CSV
        </a>
      </p>
    </section>
  );
}

const kinds = {
  "hold-ends": "a legal hold ends",
  "retention-ends": "retention ends",
  "bucket-free": "all that lies there now may go",
};

function Days({ calendar, bucket }: CalendarProps) {
  const { bytes } = useEstate();
  const { shown, more } = useCapped(calendar.events, 200);
  return (
    <section aria-label="Days on which keeping ends" className="mt-8 max-w-5xl">
      <h2 className="text-xl">Days on which keeping ends</h2>
      {calendar.events.length === 0 && <p className="text-ink-soft">None: nothing that lies here has a day of its own.</p>}
      {calendar.events.length > 0 && (
        <table className="mt-1 w-full">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">day</th>
              <th className="font-normal">bucket</th>
              <th className="font-normal">what</th>
              <th className="text-right font-normal">objects</th>
              <th className="text-right font-normal">bytes</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((e) => (
              <tr key={`${e.day} ${e.bucket} ${e.kind} ${e.about}`} className="border-b border-hairline align-baseline">
                <td className="py-1 pr-4 whitespace-nowrap">{day(e.day)}</td>
                <td className="pr-4">
                  <Link to={`/buckets/${e.bucket}`}>{e.bucket}</Link>
                </td>
                <td className="pr-4">
                  {kinds[e.kind]}
                  {e.about != null && <span className="block text-sm text-ink-soft">{e.about}</span>}
                </td>
                <td className="text-right">{count(e.objects, 0)}</td>
                <td className="pl-4 text-right whitespace-nowrap">{bytes(e.bytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {more}
      <p className="mt-1 text-sm">
        <a href={`${keepingFile("days.ics")}${bucket ? `?bucket=${bucket}` : ""}`} download>
          As iCalendar
        </a>
      </p>
    </section>
  );
}
