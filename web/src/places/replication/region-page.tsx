import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { loseRegion, type RegionLoss, readLoss, refillBucket, returnRegion } from "../../api/client";
import { useEstate } from "../../estate-context";
import { count, day, moment } from "../../format";
import { Button } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { usePageTitle } from "../../ui/page-title";
import { TypedConfirmation } from "../../ui/typed-confirmation";
import { Devices } from "../redundancy/devices";
import { ItemTable } from "./item-table";
import { PartMap } from "./part-map";
import { PromoteDialog } from "./promote-dialog";
import { useDeed, useReplication } from "./use-replication";

/** A region, and what its loss would mean, or means: what cannot be read, who serves, what is nowhere else; and the way back. */
export function RegionPage() {
  usePageTitle("Region");
  const region = useParams().region ?? "";
  const { regionName, bytes } = useEstate();
  const loss = useQuery({ queryKey: ["loss", region], queryFn: () => readLoss(region), retry: false });
  if (loss.error && !loss.data) return <ErrorPage what="Region" error={loss.error} />;
  if (!loss.data) return <div className="h-96" />;
  const { since, buckets, items, lostObjects, lostBytes } = loss.data;
  return (
    <div className="px-6 pb-24">
      <p className="pt-5">
        <Link to="/replication">Replication</Link>
      </p>
      <h1 className="text-3xl">
        {regionName(region)}
        {since && <span className="text-bad"> is lost</span>}
      </h1>
      <div className="mt-2 grid grid-cols-[20rem_minmax(0,1fr)] gap-x-10 max-lg:grid-cols-1">
        <div>
          <p className={`mt-2 border-l-4 px-3 ${items.length === 0 ? "border-good" : "border-bad"}`} data-testid="loss">
            {since
              ? `Lost since ${moment(since)}: nothing in it can be read or written, and nothing passes its lines. `
              : "If it were lost now: "}
            {buckets.length === 0
              ? "no bucket lies here."
              : items.length === 0
                ? "everything that lies here is elsewhere as well."
                : `${count(lostObjects)} objects, ${bytes(lostBytes)}, are nowhere else.`}
          </p>
          <Deeds loss={loss.data} />
        </div>
        <PartMap concerns={(_, of) => of === region} />
      </div>
      <Devices region={region} />
      {buckets.length > 0 && <Buckets loss={loss.data} />}
      {loss.data.kept.length > 0 && <KeptHere kept={loss.data.kept} />}
      {items.length > 0 && (
        <>
          <h2 className="mt-8 text-xl">Nowhere else, by name and size</h2>
          <ItemTable items={items} label="Nowhere else" />
        </>
      )}
    </div>
  );
}

/** What is kept in the region, by name: the list that is looked at before it is destroyed. */
function KeptHere({ kept }: { kept: RegionLoss["kept"] }) {
  const { bytes } = useEstate();
  const most = 500;
  return (
    <>
      <h2 className="mt-8 text-xl">Kept here</h2>
      <section aria-label="Kept here" tabIndex={0} className="mt-1 max-h-[20rem] overflow-y-auto">
        <table className="w-full">
          <thead className="sticky top-0 bg-paper text-sm text-ink-soft">
            <tr className="border-b border-hairline-strong">
              <th className="py-1 text-left font-normal">object</th>
              <th className="text-left font-normal">in</th>
              <th className="text-right font-normal">objects</th>
              <th className="text-right font-normal">size</th>
              <th className="pl-6 text-left font-normal">kept until</th>
            </tr>
          </thead>
          <tbody>
            {kept.slice(0, most).map((k) => (
              <tr key={`${k.bucket} ${k.key} ${k.until} ${k.strength} ${k.objects}`} className="border-b border-hairline">
                <th scope="row" className="py-1 pr-4 text-left font-normal break-all">
                  {k.key === "" ? "(no prefix)" : k.key}
                </th>
                <td className="pr-4">{k.bucket}</td>
                <td className="text-right">{count(k.objects)}</td>
                <td className="pl-4 text-right whitespace-nowrap">{bytes(k.bytes)}</td>
                <td className="pl-6 whitespace-nowrap">
                  {day(k.until)}, {k.strength}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {kept.length > most && <p className="text-sm text-ink-soft">And {count(kept.length - most)} more.</p>}
    </>
  );
}

function Deeds({ loss }: { loss: RegionLoss }) {
  const [asking, setAsking] = useState<"lose" | "empty" | null>(null);
  const { regionName } = useEstate();
  const done = () => setAsking(null);
  const lose = useDeed(() => loseRegion(loss.region), done);
  const back = useDeed(
    (withItsData: boolean) =>
      returnRegion(loss.region, withItsData, withItsData ? null : loss.region, withItsData ? null : loss.keptSeen),
    done,
  );
  const error = lose.error ?? back.error;
  return (
    <section aria-label="What to do" className="mt-4 max-w-2xl">
      {!loss.since && asking !== "lose" && <Button onClick={() => setAsking("lose")}>Mark it as lost (simulated)…</Button>}
      {asking === "lose" && !loss.since && (
        <>
          <p className="mb-2">
            Its buckets cannot be read or written until it is brought back; copies in other regions go on serving. The list below
            is kept as a record.
          </p>
          <TypedConfirmation
            word={loss.region}
            action="Mark it as lost"
            busy={lose.isPending}
            onConfirm={() => lose.mutate(undefined)}
            onCancel={done}
          />
        </>
      )}
      {loss.since && (
        <p className="flex gap-3">
          <Button disabled={back.isPending} onClick={() => back.mutate(true)}>
            It is back with all its data
          </Button>
          <Button disabled={back.isPending} onClick={() => setAsking("empty")}>
            It is back, empty…
          </Button>
        </p>
      )}
      {asking === "empty" && loss.since && (
        <div className="mt-3">
          <p className="mb-2 border-l-4 border-bad px-3">
            What lay in {regionName(loss.region)} goes for good, and what waited to leave it too. What is nowhere else is listed
            below and kept in a record; the rest can be brought back from its copies.
          </p>
          {loss.kept.length > 0 && (
            <p className="mb-2 border-l-4 border-bad px-3 text-bad">
              Among it are {count(loss.kept.reduce((sum, k) => sum + k.objects, 0))} objects that are kept. No rule prevents a
              disaster; they are listed below.
            </p>
          )}
          <TypedConfirmation
            word={loss.region}
            action="Bring it back empty"
            busy={back.isPending}
            onConfirm={() => back.mutate(false)}
            onCancel={done}
          />
        </div>
      )}
      {back.data && !loss.since && (
        <p role="status" className="mt-2">
          {back.data.summary} <Link to={`/replication/records/${back.data.id}`}>The record</Link>
        </p>
      )}
      {error && <ErrorNote error={error} />}
    </section>
  );
}

function Buckets({ loss }: { loss: RegionLoss }) {
  const { bytes, estate } = useEstate();
  const copies = useReplication();
  const [promoting, setPromoting] = useState<{ from: string; to: string } | null>(null);
  const refill = useDeed((bucket: string) => refillBucket(bucket));
  const rules = copies.data?.value.rules ?? [];
  const copiedTo = (bucket: string) =>
    estate.buckets.filter((b) => rules.some((r) => r.bucket === bucket && r.target === b && !r.bringsBack));
  return (
    <section aria-label="Buckets" className="mt-8">
      <h2 className="text-xl">Buckets here</h2>
      <table className="mt-1 w-full text-right">
        <thead className="text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 text-left font-normal">bucket</th>
            <th className="font-normal">holds</th>
            <th className="font-normal">nowhere else</th>
            <th className="pl-8 text-left font-normal">copies serve from</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {loss.buckets.map((b) => (
            <tr key={b.bucket} className="border-b border-hairline">
              <th scope="row" className="py-1.5 text-left font-normal">
                <Link to={`/buckets/${b.bucket}`}>{b.bucket}</Link>
                {loss.since && <span className="text-bad"> · unreadable</span>}
              </th>
              <td>
                {count(b.objects)} · {bytes(b.bytes)}
              </td>
              <td className={b.lostBytes > 0 ? "text-bad" : ""}>
                {count(b.lostObjects)} · {bytes(b.lostBytes)}
              </td>
              <td className="pl-8 text-left">
                {b.servedBy.length === 0
                  ? "nowhere"
                  : b.servedBy.map((s, i) => (
                      <span key={s}>
                        {i > 0 && ", "}
                        <Link to={`/buckets/${s}`}>{s}</Link>
                      </span>
                    ))}
              </td>
              <td>
                {copiedTo(b.bucket)
                  .filter((to) => !rules.some((r) => r.bucket === to && r.target === b.bucket && !r.bringsBack))
                  .map((to) => (
                    <Button key={to} kind="quiet" onClick={() => setPromoting({ from: b.bucket, to })}>
                      Promote {to}…
                    </Button>
                  ))}
                {!loss.since && b.servedBy.length > 0 && (
                  <Button
                    kind="quiet"
                    disabled={refill.isPending}
                    aria-label={`Bring back from copies to ${b.bucket}`}
                    onClick={() => refill.mutate(b.bucket)}
                  >
                    Bring back from copies
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 max-w-3xl text-sm text-ink-soft">
        Promoting lets a copy take the place of its original: the workload and the reading habit move there, and what is written
        there is copied back as soon as the region can be reached. It is taken back on the way of a move.
      </p>
      {refill.data && (
        <p role="status">
          {refill.data.entries === 0
            ? "Nothing is missing here."
            : `${count(refill.data.entries)} entries are on their way; advance the clock, then compare both sides.`}
        </p>
      )}
      {refill.error && <ErrorNote error={refill.error} />}
      {promoting && <PromoteDialog {...promoting} onClose={() => setPromoting(null)} />}
    </section>
  );
}
