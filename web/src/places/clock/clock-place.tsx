import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { passTime, stopTime, type TimeOrder } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, day, instant, moment } from "../../format";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { Progress } from "../../ui/progress";
import { TypedConfirmation } from "../../ui/typed-confirmation";
import { DaysPicture } from "./days-picture";
import { useClock } from "./use-clock";

const spans = [
  { for: "hour", label: "An hour" },
  { for: "day", label: "A day" },
  { for: "week", label: "A week" },
  { for: "month", label: "A month" },
] as const;

/** The provider's clock: it stands still until somebody lets time pass; below, what each midnight run did. */
export function ClockPlace() {
  usePageTitle("Clock");
  const queries = useQueryClient();
  const clock = useClock();
  const { moneyColumn } = useEstate();
  const [until, setUntil] = useState("");
  const refresh = () => queries.invalidateQueries({ queryKey: ["clock"] });
  const pass = useMutation({ mutationFn: (order: TimeOrder) => passTime(order), onSettled: refresh });
  const stop = useMutation({ mutationFn: stopTime, onSettled: refresh });
  if (clock.error && !clock.data) return <ErrorPage what="Clock" error={clock.error} />;
  if (!clock.data) return null;
  const { now, passage, interrupted, runs } = clock.data;
  const money = moneyColumn(runs.map((run) => run.amount));
  const running = passage?.running ?? false;
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">{moment(now)}</h1>
      <p className="mt-1 text-ink-soft">
        This is the time of the simulated provider. It stands still until you let it pass; every midnight on the way closes a day:
        what arrives is written, rules run, the meter books what that day costs.{" "}
        <Link to="/tonight">What rules will do tonight</Link>
      </p>
      <section aria-label="Advance the clock" className="mt-5 flex flex-wrap items-end gap-3 border-t border-hairline pt-4">
        <h2 className="w-full text-xl">Advance the clock</h2>
        {spans.map((span) => (
          <Button key={span.for} disabled={running || pass.isPending} onClick={() => pass.mutate({ for: span.for })}>
            {span.label}
          </Button>
        ))}
        <form
          className="flex items-end gap-3 pl-4"
          onSubmit={(event) => {
            event.preventDefault();
            if (until) pass.mutate({ until: `${until}T00:00:00Z` });
          }}
        >
          <Field label="until the morning of">
            {(ids) => (
              <input
                {...ids}
                type="date"
                className={inputLook}
                value={until}
                onChange={(event) => setUntil(event.target.value)}
              />
            )}
          </Field>
          <Button type="submit" disabled={running || pass.isPending || until === ""}>
            Go there
          </Button>
        </form>
      </section>
      {pass.error && <ErrorNote error={pass.error} />}
      {pass.error instanceof ApiError && pass.error.code === "retention-lapses" && pass.variables?.until && (
        <div className="max-w-xl">
          <TypedConfirmation
            word={pass.variables.until.slice(0, 10)}
            action="Let it lapse and go there"
            busy={pass.isPending}
            onConfirm={() => pass.mutate({ until: pass.variables?.until, confirm: pass.variables?.until?.slice(0, 10) })}
            onCancel={() => pass.reset()}
          />
        </div>
      )}
      {passage?.error && (
        <ErrorNote error={new Error(`Time stopped at the last midnight that could be closed: ${passage.error}`)} />
      )}
      {interrupted && !running && (
        <p className="mt-4 border-l-4 border-accent px-3">
          The server ended while time was passing until {instant(interrupted)}. Every day up to now is whole; the one under way
          was not begun.{" "}
          <Button kind="quiet" onClick={() => pass.mutate({ until: interrupted })}>
            Go on until there
          </Button>
        </p>
      )}
      {passage && running && (
        <div className="mt-4 flex items-center gap-4" role="status">
          <Progress
            label="Time passed"
            max={Date.parse(passage.until) - Date.parse(passage.from)}
            value={Date.parse(passage.reached) - Date.parse(passage.from)}
          />
          <span className="text-ink-soft">
            {instant(passage.reached)}, going to {instant(passage.until)}
          </span>
          <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
            Stop here
          </Button>
        </div>
      )}
      {passage?.stopped && !running && <p className="mt-4 text-ink-soft">Stopped on {instant(passage.reached)}.</p>}
      <section aria-label="Daily runs" className="mt-8">
        <h2 className="text-xl">Daily runs</h2>
        {runs.length === 0 ? (
          <p className="mt-1 text-ink-soft">No day has closed yet. The next one closes {day(clock.data.today)}.</p>
        ) : (
          <div className="mt-2 grid grid-cols-[minmax(0,1.3fr)_minmax(0,1fr)] gap-x-12 max-lg:grid-cols-1">
            <table className="w-full self-start text-right">
              <thead className="text-sm text-ink-soft">
                <tr className="border-b border-hairline-strong">
                  <th className="py-1 text-left font-normal">day closed</th>
                  <th className="font-normal">arrived</th>
                  <th className="font-normal">copied</th>
                  <th className="font-normal">moved</th>
                  <th className="font-normal">expired</th>
                  <th className="font-normal">charged</th>
                </tr>
              </thead>
              <tbody>
                {runs.map((run) => (
                  <tr key={run.day} className="border-b border-hairline">
                    <th scope="row" className="py-1 text-left font-normal">
                      {day(run.day)}
                    </th>
                    <td>{count(run.arrived, 0)}</td>
                    <td>{count(run.copied, 0)}</td>
                    <td>{count(run.moved, 0)}</td>
                    <td>{count(run.expired, 0)}</td>
                    <td>{money(run.amount)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="sticky top-24 self-start">
              <DaysPicture runs={runs} />
            </div>
          </div>
        )}
        <p className="mt-3 text-sm">
          The whole ledger as{" "}
          <a href="/api/ledger/rows.csv" download="ledger.csv">
            CSV
          </a>
          ,{" "}
          <a href="/api/ledger/rows.xlsx" download>
            workbook
          </a>
          ,{" "}
          <a href="/api/ledger/rows.parquet" download>
            Parquet
          </a>{" "}
          or{" "}
          <a href="/api/ledger/rows.focus.csv" download>
            FOCUS
          </a>
        </p>
      </section>
    </div>
  );
}
