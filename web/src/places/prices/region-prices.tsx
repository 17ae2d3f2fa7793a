import type { PriceBook, PricesReading, Region, StorageBand, TierPrice } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { Button, inputLook, NumberInput } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { amountsOn, type From, pathOf, withOffer, withoutRegion, withPrice, withTransferOut } from "./price-lists";

type RegionProps = {
  book: PriceBook;
  from: From;
  /** Plain sentences and doubts of the draft; null until there are some. */
  reading: PricesReading | null;
  problemAt: ProblemAt;
  onChange: (book: PriceBook) => void;
};

const perThousand = [
  { key: "writes", label: "write" },
  { key: "reads", label: "read" },
  { key: "movesIn", label: "move in" },
  { key: "recallRequests", label: "recall" },
  { key: "watching", label: "watch" },
] as const;

/** What every tier costs in every region, on the day that is looked at. */
export function RegionPrices({ book, from, reading, problemAt, onChange }: RegionProps) {
  const now = amountsOn(book, from);
  const { prices } = useEstate();
  return now.regions.map((region) => (
    <section key={region.id} className="mt-5">
      <h2 className="text-xl">
        {region.name}
        {from === null && (
          <button
            type="button"
            aria-label={`Remove the region ${region.name}`}
            title="remove the region"
            className="ml-1 px-1 text-base text-ink-soft hover:text-bad"
            onClick={() => onChange(withoutRegion(book, region.id))}
          >
            ×
          </button>
        )}
      </h2>
      <table className="w-full">
        <thead className="text-sm text-ink-soft">
          <tr>
            <th rowSpan={2} className="text-left align-bottom font-normal">
              tier
            </th>
            <th rowSpan={2} className="text-right align-bottom font-normal">
              storage, {prices.unit} and month
            </th>
            <th colSpan={5} className="pb-0.5 text-center font-normal">
              per 1,000
            </th>
            <th rowSpan={2} className="w-20 text-right align-bottom font-normal">
              recall, {prices.unit}
            </th>
          </tr>
          <tr>
            {perThousand.map((c) => (
              <th key={c.key} className="w-20 border-t border-hairline text-right font-normal">
                {c.label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {now.tiers.map((tier) => {
            const price = region.prices.find((p) => p.tier === tier.id);
            const path = pathOf(book, from, region.id, tier.id);
            if (!price)
              return (
                <tr key={tier.id} className="border-t border-hairline-strong">
                  <th className="py-1 text-left font-normal text-ink-soft">{tier.name}</th>
                  <td colSpan={7} className="py-1 text-right text-ink-soft">
                    not offered here{" "}
                    {from === null && (
                      <Button
                        kind="quiet"
                        aria-label={`Offer it: ${tier.name} in ${region.name}`}
                        onClick={() => onChange(withOffer(book, region.id, tier.id, true))}
                      >
                        Offer it
                      </Button>
                    )}
                  </td>
                </tr>
              );
            return (
              <TierRow
                key={tier.id}
                isAsked={tier.waitHours > 0}
                region={region}
                name={tier.name}
                price={price}
                isOther={from !== null && path !== null}
                reading={from === null ? reading : null}
                problem={(part) => (path === null ? undefined : problemAt(`${path}.${part}`))}
                onChange={(other) => onChange(withPrice(book, from, region.id, other))}
                onStop={from === null ? () => onChange(withOffer(book, region.id, tier.id, false)) : undefined}
              />
            );
          })}
        </tbody>
      </table>
      {(region.transferOut?.length ?? 0) > 0 && (
        <div className="mt-2 flex items-baseline gap-4">
          <span>Leaving for no other region, per {prices.unit}</span>
          <Bands
            name={`${region.name}, leaving`}
            bands={region.transferOut ?? []}
            onChange={(bands) => onChange(withTransferOut(book, from, region.id, bands))}
          />
        </div>
      )}
    </section>
  ));
}

type RecallSpeed = NonNullable<TierPrice["recallSpeeds"]>[number];

type TierRowProps = {
  /** Whether a recall waits or costs something, so that another speed makes a difference. */
  isAsked: boolean;
  region: Region;
  name: string;
  price: TierPrice;
  isOther: boolean;
  reading: PricesReading | null;
  problem: (part: string) => string | undefined;
  onChange: (price: TierPrice) => void;
  onStop: (() => void) | undefined;
};

function TierRow({ isAsked, region, name, price, isOther, reading, problem, onChange, onStop }: TierRowProps) {
  const { money } = useEstate();
  const plain = reading?.plain.find((p) => p.region === region.id && p.tier === price.tier);
  const doubts = (reading?.doubts ?? []).filter((d) => d.region === region.id && d.tier === price.tier);
  const of = `${name} in ${region.name}`;
  const wrong = [
    "storage",
    ...price.storage.flatMap((_, i) => [`storage[${i}].price`, `storage[${i}].upTo`, `storage[${i}]`]),
    ...perThousand.map((c) => c.key),
    "recall",
    ...(price.recallSpeeds ?? []).flatMap((_, i) =>
      ["name", "waitHours", "recall", "recallRequests"].map((part) => `recallSpeeds[${i}].${part}`),
    ),
  ]
    .map(problem)
    .filter((p) => p !== undefined);
  return (
    <>
      <tr className="border-t border-hairline-strong align-top">
        <th className="py-1 pr-3 text-left font-normal">
          {name}
          {onStop && (
            <button
              type="button"
              aria-label={`Offer ${of} no more`}
              title="offer it here no more"
              className="ml-1 px-1 text-ink-soft hover:text-bad"
              onClick={onStop}
            >
              ×
            </button>
          )}
          {isOther && <span className="ml-2 text-sm text-accent">from this day</span>}
          {plain && (
            <span className="block whitespace-nowrap text-sm text-ink-soft">
              1 TB a year <em>{money(plain.unread)}</em>, read twice <em>{money(plain.readTwice)}</em>
            </span>
          )}
        </th>
        <td className="py-1 text-right">
          <Bands name={of} bands={price.storage} onChange={(storage) => onChange({ ...price, storage })} />
        </td>
        {perThousand.map((c) => (
          <td key={c.key} className="py-1 pl-2 text-right">
            <NumberInput
              aria-label={`${of}: ${c.label}, per 1,000`}
              aria-invalid={problem(c.key) !== undefined}
              className="w-full"
              value={price[c.key] ?? 0}
              onChange={(v) => onChange({ ...price, [c.key]: orNull(v) })}
            />
          </td>
        ))}
        <td className="py-1 pl-2 text-right">
          <NumberInput
            aria-label={`${of}: recall`}
            aria-invalid={problem("recall") !== undefined}
            className="w-full"
            value={price.recall}
            onChange={(v) => onChange({ ...price, recall: orNull(v) })}
          />
          {isAsked && (
            <button
              type="button"
              aria-label={`${of}: add a speed of recall`}
              title="add a speed of recall"
              className="px-1 text-sm text-accent"
              onClick={() => onChange({ ...price, recallSpeeds: [...(price.recallSpeeds ?? []), anotherSpeed(price)] })}
            >
              + speed
            </button>
          )}
        </td>
      </tr>
      {(price.recallSpeeds ?? []).map((speed, i) => (
        <tr key={speed.id}>
          <th colSpan={5} className="whitespace-nowrap text-right text-sm font-normal text-ink-soft">
            recalled as{" "}
            <input
              aria-label={`${of}: name of a speed of recall, ${speed.id}`}
              className={`${inputLook} w-28`}
              value={speed.name}
              onChange={(e) => onChange(withSpeed(price, i, { name: e.target.value }))}
            />
            , after{" "}
            <NumberInput
              aria-label={`${of}: ${speed.name}, hours until the first byte`}
              className="w-14"
              value={speed.waitHours}
              onChange={(v) => onChange(withSpeed(price, i, { waitHours: orNull(v) }))}
            />{" "}
            h
            <button
              type="button"
              aria-label={`${of}: remove the speed ${speed.name}`}
              title="remove the speed"
              className="px-1 hover:text-bad"
              onClick={() => onChange({ ...price, recallSpeeds: (price.recallSpeeds ?? []).filter((_, j) => j !== i) })}
            >
              ×
            </button>
          </th>
          <td className="pl-2">
            <NumberInput
              aria-label={`${of}: ${speed.name}, recall requests, per 1,000`}
              className="w-full"
              value={speed.recallRequests}
              onChange={(v) => onChange(withSpeed(price, i, { recallRequests: orNull(v) }))}
            />
          </td>
          <td />
          <td className="pl-2">
            <NumberInput
              aria-label={`${of}: ${speed.name}, recall`}
              className="w-full"
              value={speed.recall}
              onChange={(v) => onChange(withSpeed(price, i, { recall: orNull(v) }))}
            />
          </td>
        </tr>
      ))}
      {(doubts.length > 0 || wrong.length > 0) && (
        <tr>
          <td colSpan={8} className="pb-1.5 text-sm text-ink-soft">
            {doubts.map((d) => (
              <span key={d.code} className="block text-accent">
                {d.message}
              </span>
            ))}
            {wrong.map((w) => (
              <span key={w} role="alert" className="block text-bad">
                {w}
              </span>
            ))}
          </td>
        </tr>
      )}
    </>
  );
}

/** One more, at the ordinary one's price until another is typed. */
function anotherSpeed(price: TierPrice): RecallSpeed {
  const taken = (price.recallSpeeds ?? []).map((s) => s.id);
  let n = taken.length + 1;
  while (taken.includes(`speed-${n}`)) n++;
  return { id: `speed-${n}`, name: `Speed ${n}`, waitHours: 1, recall: price.recall, recallRequests: price.recallRequests };
}

const withSpeed = (price: TierPrice, place: number, part: Partial<RecallSpeed>): TierPrice => ({
  ...price,
  recallSpeeds: (price.recallSpeeds ?? []).map((s, i) => (i === place ? { ...s, ...part } : s)),
});

type BandsProps = { name: string; bands: StorageBand[]; onChange: (bands: StorageBand[]) => void };

/** Graduated prices: each up to its limit, the last for all the rest. */
function Bands({ name, bands, onChange }: BandsProps) {
  const { prices } = useEstate();
  const change = (place: number, part: Partial<StorageBand>) =>
    onChange(bands.map((b, i) => (i === place ? { ...b, ...part } : b)));
  return (
    <div className="inline-block text-right">
      {bands.map((band, i) => {
        const which = bands.length > 1 ? `${name}, band ${i + 1}` : name;
        return (
          <div key={i} className="flex items-baseline justify-end gap-1">
            {i < bands.length - 1 && (
              <>
                <span className="whitespace-nowrap text-sm text-ink-soft">up to</span>
                <NumberInput
                  aria-label={`${which}: up to, ${prices.unit}`}
                  className="w-20"
                  value={band.upTo ?? null}
                  onChange={(v) => change(i, { upTo: orNull(v) })}
                />
              </>
            )}
            {bands.length > 1 && i === bands.length - 1 && <span className="text-sm text-ink-soft">above</span>}
            <NumberInput
              aria-label={`${which}: price`}
              className="w-20"
              value={band.price}
              onChange={(v) => change(i, { price: orNull(v) })}
            />
            <span className="w-10 text-left">
              {" "}
              {i === bands.length - 1 && (
                <button
                  type="button"
                  aria-label={`${name}: add a band`}
                  title="add a band"
                  className="px-1 text-accent"
                  onClick={() => onChange(split(bands))}
                >
                  +
                </button>
              )}
              {bands.length > 1 && (
                <button
                  type="button"
                  aria-label={`${which}: remove the band`}
                  className="px-1 text-ink-soft hover:text-bad"
                  onClick={() => onChange(opened(bands.filter((_, j) => j !== i)))}
                >
                  ×
                </button>
              )}
            </span>{" "}
          </div>
        );
      })}
    </div>
  );
}

/** One band more, above the last, at its price. */
function split(bands: StorageBand[]): StorageBand[] {
  const price = bands[bands.length - 1]?.price ?? 0;
  const upTo = 2 * (bands[bands.length - 2]?.upTo ?? 25_000);
  return [...bands.slice(0, -1), { upTo, price }, { price }];
}

/** The last band has no limit. */
const opened = (bands: StorageBand[]): StorageBand[] => bands.map((b, i) => (i === bands.length - 1 ? { price: b.price } : b));
