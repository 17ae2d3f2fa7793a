import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import {
  type ArrayReading,
  type ArrayVolumeReading,
  draftLeaving,
  type LeavingOrder,
  putLeaving,
  readArrays,
} from "../../api/client";
import { keys } from "../../api/keys";
import { useEstate } from "../../estate-context";
import { ApiError } from "../../refusal";
import { Button, Field, Select } from "../../ui/controls";
import { Dialog } from "../../ui/dialog";
import { ErrorNote } from "../../ui/error-note";
import { usePageTitle } from "../../ui/page-title";
import { done } from "../../ui/toasts";
import { useKept } from "../../ui/use-kept";
import { ArrayStrip } from "./array-strip";
import { ArrayVolumes } from "./array-volumes";
import { ArrayYears } from "./array-years";
import { HomeDialog } from "./home-dialog";
import { HomeOnRead } from "./home-on-read";
import { LeavingEditor } from "./leaving-editor";
import { ReadDialog } from "./read-dialog";

/** One local array: what lies there by days since use, what of it leaves, what both sides hold and cost. */
export function ArrayPage() {
  const { array = "" } = useParams();
  usePageTitle(array);
  const { estate, bytes, regionName, price, prices } = useEstate();
  const queries = useQueryClient();
  const arrays = useQuery({ queryKey: keys.arrays, queryFn: readArrays });
  const stored = arrays.data?.value.arrays.find((a) => a.id === array);
  const [draft, keep, forget] = useKept<LeavingOrder | null>(`ripen-draft:${estate.identity}:array:${array}`, null);
  const [asked, setAsked] = useState(false);
  const [home, setHome] = useState<ArrayVolumeReading | null>(null);
  const [reads, setReads] = useState<ArrayVolumeReading | null>(null);
  const order: LeavingOrder = draft ?? {
    bucket: stored?.bucket ?? null,
    leaving: stored?.leaving ?? [],
    homeOnRead: stored?.homeOnRead ?? false,
  };
  const reading = useQuery({
    queryKey: keys.leaving(array, order),
    queryFn: ({ signal }) => draftLeaving(array, order, signal),
    enabled: stored !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const apply = useMutation({
    mutationFn: () => putLeaving(array, order, arrays.data?.etag ?? ""),
    onSuccess: async () => {
      forget();
      setAsked(false);
      await queries.invalidateQueries();
      done("Stored: the next night takes what is old enough.");
    },
  });
  if (arrays.error) return <ErrorNote error={arrays.error} />;
  if (!arrays.data) return <div className="h-96" />;
  if (!stored)
    return (
      <p className="px-6 py-8">
        There is no array '{array}'. <Link to="/arrays">All arrays</Link>
      </p>
    );
  const shown: ArrayReading = reading.data?.reading ?? stored;
  const problems = reading.error instanceof ApiError ? reading.error.problems : [];
  const problemAt = (path: string) => problems.find((p) => p.path === path)?.message;
  const { homeBytes: held, awayBytes: awayNow } = stored;
  const tonight = shown.leavingBytes;
  const set = (part: Partial<LeavingOrder>) => keep({ ...order, ...part });
  return (
    <div className="px-6 pb-24">
      <header className="pt-3 pb-2">
        <Link to="/arrays" className="text-sm text-ink-soft">
          Local arrays
        </Link>
        <h1 className="text-3xl leading-tight">{stored.name}</h1>
        <p className="text-ink-soft">
          {regionName(stored.region)} · {bytes(held)} of {bytes(stored.capacityBytes)} used · {price(stored.pricePerUnitMonth)}{" "}
          per {prices.unit} and month{awayNow > 0 && ` · ${bytes(awayNow)} away in ${stored.bucket}`}
        </p>
      </header>
      <p className="max-w-4xl border-l-2 border-bad pl-3 text-sm">
        This is no backup. What leaves lies in the bucket and nowhere else, and without the array's own map nobody can tell which
        file is which: back the array up as before. Leaving again is hard: everything has to come home first, at the price of
        reading it, with room for it on the array.
      </p>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)_21rem] gap-x-10 max-lg:grid-cols-1">
        <div className="min-w-0 space-y-6">
          <div data-stale={reading.isPlaceholderData}>
            <ArrayStrip
              axis={arrays.data.value.axis}
              reading={{ ...shown, leaving: order.leaving }}
              landing={shown.landing}
              onAge={(rule, afterDays) => set({ leaving: order.leaving.map((r) => (r.id === rule ? { ...r, afterDays } : r)) })}
            />
          </div>
          <Field
            label="It leaves to"
            error={problemAt("$.bucket")}
            hint={
              stored.bucket
                ? "Another bucket can take its place once it holds all that is away."
                : "Nothing leaves until a bucket is named."
            }
          >
            {(ids) => (
              <Select
                {...ids}
                value={order.bucket ?? ""}
                options={[{ value: "", label: "nowhere" }, ...estate.buckets.map((b) => ({ value: b, label: b }))]}
                onChange={(e) => set({ bucket: e.target.value || null })}
              />
            )}
          </Field>
          <LeavingEditor reading={shown} leaving={order.leaving} problemAt={problemAt} onChange={(leaving) => set({ leaving })} />
          <ArrayVolumes reading={shown} onHome={setHome} onRead={setReads} />
        </div>
        <aside className="border-l border-hairline pl-5 max-lg:border-0 max-lg:pl-0">
          <div className="flex items-center gap-3">
            <Button kind="primary" disabled={!draft || problems.length > 0 || !reading.data} onClick={() => setAsked(true)}>
              Apply…
            </Button>
            <Button disabled={!draft} onClick={forget}>
              Discard
            </Button>
          </div>
          <p className="mt-3">
            Tonight <strong>{bytes(tonight)}</strong>{" "}
            {order.bucket === null
              ? "would leave, if there were a bucket."
              : `leave. The array then holds ${bytes(held - tonight)}.`}
          </p>
          {reading.data && <ArrayYears years={reading.data.years} />}
          {reading.error && problems.length === 0 && <ErrorNote error={reading.error} />}
          {problems
            .filter((p) => !p.path.startsWith("$.leaving[") && p.path !== "$.bucket")
            .map((p) => (
              <p key={p.path} className="mt-2 text-bad">
                {p.message}
              </p>
            ))}
          <HomeOnRead reading={shown} value={order.homeOnRead ?? false} onChange={(homeOnRead) => set({ homeOnRead })} />
        </aside>
      </div>
      {asked && (
        <Dialog
          open
          onClose={() => setAsked(false)}
          title={reading.data?.binds ? `Bind it to ${order.bucket}` : "Change what leaves"}
        >
          <p>
            The next night takes {bytes(tonight)}
            {order.bucket !== null && ` to ${order.bucket}`}, and every night after it what has grown old enough.
          </p>
          {reading.data?.binds && (
            <p className="mt-2">
              From then on the array needs the bucket to be whole. To undo it, every volume is brought home: it is read and paid
              for once, and the array must have room for all of it.
            </p>
          )}
          {apply.error && <ErrorNote error={apply.error} />}
          <div className="mt-4 flex gap-3">
            <Button kind="primary" disabled={apply.isPending} onClick={() => apply.mutate()}>
              {reading.data?.binds ? "Bind it" : "Apply"}
            </Button>
            <Button onClick={() => setAsked(false)}>Cancel</Button>
          </div>
        </Dialog>
      )}
      {reads && <ReadDialog array={array} volume={reads} onClose={() => setReads(null)} />}
      {home && <HomeDialog array={array} volume={home} onClose={() => setHome(null)} />}
    </div>
  );
}
