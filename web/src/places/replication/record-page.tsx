import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { readProof } from "../../api/client";
import { useEstate } from "../../estate-context";
import { moment } from "../../format";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { ItemTable } from "./item-table";
import { kinds } from "./record-list";

/** One dated record, whole, and as files to keep. */
export function RecordPage() {
  usePageTitle("Record");
  const id = Number(useParams().record);
  const { regionName } = useEstate();
  const record = useQuery({ queryKey: ["proof", id], queryFn: () => readProof(id), retry: false });
  if (record.error && !record.data) return <ErrorPage what="Proof" error={record.error} />;
  if (!record.data) return <div className="h-96" />;
  const { head, steps, items } = record.data;
  return (
    <div className="max-w-6xl px-6 pb-24">
      <p className="pt-5">
        <Link to="/replication">Replication</Link>
      </p>
      <h1 className="text-3xl">
        Record {head.id}: {kinds[head.kind]} of {head.target ? `${head.subject} – ${head.target}` : regionName(head.subject)}
      </h1>
      <p className={`mt-2 border-l-4 px-3 ${head.good ? "border-good" : "border-bad"}`}>{head.summary}</p>
      <dl className="mt-4 grid grid-cols-[16rem_1fr] gap-y-1">
        {steps.map((step) => (
          <div key={step.what} className="contents">
            <dt className="text-ink-soft">{step.what}</dt>
            <dd>{precise(step.at)}</dd>
          </div>
        ))}
        <dt className="text-ink-soft">kept on the wall clock</dt>
        <dd>{moment(head.at)}</dd>
      </dl>
      <p className="mt-4 flex gap-4">
        <a href={`/api/replication/records/${head.id}`} download={`record-${head.id}.json`}>
          As JSON
        </a>
        <a href={`/api/replication/records/${head.id}.csv`} download={`record-${head.id}.csv`}>
          As CSV
        </a>
      </p>
      {items.length > 0 && <ItemTable items={items} label="What was found" />}
    </div>
  );
}

const precise = (at: string) => `${at.replace("T", " ").replace("+00:00", "").replace("Z", "")} UTC`;
