import { useQuery } from "@tanstack/react-query";
import { Link, useLocation } from "react-router";
import {
  type AgreedReading,
  type Assumption,
  type Derivation,
  type DerivationLine,
  type DerivationTerm,
  type MeteredDerivation,
  type MonthPart,
  readDerivation,
  readScenarios,
  type SettledLine,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, month } from "../../format";
import { assumedIn, Opens, type WhichAmount, whyOf } from "../../money/opens";
import { useAddress } from "../../ui/address";
import { Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { words as inWords, percent } from "../scenarios/assumption-words";
import { KeepForWhatIf } from "../scenarios/keep-for-what-if";
import { useNames } from "../scenarios/use-names";

/** The address of a part of the money: of the months that are looked at, or of others. */
type Open = (part: MonthPart, at?: { month: string; to?: string | null }, isCharged?: boolean) => string;

const parts: (keyof MonthPart)[] = ["bucket", "region", "tenant", "tier", "charge"];

/** An amount opens: what it is made of, read downwards to the price, the quantity, and the rule or the days that put it there. */
export function WhyPlace() {
  usePageTitle("Why this amount");
  const { estate, money, moneyChange } = useEstate();
  const { params } = useAddress();
  const part: MonthPart = Object.fromEntries(parts.flatMap((name) => (params.has(name) ? [[name, params.get(name)]] : [])));
  const running = estate.months[0] ?? "";
  const of = params.get("month") ?? running;
  const to = params.get("to");
  const [scenario, offer] = [params.get("scenario"), params.get("offer")];
  const assume = assumedIn(useLocation().hash);
  const rise = params.get("rise");
  const change = params.get("change") === "last" ? ({ change: "last" } as const) : {};
  const under = { ...(scenario && { scenario }), ...(offer && { offer }), ...(rise && { rise }) };
  const charged = params.get("of") === "charged" || of < running;
  const supposes = Boolean(scenario || offer || rise || assume === null || assume.length > 0);
  const amount: WhichAmount = { month: of, ...(to && { to }), ...part, ...under };
  const query = { ...amount, rise: Number(rise ?? 0), charged, change: "change" in change };
  const read = useQuery({
    queryKey: keys.derivation([query, assume]),
    queryFn: () => readDerivation(query, assume ?? []),
    enabled: assume !== null,
    retry: false,
  });
  const { data } = read;
  const open: Open = (some, at = { month: of, to }, isCharged = charged) =>
    whyOf({
      month: at.month,
      ...(at.to && at.to !== at.month && { to: at.to }),
      ...some,
      ...under,
      ...change,
      ...(isCharged && { of: "charged" }),
      assume: assume ?? [],
    });
  return (
    <div className="max-w-4xl px-6 pb-24">
      <h1 className="pt-5 text-3xl">Why this amount</h1>
      <nav aria-label="What opens" className="mt-2 flex flex-wrap gap-2">
        <Way of={months(of, to)} part={part} open={open} />
        {of === running && !to && !supposes && (
          <span className="ml-auto flex gap-4">
            <Link to={open(part, undefined, true)} aria-current={charged ? "true" : undefined}>
              charged so far
            </Link>
            <Link to={open(part, undefined, false)} aria-current={charged ? undefined : "true"}>
              to come
            </Link>
          </span>
        )}
      </nav>
      {scenario && <UnderScenario id={scenario} isChange={"change" in change} />}
      {offer && <UnderOffer id={offer} />}
      {assume === null && (
        <p role="alert" className="mt-3 text-bad">
          This address is damaged: what it assumes cannot be read. Open the amount once more where it came from.
        </p>
      )}
      {data && assume && (assume.length > 0 || rise) && (
        <Supposed assume={assume} rise={Number(rise ?? 0)} scenario={scenario} isChange={data.change != null} />
      )}
      {read.error && <ErrorNote error={read.error} />}
      {data && (
        <>
          <p className="mt-3 font-serif text-3xl">
            <Figure projected={!data.isCharged}>{data.change ? moneyChange(data.amount) : money(data.amount)}</Figure>
          </p>
          {data.change && <Between {...data.change} amount={amount} assume={assume ?? []} />}
          {data.risen && (data.derivation || data.agreed) && (
            <p className="mt-2">
              {money(data.amount)} = {money(data.risen.before)} × {count(data.risen.times, 5)} for prices
            </p>
          )}
          {data.derivation ? (
            <Told derivation={data.derivation} />
          ) : data.metered ? (
            <Metered derivation={data.metered} />
          ) : data.agreed ? (
            <Agreed {...data.agreed} />
          ) : data.lines.length === 0 ? null : (
            <Lines
              open={({ bucket, tier, charge, month: first, to: last }) =>
                open(
                  { ...part, ...(bucket && { bucket }), ...(tier && { tier }), ...(charge && { charge }) },
                  first ? { month: first, to: last ?? null } : undefined,
                )
              }
              amount={data.amount}
              lines={data.lines}
              isCharged={data.isCharged}
              isChange={data.change != null}
            />
          )}
        </>
      )}
    </div>
  );
}

const months = (first: string, last?: string | null) =>
  last && last !== first ? `${month(first)} to ${month(last)}` : month(first);

/** Under which scenario, with the way to it. */
function UnderScenario({ id, isChange }: { id: string; isChange: boolean }) {
  const scenarios = useQuery({ queryKey: keys.scenarios, queryFn: readScenarios });
  const name = scenarios.data?.value.scenarios.find((s) => s.id === id)?.name ?? id;
  return (
    <p className="mt-1 text-sm text-ink-soft">
      If all of <Link to={`/what-if/${id}`}>{name}</Link> came true{isChange && ": what the last of all that is assumed changes"}.
    </p>
  );
}

/** Between which amounts a change lies; both open. */
function Between({
  before,
  after,
  amount,
  assume,
}: {
  before: number;
  after: number;
  amount: WhichAmount;
  assume: Assumption[];
}) {
  const { money } = useEstate();
  const figure = (of: number, words: string, under: Assumption[] | undefined) =>
    of === 0 || !under ? (
      <Figure projected>{money(of)}</Figure>
    ) : (
      <Opens why={{ ...amount, assume: under }} label={`${money(of)} ${words}`}>
        <Figure projected>{money(of)}</Figure>
      </Opens>
    );
  return (
    <p className="mt-1">
      = {figure(after, "with it", assume)} with it −{" "}
      {figure(before, "without it", assume.length > 0 ? assume.slice(0, -1) : undefined)} without it
    </p>
  );
}

const mostTold = 5;

type SupposedProps = { assume: Assumption[]; rise: number; scenario: string | null; isChange: boolean };

/** What is assumed that is stored nowhere, and the way to keep it where a what-if can have it. */
function Supposed({ assume, rise, scenario, isChange }: SupposedProps) {
  const names = useNames();
  const most = assume.length > mostTold ? mostTold - 1 : mostTold;
  const told = [
    ...assume.slice(0, most).map((of) => inWords(of, names)),
    ...(assume.length > most ? [`${assume.length - most} more like that`] : []),
    ...(rise !== 0 ? [`all prices: ${percent(1 + rise)} a year from today on`] : []),
  ];
  return (
    <p className="mt-1 flex flex-wrap items-baseline gap-x-4 text-sm text-ink-soft">
      <span>
        {isChange
          ? assume.length > 1
            ? "What the last of these would change, given those before it"
            : "What this would change"
          : "If this came true, which is stored nowhere"}
        : {told.join("; ")}.
      </span>
      {rise === 0 && <KeepForWhatIf assume={assume} onTopOf={scenario} />}
    </p>
  );
}

/** Under which offer, with the way to all of them. */
function UnderOffer({ id }: { id: string }) {
  const { offerName } = useNames();
  return (
    <p className="mt-1 text-sm text-ink-soft">
      If the prices of <Link to="/offers">{offerName(id)}</Link> held from today on.
    </p>
  );
}

/** From the months to the part of them that is looked at; each step back takes the last condition away. */
function Way({ of, part, open }: { of: string; part: MonthPart; open: Open }) {
  const { regionName, tierName } = useEstate();
  const { bucket, region, tenant, tier, charge } = part;
  const whose: MonthPart = { ...(region && { region }), ...(tenant && { tenant }) };
  const told = tier && (tier === "*" ? "no tier in particular" : tierName(tier));
  const words = [
    region && (region === "*" ? "no region in particular" : regionName(region)),
    tenant && (tenant === "-" ? "no tenant" : tenant),
    !bucket && charge,
    !bucket && told,
  ].filter(Boolean);
  const steps = [
    { to: open({}), label: `All of ${of}` },
    ...(words.length > 0 ? [{ to: open(bucket ? whose : part), label: words.join(", ") }] : []),
    ...(bucket ? [{ to: open({ ...whose, bucket }), label: bucketName(bucket) }] : []),
    ...(bucket && (charge || tier) ? [{ to: open(part), label: [charge, told].filter(Boolean).join(", ") }] : []),
  ];
  return steps.map((step, i) => (
    <span key={step.to} className="flex gap-2">
      {i > 0 && <span aria-hidden="true">›</span>}
      {i < steps.length - 1 ? <Link to={step.to}>{step.label}</Link> : <span aria-current="page">{step.label}</span>}
    </span>
  ));
}

type LinesProps = {
  open: (line: DerivationLine) => string;
  amount: number;
  lines: DerivationLine[];
  isCharged: boolean;
  isChange: boolean;
};

function Lines({ open, amount, lines, isCharged, isChange }: LinesProps) {
  const { money, moneyChange, tierName } = useEstate();
  const words = isChange ? moneyChange : money;
  const nameOf = ({ bucket, tier, charge, month: first, to: last }: DerivationLine) =>
    first ? months(first, last) : charge ? [charge, tier && tierName(tier)].filter(Boolean).join(", ") : bucketName(bucket);
  return (
    <table className="mt-3 w-full text-right">
      <caption className="pb-1 text-left text-sm text-ink-soft">is the sum of</caption>
      <tbody>
        {lines.map((line) => (
          <tr key={`${line.month} ${line.bucket} ${line.tier} ${line.charge}`} className="border-b border-hairline">
            <th scope="row" className="py-1 text-left font-normal">
              {line.bucket === "" && !line.month ? "all others" : <Link to={open(line)}>{nameOf(line)}</Link>}
            </th>
            <td>
              <Figure projected={!isCharged}>{words(line.amount)}</Figure>
            </td>
          </tr>
        ))}
        <tr className="font-semibold">
          <th scope="row" className="py-1 text-left">
            in all
          </th>
          <td>
            <Figure projected={!isCharged}>{words(amount)}</Figure>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

const mostNamed = 3;

/** One or several that are named; an asterisk stands for the estate as a whole. */
function bucketName(names: string) {
  const all = names.split(",");
  return all.length > mostNamed ? `${all.length} buckets` : all.map((name) => (name === "*" ? "Agreements" : name)).join(", ");
}

/** What is agreed for the month, each with what makes it. */
function Agreed({ part, lines }: AgreedReading) {
  const { prices, money, price, regionName, tierName } = useEstate();
  const share = (of: number) => `${count(of * 100, 1)} %`;
  const words = (line: SettledLine) => {
    switch (line.charge) {
      case "allowance":
        return `${share(line.share)} of ${money(line.base)}: ${count(line.free, 0)} of ${count(line.counted, 0)} units are free`;
      case "discount":
        return `${share(line.share)} off ${money(line.base)}`;
      case "commitment":
        return `${money(line.due)} promised, ${money(line.counted)} used`;
      case "devices": {
        const of = prices.regions.find((r) => r.id === line.region)?.devices?.find((d) => d.id === line.name);
        return of ? `${of.count} at ${price(of.price ?? 0)}, over ${of.lifeMonths} months` : "";
      }
      default:
        return `${money(line.agreed)} a month`;
    }
  };
  return (
    <>
      <table className="mt-3 w-full text-right">
        <caption className="pb-1 text-left text-sm text-ink-soft">is the sum of</caption>
        <tbody>
          {lines.map((line, i) => (
            <tr key={i} className="border-b border-hairline">
              <th scope="row" className="py-1 text-left font-normal">
                {line.name}
                {line.region !== "" && `, ${regionName(line.region)}`}
                {line.tier !== "" && `, ${tierName(line.tier)}`}
                <span className="block text-sm text-ink-soft">
                  {line.charge}: {words(line)}
                </span>
              </th>
              <td className="align-top">
                <Figure projected>{money(line.amount)}</Figure>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-sm text-ink-soft">
        {part < 1 && `The month has begun: ${share(part)} of its days are to come, and what is agreed a month counts for those. `}
        <Link to="/prices">What is agreed</Link>
      </p>
    </>
  );
}

/** The end of the way: prices on quantities, and what the quantity is made of. */
function Told({ derivation }: { derivation: Derivation }) {
  const { row, terms, parts } = derivation;
  return (
    <>
      <Terms terms={terms} region={row.region} unit={row.unit} projected />
      {parts.length > 0 && (
        <table className="mt-6 w-full text-right">
          <caption className="pb-1 text-left font-serif text-xl">
            {many(row.quantity)} {row.unit}
          </caption>
          <tbody>
            {parts.map((part) => (
              <tr key={part.what} className="border-b border-hairline">
                <th scope="row" className="py-1 text-left font-normal">
                  {part.what}
                  <span className="block text-sm text-ink-soft">
                    {part.why}. <Link to={`/buckets/${row.bucket}`}>Its rules</Link>
                  </span>
                </th>
                <td className="align-top">{many(part.quantity)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

const many = (quantity: number) => count(quantity, Math.abs(quantity) < 100 ? 3 : 0);

/** Prices on quantities, with the bands that make them. */
function Terms({
  terms,
  region,
  unit,
  projected,
}: {
  terms: DerivationTerm[];
  region: string;
  unit: string;
  projected: boolean;
}) {
  const { money, price, regionName } = useEstate();
  return terms.map((term) => (
    <section key={term.from + term.what} className="mt-5 border-t border-hairline pt-2">
      <p>
        <Figure projected={projected}>{money(term.amount)}</Figure> = {many(term.quantity)} {term.unit} {term.what}
        {term.per !== 1 && ` ÷ ${count(term.per)}`} × {price(term.price)}
        {Math.abs(term.factor - 1) > 1e-9 && ` × ${count(term.factor, 3)} for the scheme`}
      </p>
      <p className="text-sm text-ink-soft">
        {day(term.from)} to {day(term.to)}, at the prices of {regionName(region)} on those days
      </p>
      {term.bands.length > 1 && (
        <table className="mt-2 w-full max-w-xl text-right text-sm">
          <caption className="pb-1 text-left text-ink-soft">
            The price is graduated by what the whole estate stores there in the month:
          </caption>
          <tbody>
            {term.bands.map((band) => (
              <tr key={band.from} className="border-b border-hairline">
                <th scope="row" className="py-0.5 text-left font-normal">
                  from {count(band.from, 0)}
                  {band.upTo === null ? " on" : ` to ${count(band.upTo ?? 0, 0)}`} {unit}
                </th>
                <td>
                  {many(band.units)} × {price(band.price)}
                </td>
                <td>
                  <Figure projected={projected}>{money(band.amount)}</Figure>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  ));
}

/** What was charged: by the prices that held, and day by day. */
function Metered({ derivation }: { derivation: MeteredDerivation }) {
  const { money } = useEstate();
  const { row, terms, rest, days } = derivation;
  return (
    <>
      <Terms terms={terms} region={row.region} unit={row.unit} projected={false} />
      {terms.length > 0 && Math.abs(rest) >= 0.005 && (
        <section className="mt-5 border-t border-hairline pt-2">
          <p>{money(rest)}: what lay under another scheme that month, or was booked before its parts were told apart</p>
        </section>
      )}
      <table className="mt-6 w-full max-w-2xl text-right">
        <caption className="pb-1 text-left font-serif text-xl">Day by day</caption>
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="text-left font-normal">day</th>
            <th className="font-normal">{row.unit}</th>
            <th className="font-normal">amount</th>
          </tr>
        </thead>
        <tbody>
          {days.map((d) => (
            <tr key={d.day} className="border-b border-hairline">
              <th scope="row" className="py-0.5 text-left font-normal">
                {day(d.day)}
              </th>
              <td>{many(d.quantity)}</td>
              <td>{money(d.amount)}</td>
            </tr>
          ))}
        </tbody>
        <tfoot>
          <tr className="font-semibold">
            <th scope="row" className="py-1 text-left">
              in all
            </th>
            <td>{many(row.quantity)}</td>
            <td>{money(row.amount)}</td>
          </tr>
        </tfoot>
      </table>
      {row.charge === "storage" && (
        <p className="mt-2 max-w-2xl text-sm text-ink-soft">
          Bands hold for the whole month: each night settles the days before anew, so that a day's amount is what that night
          added.
        </p>
      )}
    </>
  );
}
