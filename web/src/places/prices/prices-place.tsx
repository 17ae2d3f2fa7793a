import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { draftPrices, type PriceBook, priceRowsFile, putPrices, readPrices, readPricesWithRows } from "../../api/client";
import { keys } from "../../api/keys";
import { useBrought } from "../../draft/use-brought";
import { useEstate } from "../../estate-context";
import { day } from "../../format";
import { YearTable } from "../../money/year-table";
import { ApiError } from "../../refusal";
import { Button, Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { FilePicker } from "../../ui/file-picker";
import { usePageTitle } from "../../ui/page-title";
import { saveFile } from "../../ui/save-file";
import { done } from "../../ui/toasts";
import { useKept } from "../../ui/use-kept";
import { KeepForWhatIf } from "../scenarios/keep-for-what-if";
import { AddForm } from "./add-form";
import { AgreementsPart, DevicePrices } from "./agreements";
import { KeepOffer } from "./keep-offer";
import { type From, withDay, withoutDay, withRegion } from "./price-lists";
import { RegionPrices } from "./region-prices";
import { SchemeFactors } from "./scheme-factors";
import { TierDemands } from "./tier-demands";
import { TransferPrices } from "./transfer-prices";

/** A price book under the hand, and the one that it began from. */
type Draft = { book: PriceBook; began: string };

/** What storage costs, now and from days to come: typed in, looked over, and put in force when what it changes has been seen. */
export function PricesPlace() {
  usePageTitle("Prices");
  const { estate } = useEstate();
  const queries = useQueryClient();
  const stored = useQuery({ queryKey: keys.prices, queryFn: readPrices });
  const [draft, keep, forget] = useKept<Draft | null>(`ripen-draft:${estate.identity}:prices`, null);
  const [from, setFrom] = useState<From>(null);
  // What another page brought while a draft is here; it takes that one's place when somebody says so.
  const [waiting, setWaiting] = useState<PriceBook | null>(null);
  useBrought<PriceBook>(stored.data !== undefined, (book) =>
    draft === null ? keep({ book, began: JSON.stringify(stored.data?.value.prices) }) : setWaiting(book),
  );
  const reading = useQuery({
    queryKey: keys.pricesDraft(draft?.book),
    queryFn: ({ signal }) => draftPrices((draft as Draft).book, signal),
    enabled: draft !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const newest = useRef(draft);
  newest.current = draft;
  const apply = useMutation({
    mutationFn: (of: Draft) => putPrices(of.book, stored.data?.etag ?? "", reading.data?.seen ?? ""),
    onSuccess: async (_, applied) => {
      // What was typed meanwhile stays, on the ground of what was applied.
      if (newest.current === applied) forget();
      await queries.invalidateQueries();
      const now = queries.getQueryData<typeof stored.data>(keys.prices)?.value.prices;
      if (newest.current && newest.current !== applied) keep({ ...newest.current, began: JSON.stringify(now) });
      done("Stored: these prices hold from today on, and from the days they name.");
    },
  });
  const rows = useMutation({
    mutationFn: async (file: File) => {
      const text = await file.text();
      if (!file.name.toLowerCase().endsWith(".json")) return readPricesWithRows(text);
      const book: PriceBook = JSON.parse(text);
      // Refuses what is no price book, or none for this estate: a draft of it could not even be shown.
      await draftPrices(book, new AbortController().signal);
      return book;
    },
    onSuccess: (book) => change(book),
  });
  if (stored.error) return <ErrorNote error={stored.error} />;
  if (!stored.data) return <div className="h-96" />;
  const inForce = stored.data.value;
  const book = draft?.book ?? inForce.prices;
  const mark = JSON.stringify(inForce.prices);
  const change = (other: PriceBook) => keep({ book: other, began: draft?.began ?? mark });
  const problems = reading.error instanceof ApiError && draft ? reading.error.problems : [];
  const problemAt = (path: string) => problems.find((p) => p.path === path)?.message;
  const moved = draft !== null && draft.began !== mark;
  const fresh = draft !== null && !reading.isPlaceholderData && reading.data !== undefined && !reading.error;
  const shown = draft === null ? inForce : (reading.data?.reading ?? null);
  const assume = fresh ? reading.data.assume : undefined;
  const days = (book.changes ?? []).map((c) => c.from);
  const dropped = (inForce.prices.changes ?? []).map((c) => c.from).filter((d) => !days.includes(d));
  const here = from !== null && days.includes(from) ? from : null;
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">Prices</h1>
      <p className="mt-1 text-ink-soft">
        In {book.currency}, per {book.unit}; a month is billed as {book.month === "calendar" ? "its own days" : "thirty days"}.
        What was metered stays as it was charged. <Link to="/bills">Fit them to a bill</Link>
      </p>
      <Days
        days={days}
        here={here}
        today={inForce.today}
        onGo={setFrom}
        onAdd={(added) => {
          change(withDay(book, added));
          setFrom(added);
        }}
      />
      <div className="grid grid-cols-[minmax(0,1fr)_18rem] gap-x-8 max-lg:grid-cols-1">
        <div className="min-w-0">
          <RegionPrices book={book} from={here} reading={shown} problemAt={problemAt} onChange={change} />
          {here === null && (
            <AddForm
              what="region"
              taken={book.regions.map((r) => r.id)}
              onAdd={(id, name) => change(withRegion(book, id, name))}
            />
          )}
          <TransferPrices book={book} from={here} onChange={change} />
          <AgreementsPart book={book} problemAt={problemAt} onChange={change} />
          <DevicePrices book={book} problemAt={problemAt} onChange={change} />
          <TierDemands book={book} problemAt={problemAt} onChange={change} />
          <SchemeFactors book={book} problemAt={problemAt} onChange={change} />
        </div>
        <aside className="mt-5 border-l border-hairline pl-5 max-lg:border-0 max-lg:pl-0">
          <div className="sticky top-16">
            <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
              <Button
                kind="primary"
                disabled={!draft || !fresh || moved || apply.isPending}
                onClick={() => draft && apply.mutate(draft)}
              >
                Apply
              </Button>
              <Button disabled={!draft} onClick={forget}>
                Discard
              </Button>
              {draft && <KeepForWhatIf assume={assume} />}
            </div>
            {here !== null && (
              <p className="mt-3">
                What is typed here holds from {day(here)}.{" "}
                <Button kind="quiet" onClick={() => change(withoutDay(book, here))}>
                  Take that day back
                </Button>
              </p>
            )}
            {waiting && draft && (
              <div className="mt-3 border-l-2 border-accent pl-3 text-sm">
                <p>Other prices were opened, and there is a draft here already. They would take its place.</p>
                <Button
                  kind="quiet"
                  onClick={() => {
                    keep({ book: waiting, began: mark });
                    setWaiting(null);
                  }}
                >
                  Take the others
                </Button>
                <Button kind="quiet" onClick={() => setWaiting(null)}>
                  Keep this draft
                </Button>
              </div>
            )}
            {moved && draft && (
              <div className="mt-3 border-l-2 border-bad pl-3 text-sm">
                <p>The prices were changed since this draft began. Applied as it is, it would undo that.</p>
                <Button kind="quiet" onClick={() => keep({ ...draft, began: mark })}>
                  Keep the draft
                </Button>
              </div>
            )}
            {dropped.length > 0 && (
              <p className="mt-3 border-l-2 border-bad pl-3 text-sm">
                Prices announced for {dropped.map((d) => day(d)).join(", ")} are not in this draft: applied as it is, they go.
              </p>
            )}
            {draft && reading.data && (
              <div className="mt-4" data-stale={!fresh}>
                <YearTable caption="The estate's cost a year" cost={reading.data.cost} of="estate" opens={{}} assume={assume} />
              </div>
            )}
            {problems
              .filter((p) => !/\.(prices\[|tiers\[|agreements\.|devices\[|schemes\[)/.test(p.path) || p.path === "$.regions")
              .map((p) => (
                <p key={p.path + p.message} role="alert" className="mt-2 text-bad">
                  {p.message}
                </p>
              ))}
            {draft && reading.error && problems.length === 0 && <ErrorNote error={reading.error} />}
            {apply.error && <ErrorNote error={apply.error} />}
            <h2 className="mt-6 border-t border-hairline pt-3 font-serif">Files</h2>
            <ul className="mt-1">
              <li className="py-1">
                <a href={priceRowsFile}>Every amount, CSV</a>
              </li>
              <li className="-ml-1">
                <Button kind="quiet" onClick={() => saveFile("prices.json", inForce.prices)}>
                  The price book, JSON
                </Button>
              </li>
              <li className="-ml-1">
                <FilePicker
                  label="Read amounts from a file…"
                  kind="quiet"
                  accept=".csv,.json,text/csv,application/json"
                  disabled={draft !== null}
                  onPick={(files) => files[0] && rows.mutate(files[0])}
                />
              </li>
            </ul>
            {draft !== null && (
              <p className="text-sm text-ink-soft">A file takes the place of a draft: apply this one first, or discard it.</p>
            )}
            {rows.error && <ErrorNote error={rows.error} />}
            <KeepOffer book={book} />
            <Earlier book={inForce.prices} />
          </div>
        </aside>
      </div>
    </div>
  );
}

type DaysProps = {
  days: string[];
  here: From;
  today: string;
  onGo: (from: From) => void;
  onAdd: (day: string) => void;
};

/** The days on which other amounts begin; which of them the page shows. */
function Days({ days, here, today, onGo, onAdd }: DaysProps) {
  const [added, setAdded] = useState("");
  const look = (on: boolean) =>
    `border-b-2 py-0.5 ${on ? "border-accent" : "border-transparent text-ink-soft hover:border-hairline-strong"}`;
  return (
    <div className="mt-3 flex flex-wrap items-end gap-5">
      <fieldset className="flex flex-wrap gap-5">
        <legend className="sr-only">Amounts of which day</legend>
        <button type="button" aria-pressed={here === null} className={look(here === null)} onClick={() => onGo(null)}>
          now
        </button>
        {days.map((d) => (
          <button key={d} type="button" aria-pressed={here === d} className={look(here === d)} onClick={() => onGo(d)}>
            from {day(d)}
          </button>
        ))}
      </fieldset>
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (added > today) {
            onAdd(added);
            setAdded("");
          }
        }}
      >
        <Field label="Other amounts from" error={added !== "" && added <= today ? "A day to come." : undefined}>
          {(ids) => <input {...ids} type="date" className={inputLook} value={added} onChange={(e) => setAdded(e.target.value)} />}
        </Field>
        <Button type="submit" disabled={added <= today}>
          Add the day
        </Button>
      </form>
    </div>
  );
}

/** What held before, as far as it is told. */
function Earlier({ book }: { book: PriceBook }) {
  const { regionName, tierName } = useEstate();
  const earlier = book.earlier ?? [];
  if (earlier.length === 0) return null;
  return (
    <section className="mt-6 border-t border-hairline pt-3">
      <h2 className="font-serif">Held before</h2>
      <ul className="mt-1 text-sm">
        {earlier.toReversed().map((e, i) => (
          <li key={i}>
            until {day(e.until)}:{" "}
            {[
              ...(e.regions ?? []).map(
                (r) => `${regionName(r.id)} (${(r.prices ?? []).map((p) => tierName(p.tier)).join(", ")})`,
              ),
              ...(e.transfers ?? []).map((t) => `${regionName(t.from)} → ${regionName(t.to)}`),
            ].join("; ")}
          </li>
        ))}
      </ul>
    </section>
  );
}
