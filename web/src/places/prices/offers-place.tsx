import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import {
  compareOffers,
  type Offer,
  type OfferOutlook,
  type PriceBook,
  putOffers,
  readOffers,
  readPricesWithRows,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import * as format from "../../format";
import { Opens } from "../../money/opens";
import { tone } from "../../money/year-table";
import { useAddress } from "../../ui/address";
import { Button, Figure, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { FilePicker } from "../../ui/file-picker";
import { newId } from "../../ui/new-id";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { Choice } from "../forecast/choice";
import { assuming } from "../scenarios/keep-for-what-if";
import { OutlookChart } from "../scenarios/outlook-chart";

const shown = [1, 3, 10];
const spans = [
  { value: "1", label: "year 1" },
  { value: "3", label: "year 3" },
  { value: "10", label: "year 10" },
  { value: "0", label: "all ten" },
] as const;

/** Price books beside the one in force, and what this estate would cost under each. Nothing of them is done. */
export function OffersPlace() {
  usePageTitle("Offers");
  const { prices } = useEstate();
  const queries = useQueryClient();
  const { params, set } = useAddress();
  const year = spans.find((s) => s.value === params.get("year"))?.value ?? "1";
  const stored = useQuery({ queryKey: keys.offers, queryFn: readOffers });
  // Of the offers that are shown: what is on its way when another is stored is of those before.
  const comparison = useQuery({
    queryKey: keys.offerComparison(Number(year), stored.data?.etag ?? ""),
    queryFn: () => compareOffers(Number(year)),
    enabled: stored.data !== undefined,
    placeholderData: keepPreviousData,
  });
  const save = useMutation({
    mutationFn: (next: Offer[]) => putOffers(next, stored.data?.etag ?? ""),
    onSuccess: () => done("Stored."),
    onSettled: () => queries.invalidateQueries(),
  });
  const read = useMutation({
    mutationFn: async (file: File) => {
      const text = await file.text();
      const isBook = file.name.toLowerCase().endsWith(".json");
      return {
        name: file.name.replace(/\.[^.]*$/, ""),
        book: isBook ? (JSON.parse(text) as PriceBook) : await readPricesWithRows(text),
      };
    },
    onSuccess: ({ name, book }) => save.mutate([...offers, { id: newId("offer", offers), name, prices: book }]),
  });
  if (stored.error) return <ErrorNote error={stored.error} />;
  if (!stored.data) return <div className="h-96" />;
  const offers = stored.data.value.offers;
  const outlooks = comparison.data?.outlooks ?? [];
  const alike = outlooks.filter((o) => o.currency === prices.currency && o.problems.length === 0);
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2 pt-5">
        <h1 className="text-3xl">Offers</h1>
        <p className="text-ink-soft">
          Price books beside <Link to="/prices">the one in force</Link>, and what this estate would cost under each from today on.
          Nothing is done.
        </p>
      </div>
      {save.error && <ErrorNote error={save.error} />}
      {read.error && <ErrorNote error={read.error} />}
      {comparison.error && <ErrorNote error={comparison.error} />}
      <div className="mt-4 grid grid-cols-[minmax(26rem,36rem)_minmax(0,1fr)] gap-x-8 gap-y-6 max-lg:grid-cols-1">
        <div className="min-w-0">
          <OfferList offers={offers} outlooks={outlooks} isBusy={save.isPending} onChange={(next) => save.mutate(next)} />
          <p className="mt-3 flex flex-wrap items-baseline gap-3">
            <FilePicker
              label="Add from a file…"
              accept=".csv,.json,text/csv,application/json"
              disabled={save.isPending}
              onPick={(files) => files[0] && read.mutate(files[0])}
            />
            <span className="text-sm text-ink-soft">
              A price book (JSON), or amounts in the place of those in force (CSV). A draft on <Link to="/prices">Prices</Link>{" "}
              can be kept as an offer, too.
            </span>
          </p>
        </div>
        {alike.length > 1 && <OutlookChart outlooks={alike} chosen="" name="offers" />}
      </div>
      {outlooks.length > 1 && (
        <section className="mt-6" aria-label="By charge" data-stale={comparison.isPlaceholderData}>
          <div className="flex flex-wrap items-baseline gap-4">
            <h2 className="font-serif text-xl">By charge</h2>
            <Choice label="Which year" value={year} options={[...spans]} disabled={[]} onChange={(next) => set("year", next)} />
          </div>
          <Charges outlooks={outlooks.filter((o) => o.problems.length === 0)} year={Number(year)} />
        </section>
      )}
    </div>
  );
}

type OfferListProps = { offers: Offer[]; outlooks: OfferOutlook[]; isBusy: boolean; onChange: (offers: Offer[]) => void };

/** The prices in force and every offer, a line each. */
function OfferList({ offers, outlooks, isBusy, onChange }: OfferListProps) {
  const navigate = useNavigate();
  return (
    <table className="w-full text-right text-sm">
      <thead className="text-ink-soft">
        <tr className="border-b border-hairline-strong">
          <th className="py-1 text-left font-normal">prices</th>
          {shown.map((y) => (
            <th key={y} className="pl-3 font-normal">
              year {y}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {outlooks.map((of) => {
          const offer = offers.find((o) => o.id === of.id);
          return (
            <tr key={of.id} className="border-b border-hairline align-top">
              <th scope="row" className="py-1.5 text-left font-normal">
                {offer ? (
                  <Name
                    key={offer.name}
                    offer={offer}
                    onChange={(name) => onChange(offers.map((o) => (o === offer ? { ...o, name } : o)))}
                  />
                ) : (
                  <span className="font-serif text-base">{of.name}</span>
                )}
                <span className="-ml-2 flex flex-wrap items-baseline text-xs">
                  {offer && (
                    <>
                      <Button
                        kind="quiet"
                        aria-label={`Open in Prices: ${offer.name}`}
                        onClick={() => navigate("/prices", { state: { draft: offer.prices } })}
                      >
                        Open in Prices
                      </Button>
                      <Button
                        kind="quiet"
                        aria-label={`What if: ${offer.name}`}
                        onClick={() => navigate("/what-if", assuming([{ offer: offer.id }]))}
                      >
                        What if
                      </Button>
                      <Button
                        kind="quiet"
                        disabled={isBusy}
                        aria-label={`Remove: ${offer.name}`}
                        onClick={() => onChange(offers.filter((o) => o !== offer))}
                      >
                        Remove
                      </Button>
                    </>
                  )}
                </span>
              </th>
              {of.problems.length > 0 ? (
                <td colSpan={shown.length} className="py-1.5 pl-3 text-left text-bad">
                  It has no prices for this estate: {of.problems[0]?.message}
                  {of.problems.length > 1 && ` And ${of.problems.length - 1} more.`}
                </td>
              ) : (
                shown.map((y) => (
                  <td key={y} className="py-1.5 pl-3">
                    <Amount of={of} amount={of.years[y - 1]?.money ?? 0} year={y} />
                    {of.id !== "" && of.more && <More amount={of.more[y - 1] ?? 0} currency={of.currency} />}
                    {of.id !== "" && !of.more && <span className="block text-xs text-ink-soft">in {of.currency}</span>}
                  </td>
                ))
              )}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Written over in place; stored when one leaves it. */
function Name({ offer, onChange }: { offer: Offer; onChange: (name: string) => void }) {
  const [name, setName] = useState(offer.name);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        (document.activeElement as HTMLElement | null)?.blur();
      }}
    >
      <input
        aria-label={`Name of ${offer.name}`}
        className={`${inputLook} w-full font-serif text-base`}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onBlur={() => (name.trim() && name !== offer.name ? onChange(name) : setName(offer.name))}
      />
    </form>
  );
}

type AmountProps = { of: OfferOutlook; amount: number; year: number; charge?: string };

/** What a year, or a charge in it, comes to; it opens where it is money of the estate. */
function Amount({ of, amount, year, charge }: AmountProps) {
  const words = format.money(amount, of.currency);
  const figure = <Figure projected>{words}</Figure>;
  const span = of.years[year - 1];
  if (!span || amount === 0 || (of.id !== "" && !of.more)) return figure;
  return (
    <Opens
      why={{ month: span.from, to: span.to, ...(charge && { charge }), ...(of.id !== "" && { offer: of.id }) }}
      label={`${words}: ${of.name}, year ${year}${charge ? `, ${charge}` : ""}`}
    >
      {figure}
    </Opens>
  );
}

/** What each charge comes to, a column for each offer. */
function Charges({ outlooks, year }: { outlooks: OfferOutlook[]; year: number }) {
  const charges = [...new Set(outlooks.flatMap((o) => o.charges.map((c) => c.charge)))];
  return (
    <div className="overflow-x-auto">
      <table className="mt-2 text-right text-sm">
        <thead className="text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 pr-6 text-left font-normal">charge</th>
            {outlooks.map((o) => (
              <th key={o.id} className="max-w-44 pl-6 font-normal">
                {o.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {charges.map((charge) => (
            <tr key={charge} className="border-b border-hairline align-top">
              <th scope="row" className="py-1 pr-6 text-left font-normal">
                {charge.replaceAll("-", " ")}
              </th>
              {outlooks.map((o) => {
                const own = o.charges.find((c) => c.charge === charge);
                return (
                  <td key={o.id} className="py-1 pl-6">
                    {own && <Amount of={o} amount={own.amount} year={year} charge={charge} />}
                    {own && o.id !== "" && typeof own.more === "number" && <More amount={own.more} currency={o.currency} />}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const More = ({ amount, currency }: { amount: number; currency: string }) => (
  <span className={`block text-xs ${tone(amount) || "text-ink-soft"}`}>{format.moneyChange(amount, currency)}</span>
);
