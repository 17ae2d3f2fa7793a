import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { Link, useNavigate } from "react-router";
import { adviseStorage, type StorageAdvice, type StorageQuestions } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { TermTable } from "../../money/priced-terms";
import { ApiError } from "../../refusal";
import { TierName } from "../../strip/tiers";
import { useAddress } from "../../ui/address";
import { Button, Field, Figure, NumberInput, Select } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { orNull } from "../../ui/number-text";
import { usePageTitle } from "../../ui/page-title";
import { SizeField } from "../../ui/size-field";
import { useKept } from "../../ui/use-kept";

const uses = [
  { value: "whole-objects", label: "Written whole and read whole: recordings, exports, backups, pictures" },
  { value: "shared-files", label: "Files that people open and edit together in a folder" },
  { value: "machine-disk", label: "The disk of a machine or database, small writes anywhere" },
] as const;

const parts = [
  { value: "device", label: "a device" },
  { value: "zone", label: "a whole zone" },
  { value: "region", label: "a whole region" },
];

const kinds = { "whole-objects": "An object bucket", "shared-files": "A file share", "machine-disk": "A block volume" };

/** A few questions about data that needs a place; the answer stands beside them while they are answered, has its reasons, and ends in a
 * filled-in draft. */
export function AdvicePlace() {
  usePageTitle("Advice");
  const { estate, prices } = useEstate();
  const [asked, keep] = useKept<StorageQuestions>(`ripen-advice:${estate.identity}`, {
    use: "whole-objects",
    objectsPerDay: 100,
    bytesPerObject: 50_000_000,
    goneAfterDays: 730,
    shareReadPerMonth: 0.02,
    mostWaitHours: 0,
    survives: "zone",
    region: null,
  });
  const [noNumber, setNoNumber] = useState<Partial<Record<keyof StorageQuestions, boolean>>>({});
  const advice = useQuery({
    queryKey: keys.advice(asked),
    queryFn: ({ signal }) => adviseStorage(asked, signal),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const set = (part: Partial<StorageQuestions>) => keep({ ...asked, ...part });
  const number = (part: keyof StorageQuestions) => (value: number | null, isEmpty: boolean) => {
    setNoNumber((now) => ({ ...now, [part]: value === null && !isEmpty }));
    set({ [part]: value });
  };
  const refused = advice.error instanceof ApiError ? advice.error.problems : [];
  const wrong = (path: keyof StorageQuestions) =>
    noNumber[path] ? "This is no number." : refused.find((p) => p.path === `$.${path}`)?.message;
  const answered = !advice.isPlaceholderData && !advice.error && !Object.values(noNumber).some(Boolean);
  return (
    <div className="px-6 pb-24">
      <h1 className="pt-5 text-3xl">What kind of storage is this?</h1>
      <div className="mt-4 grid grid-cols-[minmax(20rem,1fr)_minmax(0,1.4fr)] gap-x-12 border-t border-hairline pt-4 max-lg:grid-cols-1">
        <form className="flex flex-col gap-4" onSubmit={(event) => event.preventDefault()}>
          <fieldset>
            <legend className="text-sm text-ink-soft">How is it worked with?</legend>
            {uses.map((use) => (
              <label key={use.value} className="flex items-center gap-2">
                <input
                  type="radio"
                  name="use"
                  className="accent-(--accent)"
                  checked={asked.use === use.value}
                  onChange={() => set({ use: use.value })}
                />
                {use.label}
              </label>
            ))}
          </fieldset>
          <div className="flex gap-6">
            <Field label="Objects or files a day" error={wrong("objectsPerDay")}>
              {(ids) => <NumberInput {...ids} className="w-28" value={asked.objectsPerDay} onChange={number("objectsPerDay")} />}
            </Field>
            <SizeField
              label="of this size"
              value={asked.bytesPerObject}
              error={wrong("bytesPerObject")}
              onChange={(v) => set({ bytesPerObject: orNull(v) })}
            />
          </div>
          <Field label="It may go after so many days" error={wrong("goneAfterDays")} hint="Empty: never.">
            {(ids) => (
              <NumberInput {...ids} className="w-28" value={asked.goneAfterDays ?? null} onChange={number("goneAfterDays")} />
            )}
          </Field>
          <Field label="Of what is there, read in a month, %" error={wrong("shareReadPerMonth")}>
            {(ids) => (
              <NumberInput
                {...ids}
                className="w-28"
                value={asked.shareReadPerMonth === null ? null : Number((asked.shareReadPerMonth * 100).toPrecision(12))}
                onChange={(v, isEmpty) => number("shareReadPerMonth")(v === null ? null : v / 100, isEmpty)}
              />
            )}
          </Field>
          <Field label="Hours a reader can wait for the first byte" error={wrong("mostWaitHours")}>
            {(ids) => <NumberInput {...ids} className="w-28" value={asked.mostWaitHours} onChange={number("mostWaitHours")} />}
          </Field>
          <Field label="It must survive the loss of">
            {(ids) => (
              <Select
                {...ids}
                value={asked.survives}
                options={parts}
                onChange={(e) => set({ survives: e.target.value as StorageQuestions["survives"] })}
              />
            )}
          </Field>
          <Field label="Those who use it are near">
            {(ids) => (
              <Select
                {...ids}
                value={asked.region ?? ""}
                options={[
                  { value: "", label: "no region in particular" },
                  ...prices.regions.map((r) => ({ value: r.id, label: r.name })),
                ]}
                onChange={(e) => set({ region: e.target.value || null })}
              />
            )}
          </Field>
          <p>
            <Link to="/new">I know it: a new bucket</Link>
          </p>
        </form>
        <div>
          {advice.error && refused.length === 0 && <ErrorNote error={advice.error} />}
          {refused.length > 0 && <p className="text-ink-soft">The answer comes when every question has one.</p>}
          {advice.data && (
            <div data-stale={!answered}>
              <Answer advice={advice.data} answered={answered} />
            </div>
          )}
        </div>
      </div>
    </div>
  );
}

function Answer({ advice, answered }: { advice: StorageAdvice; answered: boolean }) {
  const { moneyColumn, regionName, schemeName } = useEstate();
  const navigate = useNavigate();
  const { params, goTo } = useAddress();
  const money = moneyColumn(advice.choices.map((c) => c.costAYear));
  return (
    <section aria-label="Advice">
      <h2 className="text-2xl">{kinds[advice.kind]}</h2>
      <ul className="mt-2 max-w-3xl list-disc space-y-1 pl-5">
        {advice.reasons.map((reason) => (
          <li key={reason}>{reason}</li>
        ))}
      </ul>
      {advice.choices.length > 0 && (
        <table className="mt-4 w-full max-w-3xl">
          <thead className="text-left text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 font-normal">region</th>
              <th className="font-normal">tier</th>
              <th className="font-normal">scheme</th>
              <th className="text-right font-normal">fifth year</th>
            </tr>
          </thead>
          <tbody>
            {advice.choices.map((c) => {
              const id = `${c.region}:${c.tier}:${c.scheme}`;
              const isOpen = params.get("why") === id;
              const place = `${regionName(c.region)}, ${schemeName(c.scheme)}`;
              return (
                <Fragment key={id}>
                  <tr className="border-b border-hairline">
                    <td className="py-1">{regionName(c.region)}</td>
                    <td>
                      <TierName id={c.tier} />
                    </td>
                    <td>{schemeName(c.scheme)}</td>
                    <td className="text-right">
                      <Button
                        kind="quiet"
                        className="-mr-3"
                        aria-expanded={isOpen}
                        aria-label={`Why ${money(c.costAYear)}, ${place}`}
                        onClick={() => goTo("why", isOpen ? null : id)}
                      >
                        <Figure projected>{money(c.costAYear)}</Figure>
                      </Button>
                    </td>
                  </tr>
                  {isOpen && (
                    <tr>
                      <td colSpan={4} className="pb-3">
                        <section aria-label={`Why, ${place}`} className="border-l-2 border-accent pl-4">
                          <TermTable terms={c.terms} />
                        </section>
                      </td>
                    </tr>
                  )}
                </Fragment>
              );
            })}
          </tbody>
        </table>
      )}
      {advice.draft && (
        <Button
          kind="primary"
          className="mt-4"
          disabled={!answered}
          onClick={() => void navigate("/new", { state: { bucket: advice.draft } })}
        >
          Take the first as a draft
        </Button>
      )}
    </section>
  );
}
