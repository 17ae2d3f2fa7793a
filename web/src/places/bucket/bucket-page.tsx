import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { type Bucket, type BucketOnBoard, readBucketOnBoard } from "../../api/client";
import { keys } from "../../api/keys";
import { useProblems } from "../../draft/problems";
import { useBrought } from "../../draft/use-brought";
import { useEstate } from "../../estate-context";
import { count, month } from "../../format";
import { Opens } from "../../money/opens";
import { StripEditor } from "../../strip/strip-editor";
import { TierName } from "../../strip/tiers";
import { Figure } from "../../ui/controls";
import { ErrorNote } from "../../ui/error-note";
import { ErrorPage } from "../../ui/error-page";
import { useKeys } from "../../ui/keys";
import { usePageTitle } from "../../ui/page-title";
import { AccessSection } from "./access/access-section";
import { DeleteBucket } from "./delete-bucket";
import { DraftPanel } from "./draft-panel";
import { HoldPart } from "./hold-part";
import { UntouchedSection } from "./inventory/untouched-section";
import { KeepEditor } from "./keep-editor";
import { MoneyChart } from "./money-chart";
import { ObjectsSection } from "./objects/objects-section";
import { PlaceFields } from "./place-fields";
import { ReadsEditor } from "./reads-editor";
import { ReplicationSection } from "./replication-section";
import { RulesEditor, withExpiry, withStep } from "./rules-editor";
import { StreamsEditor } from "./streams-editor";
import { TonightLine } from "./tonight-line";
import { UnfinishedField } from "./unfinished-field";
import { useDraft } from "./use-draft";

/** A bucket's page, read downwards. Its strip stays in sight while one edits below, and what the draft would do stands beside it. */
export function BucketPage() {
  const { name = "" } = useParams();
  return <Sheet key={name} name={name} />;
}

function Sheet({ name }: { name: string }) {
  usePageTitle(name);
  const on = new URLSearchParams(useLocation().search).get("on");
  const board = useQuery({
    queryKey: keys.bucketOnBoard(name, on),
    queryFn: () => readBucketOnBoard(name, on),
    placeholderData: (d) => d,
  });
  const draft = useDraft(name);
  const { bucket, reading, good, edit } = draft;
  const problemAt = useProblems(reading.data?.problems);
  useBrought<Bucket>(draft.stored.data !== undefined, draft.bring);
  usePartKeys();
  useScrollToPart(bucket !== undefined && board.data !== undefined);
  const strip = good?.strip;
  // What was read once stays: a question that fails later never takes away what is typed here.
  if (!bucket) return draft.stored.error ? <ErrorPage what={name} error={draft.stored.error} /> : <div className="h-96" />;
  return (
    <section aria-label={`Sheet of ${name}`} className="px-6 pb-24">
      <Heading name={name} board={board.data} bucket={bucket} />
      {draft.stored.error && <ErrorNote error={draft.stored.error} />}
      <div className="grid grid-cols-[minmax(0,1fr)_20rem] gap-x-8 xl:grid-cols-[minmax(0,1fr)_23rem] xl:gap-x-12">
        <div className="min-w-0 space-y-7">
          {/* The strip stays in sight only as long as what it shows is being edited. */}
          <div className="space-y-7">
            <div id="ageing" ref={scrollBelow} className="sticky top-13 z-10 bg-paper pb-1">
              {strip && board.data ? (
                <div data-stale={!reading.data?.strip}>
                  <StripEditor
                    axis={board.data.axis}
                    strip={strip}
                    contents={board.data.row.contents}
                    rules={bucket.rules ?? []}
                    onStep={(r, s, age) => edit((b) => withStep(b, r, s, { age }))}
                    onExpiry={(r, age) => edit((b) => withExpiry(b, r, age))}
                  />
                </div>
              ) : (
                <div className="h-40" />
              )}
              <TonightLine bucket={name} />
            </div>
            <RulesEditor bucket={bucket} edit={edit} problemAt={problemAt} suggested={good} />
            <UnfinishedField bucket={bucket} edit={edit} problemAt={problemAt} />
            <KeepEditor bucket={bucket} stored={draft.stored.data} discard={draft.discard} edit={edit} problemAt={problemAt} />
            <HoldPart bucket={name} />
            <PlaceFields bucket={bucket} edit={edit} problemAt={problemAt} />
            <StreamsEditor bucket={bucket} edit={edit} problemAt={problemAt} />
            <ReadsEditor bucket={bucket} edit={edit} problemAt={problemAt} />
          </div>
          <ReplicationSection bucket={bucket} />
          <MoneyChart bucket={name} />
          <ObjectsSection bucket={draft.stored.data?.value ?? bucket} />
          <AccessSection bucket={name} />
          <UntouchedSection bucket={name} />
          <DeleteBucket name={name} etag={draft.stored.data?.etag ?? ""} />
        </div>
        <DraftPanel draft={draft} />
      </div>
    </section>
  );
}

function Heading({ name, board, bucket }: { name: string; board: BucketOnBoard | undefined; bucket: Bucket }) {
  const { money, bytes, regionName } = useEstate();
  const { search } = useLocation();
  return (
    <header className="flex flex-wrap items-end gap-x-8 gap-y-1 pt-3 pb-2">
      <div>
        <Link to={{ pathname: "/", search: boardSearch(search) }} className="text-sm text-ink-soft">
          Estate
        </Link>
        <h1 className="text-3xl leading-tight">{name}</h1>
      </div>
      <p className="pb-1 text-ink-soft">
        {regionName(bucket.region)} · lands in <TierName id={bucket.tier} />
      </p>
      {board && (
        <p className="pb-1">
          <Figure projected={board.projected}>{bytes(board.row.bytes)}</Figure> in {count(board.row.objects, 0)} objects ·{" "}
          <Opens
            why={{ month: board.month, bucket: board.row.name }}
            label={`${money(board.row.monthCost)} in ${month(board.month)}`}
          >
            <Figure projected>{money(board.row.monthCost)}</Figure>
          </Opens>{" "}
          in {month(board.month)}
        </p>
      )}
      <Within name={name} />
    </header>
  );
}

/** The address of the board without what belongs to the bucket's page. */
const boardSearch = (search: string) => {
  const kept = new URLSearchParams(search);
  for (const own of ["in", "object"]) kept.delete(own);
  return kept.toString();
};

const parts = [
  { id: "ageing", label: "ageing" },
  { id: "retention", label: "retention" },
  { id: "place", label: "place" },
  { id: "workload", label: "workload" },
  { id: "replication", label: "replication" },
  { id: "money", label: "money" },
  { id: "objects", label: "objects" },
  { id: "access", label: "access" },
  { id: "untouched", label: "access age" },
];

/** Ways down the page to its parts, each with an address of its own and a number key. */
function Within({ name }: { name: string }) {
  const { search } = useLocation();
  return (
    <nav aria-label="Parts of the page" className="no-print flex flex-wrap gap-x-4 pb-1 text-sm">
      {parts.map((part, i) => (
        <Link key={part.id} to={{ pathname: `/buckets/${name}`, search, hash: part.id }} replace title={`Key ${i + 1}`}>
          {part.label}
        </Link>
      ))}
    </nav>
  );
}

function usePartKeys() {
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  useKeys((key) => {
    const part = parts[Number(key) - 1];
    if (part) void navigate({ pathname, search, hash: part.id }, { replace: true });
    return part !== undefined;
  });
}

/** What comes into the window by key or address comes below the heading and the strip, not under them. */
function scrollBelow(strip: HTMLElement | null) {
  if (!strip) return;
  const root = document.documentElement;
  const observer = new ResizeObserver(() => root.style.setProperty("scroll-padding-top", `${strip.offsetHeight + 60}px`));
  observer.observe(strip);
  return () => {
    observer.disconnect();
    root.style.removeProperty("scroll-padding-top");
  };
}

function useScrollToPart(loaded: boolean) {
  const { hash } = useLocation();
  useEffect(() => {
    if (!loaded) return;
    const part = hash && document.getElementById(hash.slice(1));
    if (part) part.scrollIntoView({ block: "start" });
  }, [loaded, hash]);
}
