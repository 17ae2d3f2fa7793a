import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { type AgreedReading, type Derivation, type DerivationLine, readDerivation, type SettledLine } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { count, day, month } from "../../format";
import { useAddress } from "../../ui/address";
import { Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";

/** An amount opens: what it is made of, read downwards to the price, the quantity, and the rule that put it there. */
export function WhyPlace() {
  usePageTitle("Why this amount");
  const { estate, money, tierName } = useEstate();
  const { params } = useAddress();
  const [bucket, tier, charge] = ["bucket", "tier", "charge"].map((name) => params.get(name) ?? undefined);
  const query = {
    month: params.get("month") ?? estate.months[0] ?? "",
    ...(bucket && { bucket }),
    ...(tier && charge && { tier, charge }),
  };
  const read = useQuery({ queryKey: keys.derivation(query), queryFn: () => readDerivation(query), retry: false });
  const { data } = read;
  return (
    <div className="max-w-4xl px-6 pb-24">
      <h1 className="pt-5 text-3xl">Why this amount</h1>
      <nav aria-label="What opens" className="mt-2 flex flex-wrap gap-2">
        <Link to={`/why?month=${query.month}`} aria-current={bucket ? undefined : "page"}>
          All of {month(query.month)}
        </Link>
        {bucket && (
          <>
            <span aria-hidden="true">›</span>
            <Link to={`/why?month=${query.month}&bucket=${bucket}`} aria-current={tier ? undefined : "page"}>
              {bucketName(bucket)}
            </Link>
          </>
        )}
        {tier && charge && (
          <>
            <span aria-hidden="true">›</span>
            <span aria-current="page">
              {charge}, {tierName(tier)}
            </span>
          </>
        )}
      </nav>
      {read.error && <ErrorNote error={read.error} />}
      {data && (
        <>
          <p className="mt-3 font-serif text-3xl">
            <Figure projected>{money(data.amount)}</Figure>
          </p>
          {data.derivation ? (
            <Told derivation={data.derivation} />
          ) : data.agreed ? (
            <Agreed {...data.agreed} />
          ) : (
            <Lines month={query.month} amount={data.amount} lines={data.lines} />
          )}
        </>
      )}
    </div>
  );
}

function Lines({ month: of, amount, lines }: { month: string; amount: number; lines: DerivationLine[] }) {
  const { money, tierName } = useEstate();
  return (
    <table className="mt-3 w-full text-right">
      <caption className="pb-1 text-left text-sm text-ink-soft">is the sum of</caption>
      <tbody>
        {lines.map((line) => (
          <tr key={`${line.bucket} ${line.tier} ${line.charge}`} className="border-b border-hairline">
            <th scope="row" className="py-1 text-left font-normal">
              {line.bucket === "" ? (
                "all others"
              ) : line.tier && line.charge ? (
                <Link to={`/why?month=${of}&bucket=${line.bucket}&tier=${line.tier}&charge=${line.charge}`}>
                  {line.charge}, {tierName(line.tier)}
                </Link>
              ) : (
                <Link to={`/why?month=${of}&bucket=${line.bucket}`}>{bucketName(line.bucket)}</Link>
              )}
            </th>
            <td>
              <Figure projected>{money(line.amount)}</Figure>
            </td>
          </tr>
        ))}
        <tr className="font-semibold">
          <th scope="row" className="py-1 text-left">
            in all
          </th>
          <td>
            <Figure projected>{money(amount)}</Figure>
          </td>
        </tr>
      </tbody>
    </table>
  );
}

/** What stands for the estate as a whole where a bucket is named. */
const bucketName = (name: string) => (name === "*" ? "Agreements" : name);

/** What is agreed for the month, each with what makes it. */
function Agreed({ part, lines }: AgreedReading) {
  const { prices, money, price, regionName, tierName } = useEstate();
  const share = (of: number) => `${count(of * 100, 1)} %`;
  const words = (line: SettledLine) => {
    switch (line.charge) {
      case "allowance":
        return `${share(Math.min(1, (line.agreed * part) / line.counted))} of ${money(line.base)}: ${count(Math.min(line.agreed * part, line.counted), 0)} of ${count(line.counted, 0)} units are free`;
      case "discount":
        return `${share(line.agreed)} off ${money(line.base)}`;
      case "commitment":
        return `${money(line.agreed * part)} promised, ${money(line.counted)} used`;
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
  const { money, price, regionName } = useEstate();
  const { row, terms, parts } = derivation;
  const many = (quantity: number) => count(quantity, Math.abs(quantity) < 100 ? 3 : 0);
  return (
    <>
      {terms.map((term) => (
        <section key={term.from + term.what} className="mt-5 border-t border-hairline pt-2">
          <p>
            <Figure projected>{money(term.amount)}</Figure> = {many(term.quantity)} {term.unit} {term.what}
            {term.per !== 1 && ` ÷ ${count(term.per)}`} × {price(term.price)}
            {term.factor !== 1 && ` × ${count(term.factor, 3)} for the scheme`}
          </p>
          <p className="text-sm text-ink-soft">
            {day(term.from)} to {day(term.to)}, at the prices of {regionName(row.region)} on those days
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
                      {band.upTo === null ? " on" : ` to ${count(band.upTo ?? 0, 0)}`} {row.unit}
                    </th>
                    <td>
                      {many(band.units)} × {price(band.price)}
                    </td>
                    <td>
                      <Figure projected>{money(band.amount)}</Figure>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </section>
      ))}
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
