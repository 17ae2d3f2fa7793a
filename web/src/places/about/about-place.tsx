import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useLocation } from "react-router";
import { type Bucket, readDraft } from "../../api/client";
import { useEstate } from "../../estate-context";
import { YearTable } from "../../money/year-table";
import { TierName } from "../../strip/tiers";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { glossary } from "./glossary";

/** What is computed, with one example worked out now, in this estate's prices; every word has an address of its own. */
export function AboutPlace() {
  usePageTitle("What Ripen computes");
  const { hash } = useLocation();
  useEffect(() => {
    if (hash) document.getElementById(hash.slice(1))?.scrollIntoView({ block: "start" });
  }, [hash]);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_24rem] gap-x-12 px-6 pb-24">
      <section aria-label="Words and figures">
        <h1 className="py-4 text-3xl">What Ripen computes</h1>
        <p className="max-w-3xl">
          From what lies in each bucket, what arrives, how it is read and which rules hold, Ripen computes every day of the coming
          years: where each object rests, what moves, what expires, and what all of it costs. Nothing is sampled, and nothing is
          done before you have seen what it would do.
        </p>
        <dl className="mt-4 max-w-3xl">
          {glossary.map((entry) => (
            <div key={entry.id} id={entry.id} className="scroll-mt-16 border-t border-hairline py-2">
              <dt className="font-serif text-lg">{entry.term}</dt>
              <dd>{entry.says}</dd>
              {entry.formula && <dd className="mt-1 text-sm text-ink-soft">{entry.formula}</dd>}
              {entry.source && <dd className="text-sm text-ink-soft">Source: {entry.source}.</dd>}
            </div>
          ))}
        </dl>
      </section>
      <Example />
    </div>
  );
}

/** A bucket that nobody makes: a thousand objects of a megabyte a day, gone after a year. */
function useExample() {
  const { prices } = useEstate();
  const region = prices.regions[0];
  const bucket: Bucket = {
    name: "an-example-that-nobody-makes",
    region: region?.id ?? "",
    scheme: prices.schemes[0]?.id ?? "",
    tier: region?.prices[0]?.tier ?? "",
    streams: [{ prefix: "", objectsPerDay: 1000, bytesPerObject: 1_000_000, yearlyGrowth: 0 }],
    rules: [{ id: "r", prefix: "", smallestBytes: 0, steps: [], expireAt: 365 }],
  };
  const plain = useQuery({ queryKey: ["draft", "example", bucket], queryFn: () => readDraft(bucket, null) });
  const first = plain.data?.firstStep;
  const aged: Bucket = {
    ...bucket,
    rules: [{ id: "r", prefix: "", smallestBytes: 0, steps: first ? [first] : [], expireAt: 365 }],
  };
  const withStep = useQuery({
    queryKey: ["draft", "example", aged],
    queryFn: () => readDraft(aged, null),
    enabled: first != null,
  });
  return { bucket, first, plain, withStep };
}

function Example() {
  const { regionName, money } = useEstate();
  const { bucket, first, plain, withStep } = useExample();
  const [before, after] = [plain.data?.consequences, withStep.data?.consequences];
  const step = after?.steps[0];
  return (
    <aside aria-label="An example" className="border-l border-hairline pt-4 pl-6">
      <h2 className="text-xl">An example, worked out now</h2>
      <p className="mt-1">
        A thousand objects of 1 MB arrive every day in {regionName(bucket.region)}, land in <TierName id={bucket.tier} />, and
        expire after a year: from then on 365 GB lie there.
      </p>
      {plain.error && <ErrorNote error={plain.error} />}
      {before && <YearTable caption="Cost a year" cost={before.cost} of="bucket" changed={false} />}
      {first && after && (
        <>
          <p className="mt-4">
            With a transition to <TierName id={first.tier} /> at day {first.age}:
          </p>
          <YearTable caption="Cost a year" cost={after.cost} of="bucket" changed={false} />
        </>
      )}
      {step && (
        <p className="mt-2">
          Over their stay a year's arrivals {step.netPerYear < 0 ? "cost" : "save"} {money(Math.abs(step.netPerYear))}
          {step.netPerYear < 0 ? " more than they save" : ""}; moving one costs{" "}
          {step.movePerObject > 0 ? "its request" : "nothing"}.
        </p>
      )}
    </aside>
  );
}
