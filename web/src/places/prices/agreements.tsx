import type { ReactNode } from "react";
import type { PriceBook } from "../../api/client";
import type { ProblemAt } from "../../draft/problems";
import { useEstate } from "../../estate-context";
import { inputLook, NumberInput, Select } from "../../ui/controls";
import { orNull } from "../../ui/number-text";
import { AddForm } from "./add-form";

type Agreements = Required<NonNullable<PriceBook["agreements"]>>;
type Agreed = Agreements["fixed"][number] | Agreements["allowances"][number] | Agreements["commitments"][number];
type Charge = Agreements["allowances"][number]["charge"];

type AgreementsProps = { book: PriceBook; problemAt: ProblemAt; onChange: (book: PriceBook) => void };

/** What may be free, and its unit a month. */
const free: { charge: Charge; counted: (size: string) => string }[] = [
  { charge: "storage", counted: (size) => `${size}-months` },
  { charge: "reads", counted: () => "reads" },
  { charge: "writes", counted: () => "writes" },
  { charge: "moves", counted: () => "objects" },
  { charge: "recall", counted: (size) => size },
  { charge: "transfer", counted: (size) => size },
  { charge: "watching", counted: () => "objects watched" },
];

/** What is agreed beside the prices, for whole months. */
export function AgreementsPart({ book, problemAt, onChange }: AgreementsProps) {
  const agreed: Agreements = { fixed: [], allowances: [], commitments: [], ...book.agreements };
  const put = (part: Partial<Agreements>) => onChange({ ...book, agreements: { ...agreed, ...part } });
  return (
    <section className="mt-6">
      <h2 className="text-xl">Agreements</h2>
      <p className="text-sm text-ink-soft">
        Beside the prices, for whole calendar months: a month costs what is agreed when it ends, whatever day is looked at above.
      </p>
      <List
        title="Paid every month, whatever is used"
        columns={[`${book.currency} a month`]}
        what="fixed amount"
        list={agreed.fixed}
        path="fixed"
        {...{ book, problemAt }}
        onChange={(fixed) => put({ fixed })}
        fresh={(id, name) => ({ id, name, amount: 0 })}
      >
        {(one, set, at) => (
          <td>
            <Amount of={one.name} what="a month" at={at("amount")} value={one.amount} onChange={(amount) => set({ amount })} />
          </td>
        )}
      </List>
      <List
        title="Free every month; with a last month, a trial"
        columns={["of", "a month", "tier"]}
        what="allowance"
        list={agreed.allowances}
        path="allowances"
        {...{ book, problemAt }}
        onChange={(allowances) => put({ allowances })}
        fresh={(id, name) => ({ id, name, charge: "reads", quantity: 0 })}
      >
        {(one, set, at) => (
          <>
            <td className="pl-3 text-left">
              <Select
                aria-label={`${one.name}: what is free`}
                value={one.charge}
                options={free.map((f) => ({ value: f.charge, label: f.charge }))}
                onChange={(e) => set({ charge: e.target.value as Charge })}
              />
            </td>
            <td className="whitespace-nowrap">
              <Amount
                of={one.name}
                what="free a month"
                at={at("quantity")}
                value={one.quantity}
                onChange={(quantity) => set({ quantity })}
              />{" "}
              <span className="text-sm text-ink-soft">{free.find((f) => f.charge === one.charge)?.counted(book.unit)}</span>
            </td>
            <td className="pl-3 text-left">
              <Select
                aria-label={`${one.name}: of which tier`}
                value={one.tier ?? ""}
                options={[{ value: "", label: "any" }, ...book.tiers.map((t) => ({ value: t.id, label: t.name }))]}
                onChange={(e) => set({ tier: e.target.value || null })}
              />
            </td>
          </>
        )}
      </List>
      <List
        title="Promised every month, for a discount"
        columns={[`at least, ${book.currency} a month`, "discount, per cent"]}
        what="commitment"
        list={agreed.commitments}
        path="commitments"
        {...{ book, problemAt }}
        onChange={(commitments) => put({ commitments })}
        fresh={(id, name) => ({ id, name, amount: 0, discount: 0 })}
      >
        {(one, set, at) => (
          <>
            <td>
              <Amount of={one.name} what="at least" at={at("amount")} value={one.amount} onChange={(amount) => set({ amount })} />
            </td>
            <td>
              <Amount
                of={one.name}
                what="discount, per cent"
                at={at("discount")}
                value={(one.discount ?? 0) * 100}
                onChange={(percent) => set({ discount: percent === null ? orNull(null) : percent / 100 })}
              />
            </td>
          </>
        )}
      </List>
    </section>
  );
}

type ListProps<T extends Agreed> = {
  title: string;
  columns: string[];
  what: string;
  list: T[];
  path: string;
  book: PriceBook;
  problemAt: ProblemAt;
  onChange: (list: T[]) => void;
  fresh: (id: string, name: string) => T;
  children: (one: T, set: (part: Partial<T>) => void, at: (part: string) => string | undefined) => ReactNode;
};

function List<T extends Agreed>({ title, columns, what, list, path, book, problemAt, onChange, fresh, children }: ListProps<T>) {
  const where = [{ value: "", label: "everywhere" }, ...book.regions.map((r) => ({ value: r.id, label: r.name }))];
  return (
    <>
      <h3 className="mt-3 border-b border-hairline-strong pb-0.5 font-serif">{title}</h3>
      {list.length > 0 && (
        <table className="w-full text-right">
          <thead className="text-sm text-ink-soft">
            <tr>
              <th className="text-left font-normal">name</th>
              {columns.map((c) => (
                <th key={c} className={`pl-3 font-normal ${c === "of" || c === "tier" ? "text-left" : ""}`}>
                  {c}
                </th>
              ))}
              <th className="pl-3 text-left font-normal">where</th>
              <th className="pl-3 text-left font-normal">from, through</th>
            </tr>
          </thead>
          <tbody>
            {list.map((one, i) => {
              const set = (part: Partial<T>) => onChange(list.map((o, j) => (j === i ? { ...o, ...part } : o)));
              const at = (part: string) => problemAt(`$.agreements.${path}[${i}].${part}`);
              const wrong = ["amount", "quantity", "discount", "tier", "region", "from", "through"].map(at).filter((p) => p);
              return (
                <tr key={one.id} className="border-b border-hairline align-baseline">
                  <th className="whitespace-nowrap py-1 text-left font-normal">
                    {one.name}
                    <button
                      type="button"
                      aria-label={`Remove the ${what} ${one.name}`}
                      title={`remove the ${what}`}
                      className="px-1 text-ink-soft hover:text-bad"
                      onClick={() => onChange(list.filter((_, j) => j !== i))}
                    >
                      ×
                    </button>
                    {wrong.map((w) => (
                      <span key={w} role="alert" className="block whitespace-normal text-sm text-bad">
                        {w}
                      </span>
                    ))}
                  </th>
                  {children(one, set, at)}
                  <td className="pl-3 text-left">
                    <Select
                      aria-label={`${one.name}: where`}
                      className="w-36"
                      value={one.region ?? ""}
                      options={where}
                      onChange={(e) => set({ region: e.target.value || null } as Partial<T>)}
                    />
                  </td>
                  <td className="whitespace-nowrap pl-3 text-left">
                    {(["from", "through"] as const).map((end) => (
                      <input
                        key={end}
                        type="month"
                        aria-label={`${one.name}: ${end === "from" ? "first" : "last"} month`}
                        aria-invalid={at(end) !== undefined}
                        placeholder="yyyy-mm"
                        className={`${inputLook} w-40`}
                        value={one[end] ?? ""}
                        onChange={(e) => set({ [end]: e.target.value || null } as Partial<T>)}
                      />
                    ))}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <AddForm what={what} taken={list.map((o) => o.id)} onAdd={(id, name) => onChange([...list, fresh(id, name)])} />
    </>
  );
}

type AmountProps = {
  of: string;
  what: string;
  at: string | undefined;
  value: number;
  onChange: (value: number) => void;
};

const Amount = ({ of, what, at, value, onChange }: AmountProps) => (
  <NumberInput
    aria-label={`${of}: ${what}`}
    aria-invalid={at !== undefined}
    className="w-24"
    digits={12}
    value={value}
    onChange={(v) => onChange(orNull(v))}
  />
);

/** What devices of one's own cost, and how long one serves. */
export function DevicePrices({ book, problemAt, onChange }: AgreementsProps) {
  const { bytes } = useEstate();
  const all = book.regions.flatMap((region, r) => (region.devices ?? []).map((device, d) => ({ region, device, r, d })));
  if (all.length === 0) return null;
  return (
    <section className="mt-6">
      <h2 className="text-xl">Devices of one's own</h2>
      <p className="text-sm text-ink-soft">
        Their price is spread evenly over their life, and paid on: a device that is worn out makes room for another.
      </p>
      <table className="mt-1 w-full text-right">
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="text-left font-normal">devices</th>
            <th className="font-normal">how many</th>
            <th className="font-normal">{book.currency} for one</th>
            <th className="font-normal">life, months</th>
          </tr>
        </thead>
        <tbody>
          {all.map(({ region, device, r, d }) => {
            const set = (part: { price?: number; lifeMonths?: number }) =>
              onChange({
                ...book,
                regions: book.regions.map((o, i) =>
                  i === r ? { ...o, devices: (o.devices ?? []).map((v, j) => (j === d ? { ...v, ...part } : v)) } : o,
                ),
              });
            const at = (part: string) => problemAt(`$.regions[${r}].devices[${d}].${part}`);
            const of = `${device.id} in ${region.name}`;
            const [price, life] = [device.price ?? 0, device.lifeMonths ?? 0];
            return (
              <tr key={of} className="border-b border-hairline">
                <th className="py-1 text-left font-normal">
                  {of}, {bytes(device.bytesEach)} each
                  {[at("price"), at("lifeMonths")]
                    .filter((w) => w)
                    .map((w) => (
                      <span key={w} role="alert" className="block text-sm text-bad">
                        {w}
                      </span>
                    ))}
                </th>
                <td>{device.count}</td>
                <td>
                  <Amount of={of} what="price of one" at={at("price")} value={price} onChange={(v) => set({ price: v })} />
                </td>
                <td>
                  <NumberInput
                    aria-label={`${of}: life, months`}
                    aria-invalid={at("lifeMonths") !== undefined}
                    className="w-16"
                    value={life === 0 ? null : life}
                    // Without a price, no life need be known.
                    onChange={(v, isEmpty) =>
                      set(isEmpty ? { lifeMonths: undefined as unknown as number } : { lifeMonths: orNull(v) })
                    }
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
