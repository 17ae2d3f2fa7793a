import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { bringBill, readBill, readBills, removeBill } from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { day, month } from "../../format";
import { ApiError } from "../../refusal";
import { ConfirmButton } from "../../ui/confirm-button";
import { Field, inputLook } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { FilePicker } from "../../ui/file-picker";
import { usePageTitle } from "../../ui/page-title";
import { FitPart } from "./fit-part";
import { MappingPart } from "./mapping-part";
import { RowsPart } from "./rows-part";

const roles = ["date", "resource", "item", "unit", "quantity", "amount", "currency"];

/** Bills from elsewhere: what they say in this estate's words, and the prices that meet them. */
export function BillsPlace() {
  usePageTitle("Bills from elsewhere");
  const { id } = useParams();
  const bills = useQuery({ queryKey: keys.bills, queryFn: readBills });
  const chosen = id === undefined ? bills.data?.[0]?.id : Number(id);
  if (bills.error) return <ErrorNote error={bills.error} />;
  if (!bills.data) return <div className="h-96" />;
  return (
    <div className="px-6 pb-24">
      <div className="flex flex-wrap items-end gap-x-6 gap-y-1 pt-5">
        <h1 className="text-3xl">Bills from elsewhere</h1>
        <p className="text-ink-soft">What was really charged, in this estate's words, and the prices fitted to it.</p>
        <Link to="/prices" className="ml-auto text-sm">
          Prices
        </Link>
      </div>
      <div className="mt-3 grid grid-cols-[15rem_minmax(0,1fr)] gap-x-10 gap-y-6 max-lg:grid-cols-1">
        <div className="min-w-0">
          <ul>
            {bills.data.map((b) => (
              <li key={b.id} className={`border-b border-hairline px-1 py-1 ${b.id === chosen ? "bg-paper-deep" : ""}`}>
                <Link to={`/bills/${b.id}`} aria-current={b.id === chosen} className="break-words">
                  {b.name}
                </Link>
                <p className="text-sm text-ink-soft">brought on {day(b.at.slice(0, 10))}</p>
              </li>
            ))}
          </ul>
          <BringForm />
        </div>
        {chosen === undefined ? (
          <p className="py-10 text-ink-soft">
            None is here yet. A bill is CSV or Parquet with a row for what is charged: FOCUS columns are known by their names.
          </p>
        ) : (
          <Chosen key={chosen} id={chosen} />
        )}
      </div>
    </div>
  );
}

/** Takes a file; where its columns have other names than are known, they are named first. */
function BringForm() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [columns, setColumns] = useState<Record<string, string>>({});
  const bring = useMutation({
    mutationFn: (file: File) =>
      bringBill(file.name.slice(0, 100), Object.fromEntries(Object.entries(columns).filter(([, name]) => name !== "")), file),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: keys.bills });
      void navigate(`/bills/${made.card.id}`);
    },
  });
  const problems = bring.error instanceof ApiError ? bring.error.problems : [];
  const errorAt = (role: string) => problems.find((p) => p.path === `?${role}`)?.message;
  const others = problems.filter((p) => !p.path.startsWith("?"));
  return (
    <section className="mt-5" aria-label="Bring a bill">
      <FilePicker
        kind={bring.isPending ? "plain" : "primary"}
        label={bring.isPending ? "Reading it…" : "Bring a bill…"}
        inputLabel="A bill"
        disabled={bring.isPending}
        onPick={(files) => files[0] && bring.mutate(files[0])}
      />
      {others.length > 0 && (
        <ul role="alert" className="mt-2 text-sm text-bad">
          {others.map((p) => (
            <li key={p.path}>
              {p.path}: {p.message}
            </li>
          ))}
        </ul>
      )}
      {bring.error && problems.length === 0 && <ErrorNote error={bring.error} />}
      <details className="mt-4 text-sm" open={problems.some((p) => p.path.startsWith("?")) || undefined}>
        <summary className="text-ink-soft">Its columns have other names</summary>
        <div className="mt-2 space-y-2">
          {roles.map((role) => (
            <Field key={role} label={`The ${role}`} error={errorAt(role)}>
              {(ids) => (
                <input
                  {...ids}
                  className={`${inputLook} w-full`}
                  placeholder="by its usual name"
                  value={columns[role] ?? ""}
                  onChange={(e) => setColumns({ ...columns, [role]: e.target.value })}
                />
              )}
            </Field>
          ))}
        </div>
      </details>
    </section>
  );
}

function Chosen({ id }: { id: number }) {
  const { money } = useEstate();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const bill = useQuery({ queryKey: keys.bill(id), queryFn: () => readBill(id) });
  const remove = useMutation({
    mutationFn: () => removeBill(id),
    onSuccess: async () => {
      void navigate("/bills");
      await queries.invalidateQueries({ queryKey: keys.bills, exact: true });
    },
  });
  if (bill.error) return <ErrorNote error={bill.error} />;
  if (!bill.data) return <div className="h-96" />;
  const { card, billed, mapped, aside, months } = bill.data;
  return (
    <div className="min-w-0">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="font-serif text-2xl break-words">{card.name}</h2>
        <span className="ml-auto">
          <ConfirmButton
            label="Forget it"
            about={card.name}
            question="Forget this bill and how it is read?"
            onConfirm={() => remove.mutate()}
          />
        </span>
      </div>
      {remove.error && <ErrorNote error={remove.error} />}
      <p>
        <span className="font-serif text-xl">{money(billed)}</span> were billed from {month(months[0]?.month ?? "")} to{" "}
        {month(months.at(-1)?.month ?? "")}: {money(mapped)} are recognised
        {Math.abs(aside) >= 0.005 ? `, ${money(aside)} are left aside.` : ", all of it."}
      </p>
      <FitPart bill={bill.data} />
      <MappingPart bill={bill.data} />
      <RowsPart bill={bill.data} />
    </div>
  );
}
