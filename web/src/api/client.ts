import createClient from "openapi-fetch";
import { ApiError } from "../refusal";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type AccessGrant = Schemas["AccessGrant"];
export type AccessKey = Schemas["AccessKey"];
export type AccessOrder = Schemas["AccessOrder"];
export type AccessReading = Schemas["AccessReading"];
export type AccessTestStep = Schemas["AccessTestStep"];
export type BillReading = Schemas["BillReading"];
export type BilledItem = Schemas["BilledItem"];
export type Charge = Schemas["Charge"];
export type FitBy = Schemas["FitBy"];
export type BudgetCard = Schemas["BudgetCard"];
export type BudgetMonth = Schemas["BudgetMonth"];
export type BudgetReading = Schemas["BudgetReading"];
export type VarianceParts = Schemas["VarianceParts"];
export type VarianceTable = Schemas["VarianceTable"];
export type VarianceBy = "bucket" | "charge" | "tier" | "region" | "tenant" | "month";
export type BucketSeal = Schemas["BucketSeal"];
export type ClientFile = Schemas["ClientFile"];
export type CredentialAnswer = Schemas["CredentialAnswer"];
export type CredentialOrder = Schemas["CredentialOrder"];
export type CredentialReading = Schemas["CredentialReading"];
export type KeyReading = Schemas["KeyReading"];
export type SecretOrder = Schemas["SecretOrder"];
export type AgeAxis = Schemas["AgeAxis"];
export type AgeStrip = Schemas["AgeStrip"];
export type BatchSum = Schemas["BatchSum"];
export type Board = Schemas["Board"];
export type BoardRow = Schemas["BoardRow"];
export type Bucket = Schemas["Bucket"];
export type BucketMoney = Schemas["BucketMoney"];
export type ClockReading = Schemas["ClockReading"];
export type ComparisonQuestion = Schemas["ComparisonQuestion"];
export type ColumnMapping = Schemas["ColumnMapping"];
export type Consequences = Schemas["Consequences"];
export type AuditResult = Schemas["AuditResult"];
export type CopiesReading = Schemas["CopiesReading"];
export type CopyDraftReading = Schemas["CopyDraftReading"];
export type CopyOfObject = Schemas["CopyOfObject"];
export type CopyOrder = Schemas["CopyOrder"];
export type CopyRule = Schemas["CopyRule"];
export type CopyRuleStatus = Schemas["CopyRuleStatus"];
export type LineStatus = Schemas["LineStatus"];
export type LineTerms = Schemas["LineTerms"];
export type ManyBuckets = Schemas["ManyBuckets"];
export type ManyReading = Schemas["ManyReading"];
export type BucketChange = Schemas["BucketChange"];
export type BucketMark = Schemas["BucketMark"];
export type BucketOnBoard = Schemas["BucketOnBoard"];
export type MendOrder = Schemas["MendOrder"];
export type MoveReading = Schemas["MoveReading"];
export type MoveStep = Schemas["MoveStep"];
export type ProofHead = Schemas["ProofHead"];
export type ProofItem = Schemas["ProofItem"];
export type ProofRecord = Schemas["ProofRecord"];
export type RegionLoss = Schemas["RegionLoss"];
export type RegionReading = Schemas["RegionReading"];
export type YearChange = Schemas["YearChange"];
export type DraftReading = Schemas["DraftReading"];
export type EstateSummary = Schemas["EstateSummary"];
export type ForecastSeries = Schemas["ForecastSeries"];
export type InventoryPreview = Schemas["InventoryPreview"];
export type InventoryReading = Schemas["InventoryReading"];
export type KeepRule = Schemas["KeepRule"];
export type LiftOrder = Schemas["LiftOrder"];
export type LifecycleRule = Schemas["LifecycleRule"];
export type Lines = Schemas["Lines"];
export type LinkOrder = Schemas["LinkOrder"];
export type LoggedChange = Schemas["LoggedChange"];
export type NewAccessReading = Schemas["NewAccessReading"];
export type NewSecret = Schemas["NewSecret"];
export type ObjectDetails = Schemas["ObjectDetails"];
export type ObjectStream = Schemas["ObjectStream"];
export type AgreedReading = Schemas["AgreedReading"];
export type SettledLine = Schemas["SettledLine"];
export type PriceBook = Schemas["PriceBook"];
export type PlaceOffer = Schemas["PlaceOffer"];
export type DayRun = Schemas["DayRun"];
export type ListingPage = Schemas["ListingPage"];
export type BackupJob = Schemas["BackupJob"];
export type BackupPlan = Schemas["BackupPlan"];
export type BackupTarget = Schemas["BackupTarget"];
export type BranchReading = Schemas["BranchReading"];
export type CalendarRow = Schemas["CalendarRow"];
export type Cadence = Schemas["Cadence"];
export type PlanDraft = Schemas["PlanDraft"];
export type PlanReading = Schemas["PlanReading"];
export type PointCalendar = Schemas["PointCalendar"];
export type PointRetention = Schemas["PointRetention"];
export type RestorePoint = Schemas["RestorePoint"];
export type RestoreQuery = Schemas["RestoreQuery"];
export type Verdict = Schemas["Verdict"];
export type Workload = Schemas["Workload"];
export type WorkloadProof = Schemas["WorkloadProof"];
export type RestoreOrder = Schemas["RestoreOrder"];
export type PlannedRehearsal = Schemas["PlannedRehearsal"];
export type RestoreRecord = Schemas["RestoreRecord"];
export type WorkloadJudgement = Schemas["WorkloadJudgement"];
export type DifferenceReading = Schemas["DifferenceReading"];
export type FoundPath = Schemas["FoundPath"];
export type FoundVersion = Schemas["FoundVersion"];
export type NameReading = Schemas["NameReading"];
export type PointReading = Schemas["PointReading"];
export type ProbeStep = Schemas["ProbeStep"];
export type CartridgeReading = Schemas["CartridgeReading"];
export type DriveReading = Schemas["DriveReading"];
export type DriveUse = Schemas["DriveUse"];
export type LibraryReading = Schemas["LibraryReading"];
export type MailPlace = Schemas["MailPlace"];
export type FoundMail = Schemas["FoundMailReading"];
export type RunOrder = Schemas["RunOrder"];
export type PlanRunOrder = Schemas["PlanRunOrder"];
export type WorkloadSource = Schemas["WorkloadSource"];
export type SizingOrder = Schemas["SizingOrder"];
export type SizingReading = Schemas["SizingReading"];
export type TargetQuestions = Schemas["TargetQuestions"];
export type RoomRule = Schemas["RoomRule"];
export type TargetFolder = Schemas["TargetFolder"];
export type TargetReading = Schemas["TargetReading"];
export type TestReading = Schemas["TestReading"];
export type VolumeReading = Schemas["VolumeReading"];
export type VolumeSample = Schemas["VolumeSample"];
export type Problem = Schemas["Problem"];
export type ReadBand = Schemas["ReadBand"];
export type Right = Schemas["Right"];
export type Scheme = Schemas["Scheme"];
export type SchemePromise = Schemas["SchemePromise"];
export type SchemeQuestion = Schemas["SchemeQuestion"];
export type StorageAdvice = Schemas["StorageAdvice"];
export type StorageQuestions = Schemas["StorageQuestions"];
export type StoredVersion = Schemas["StoredVersion"];
export type StoresChoice = Schemas["StoresChoice"];
export type StoresReading = Schemas["StoresReading"];
export type SplitBy = "tier" | "charge" | "region" | "bucket" | "tenant";
export type Transfer = Schemas["Transfer"];
export type TierContents = Schemas["TierContents"];
export type TierMove = Schemas["TierMove"];
export type TierMoveOrder = Schemas["TierMoveOrder"];
export type KeepingReading = Schemas["KeepingReading"];
export type KeepingConflict = Schemas["KeepingConflict"];
export type NightReading = Schemas["NightReading"];
export type AsideBecause = Schemas["AsideBecause"];
export type PricedTerm = Schemas["PricedTerm"];
export type ScheduleTerm = Schemas["ScheduleTerm"];
export type EstateAdvice = Schemas["EstateAdvice"];
export type Bundling = Schemas["Bundling"];
export type BundleIndex = Schemas["BundleIndex"];
export type BreakEvenCurve = Schemas["BreakEvenCurve"];
export type ObjectKeepRequest = Schemas["ObjectKeepRequest"];
export type ObjectCharged = Schemas["ObjectCharged"];
export type ObjectKeep = Schemas["ObjectKeep"];
export type RuleYear = Schemas["RuleYear"];
export type HoldOrder = Schemas["HoldOrder"];
export type HoldReading = Schemas["HoldReading"];
export type PlanBody = Schemas["PlanBody"];
export type FullRestoreAtSpeed = Schemas["FullRestoreAtSpeed"];
export type ArrayReading = Schemas["ArrayReading"];
export type PriceChange = Schemas["PriceChange"];
export type Region = Schemas["Region"];
export type Tier = Schemas["Tier"];
export type RegionPrices = Schemas["RegionPrices"];
export type Assumption = Schemas["Assumption"];
export type Difference = Schemas["Difference"];
export type Fan = Schemas["Fan"];
export type Derivation = Schemas["Derivation"];
export type DerivationLine = Schemas["DerivationLine"];
export type DerivationTerm = Schemas["DerivationTerm"];
export type MeteredDerivation = Schemas["MeteredDerivation"];
export type Offer = Schemas["Offer"];
export type OfferOutlook = Schemas["OfferOutlook"];
export type Scenario = Schemas["Scenario"];
export type ScenarioComparison = Schemas["ScenarioComparison"];
export type ScenarioOutlook = Schemas["ScenarioOutlook"];
export type ScenarioParts = Schemas["ScenarioParts"];
export type TellBy = "bucket" | "charge" | "tier" | "region" | "tenant" | "year" | "month";
export type StorageBand = Schemas["StorageBand"];
export type TierPrice = Schemas["TierPrice"];
export type PricesReading = Schemas["PricesReading"];
export type LandscapeReading = Schemas["LandscapeReading"];
export type ArrayReadPrice = Schemas["ArrayReadPrice"];
export type AwayCharges = Schemas["AwayCharges"];
export type ArrayYear = Schemas["ArrayYear"];
export type LeavingOrder = Schemas["LeavingOrder"];
export type LeavingRule = Schemas["LeavingRule"];
export type ArrayVolumeReading = Schemas["ArrayVolumeReading"];
export type CarrierMachine = Schemas["CarrierMachine"];
export type RetentionPeriod = Schemas["RetentionPeriod"];
export type RecallRequest = Schemas["RecallRequest"];
export type RecallAtSpeed = Schemas["RecallAtSpeed"];
export type TimedLink = Schemas["TimedLink"];
export type TimeOrder = Schemas["TimeOrder"];
export type UntouchedPrefix = Schemas["UntouchedPrefix"];

/** The error that an answer's body tells of. */
export function refusal(status: number, text: string): ApiError {
  let body: { code?: string; detail?: string; title?: string; problems?: Problem[] } = {};
  try {
    body = JSON.parse(text);
  } catch {
    // An answer that is no problem document still is a refusal.
  }
  return new ApiError(
    status,
    body.code ?? "unexpected",
    body.detail ?? body.title ?? `The server answered ${status}.`,
    body.problems ?? [],
  );
}

/** Says that a request was meant by this page, even where it has no body. */
const meant = { "Ripen-Request": "1" };

// The page's fetch of that moment, which may have been put in the place of another.
const client = createClient<paths>({ baseUrl: "/", headers: meant, fetch: (request) => globalThis.fetch(request) });

client.use({
  async onResponse({ response }) {
    if (!response.ok) throw refusal(response.status, await response.text());
  },
  onError() {
    return new ApiError(0, "no-answer", "The server does not answer. Nothing was lost: your draft is kept in this browser.", []);
  },
});

/** The value with the ETag that a change of it must send. */
export type Versioned<T> = { value: T; etag: string };

async function whole<T>(call: Promise<{ data?: T; response: Response }>): Promise<Versioned<T>> {
  const { data, response } = await call;
  return { value: data as T, etag: response.headers.get("ETag") ?? "" };
}

async function value<T>(call: Promise<{ data?: T; response: Response }>): Promise<T> {
  return (await whole(call)).value;
}

/** Null instead of the refusal of this code, so that asking again does not end in an error each time. */
async function orNull<T>(code: string, asked: Promise<T>): Promise<T | null> {
  try {
    return await asked;
  } catch (error) {
    if (error instanceof ApiError && error.code === code) return null;
    throw error;
  }
}

/** Null while there is no estate. */
export const readEstate = (): Promise<Versioned<EstateSummary> | null> => orNull("no-estate", whole(client.GET("/api/estate")));

/** Which buckets of the board, in which order. */
export type BoardQuery = NonNullable<paths["/api/estate/board"]["get"]["parameters"]["query"]>;

export const readBoard = (query: BoardQuery, signal?: AbortSignal) =>
  value(client.GET("/api/estate/board", { params: { query }, ...(signal ? { signal } : {}) }));

/** The names of all buckets that the question finds, in its order. */
export const findBuckets = (query: BoardQuery) => value(client.GET("/api/estate/names", { params: { query } }));

export const readBucketOnBoard = (name: string, on: string | null) =>
  value(client.GET("/api/estate/board/{name}", { params: { path: { name }, query: on ? { on } : {} } }));

export const readManyDraft = (many: ManyBuckets, signal: AbortSignal) =>
  whole(client.POST("/api/bucket-changes/draft", { body: many, signal }));

export const changeManyBuckets = (many: ManyBuckets, etag: string, seen: string) =>
  value(client.POST("/api/bucket-changes", { params: { query: { seen } }, headers: { "If-Match": etag }, body: many }));

/** Without its stock: that is the provider's, may be very long, and is no part of a draft. */
export const readBucket = (name: string) =>
  whole(client.GET("/api/buckets/{name}", { params: { path: { name }, query: { stock: false } } }));

export const readDraft = (bucket: Bucket, replaces: string | null, signal?: AbortSignal): Promise<DraftReading> =>
  replaces === null
    ? value(client.POST("/api/drafts", { body: bucket, ...(signal ? { signal } : {}) }))
    : value(
        client.POST("/api/buckets/{name}/draft", {
          params: { path: { name: replaces } },
          body: bucket,
          ...(signal ? { signal } : {}),
        }),
      );

const seenMark = (seen: string | null) => (seen ? { seen } : {});

/** `seen` is the mark of the consequences that stand on the screen: others by now are refused. */
export const createBucket = (bucket: Bucket, seen: string | null) =>
  value(client.POST("/api/buckets", { params: { query: seenMark(seen) }, body: bucket }));

export const changeBucket = (bucket: Bucket, etag: string, seen: string | null) =>
  whole(
    client.PUT("/api/buckets/{name}", {
      params: { path: { name: bucket.name }, query: seenMark(seen) },
      headers: { "If-Match": etag },
      body: bucket,
    }),
  );

export const deleteBucket = (name: string, etag: string) =>
  value(client.DELETE("/api/buckets/{name}", { params: { path: { name } }, headers: { "If-Match": etag } }));

/** Lifts a liftable keep rule, or puts another in its place; the log keeps the reason. */
export const liftKeepRule = (name: string, order: LiftOrder, etag: string) =>
  value(client.POST("/api/buckets/{name}/keep/lift", { params: { path: { name } }, headers: { "If-Match": etag }, body: order }));

export const readStores = () => value(client.GET("/api/stores"));

export const decideStores = (choice: StoresChoice, confirm: string) =>
  value(client.POST("/api/stores/decision", { body: { choice, confirm } }));

export const readForecast = (months: number, by: SplitBy) =>
  value(client.GET("/api/forecast", { params: { query: { months, by } } }));

/** Bytes by day, age and tier; of all buckets without one. */
export const readLandscape = (months: number, bucket: string | null) =>
  value(client.GET("/api/forecast/landscape", { params: { query: { months, ...(bucket ? { bucket } : {}) } } }));

/** How many lines of the log one answer has. */
export const linesOfLog = 60;

/** Where the next page of the log begins: below these numbers of decisions and of deeds. */
export type LogCursor = { before?: number; beforeDeed?: number };

/** The newest first, without their documents. */
export const readChanges = (place: LogCursor) =>
  value(client.GET("/api/estate/changes", { params: { query: { most: linesOfLog, documents: false, ...place } } }));

export const readChange = (id: number) => value(client.GET("/api/estate/changes/{id}", { params: { path: { id } } }));

export const loadDemo = () => value(client.POST("/api/estate/demo"));

/** Sends a file as it is. */
async function send<T>(method: string, address: string, file: File | string, headers: Record<string, string>): Promise<T> {
  const response = await fetch(address, { method, headers: { ...meant, ...headers }, body: file });
  if (!response.ok) throw refusal(response.status, await response.text());
  return (await response.json()) as T;
}

/** The server's strict reader reports what is wrong with the document. */
export const importEstate = (file: File, etag: string | null, discardContents: boolean): Promise<EstateSummary> =>
  send("PUT", `/api/estate/document?discardContents=${discardContents}`, file, {
    "Content-Type": "application/json",
    ...(etag ? { "If-Match": etag } : {}),
  });

export const readClock = () => value(client.GET("/api/clock"));

export const passTime = (order: TimeOrder) => value(client.POST("/api/clock/passages", { body: order }));

export const stopTime = () => value(client.DELETE("/api/clock/passages"));

/** The address of an object, for links, downloads and uploads. */
export const objectAddress = (bucket: string, key: string) =>
  `/api/buckets/${bucket}/objects/${key.split("/").map(encodeURIComponent).join("/")}`;

const inBucket = (name: string) => ({ path: { name } });

/** Which keys to list: under a prefix, from one on; those that hold a text are told with all that lies below. */
export type ListingQuestion = { prefix: string; begin: string; find: string };

export const listObjects = (name: string, { prefix, begin, find }: ListingQuestion, after: string | null, signal: AbortSignal) =>
  value(
    client.GET("/api/buckets/{name}/objects", {
      params: {
        ...inBucket(name),
        query: {
          prefix,
          most: 200,
          ...(find ? { contains: find } : { delimiter: "/" }),
          ...(begin && { from: begin }),
          ...(after && { after }),
        },
      },
      signal,
    }),
  );

const keysAskedAtOnce = 10_000;

/** Of these keys, those that an upload would overwrite. */
export async function readTakenKeys(name: string, keys: string[]): Promise<string[]> {
  const taken: string[] = [];
  for (let i = 0; i < keys.length; i += keysAskedAtOnce) {
    const body = { keys: keys.slice(i, i + keysAskedAtOnce) };
    taken.push(...(await value(client.POST("/api/buckets/{name}/taken-keys", { params: inBucket(name), body }))));
  }
  return taken;
}

/** Uploads that are not complete; the protocol that sends them is the browser's own matter. */
export const listUploads = (name: string) => value(client.GET("/api/buckets/{name}/uploads", { params: inBucket(name) }));

export async function discardUpload(name: string, id: string): Promise<void> {
  const response = await fetch(`/api/buckets/${encodeURIComponent(name)}/uploads/${id}`, {
    method: "DELETE",
    headers: { ...meant, "Tus-Resumable": "1.0.0" },
  });
  if (!response.ok) throw refusal(response.status, await response.text());
}

export const listDeletions = (name: string, prefix: string) =>
  value(client.GET("/api/buckets/{name}/deletions", { params: { ...inBucket(name), query: { prefix } } }));

export async function readObject(name: string, key: string): Promise<ObjectDetails> {
  const response = await fetch(objectAddress(name, key).replace("/objects/", "/details/"));
  if (!response.ok) throw refusal(response.status, await response.text());
  return response.json();
}

/** With a version, that one goes for good; the version of a deletion brings back what was deleted. */
export async function deleteObject(name: string, key: string, version: number | null): Promise<void> {
  const response = await fetch(`${objectAddress(name, key)}${version === null ? "" : `?version=${version}`}`, {
    method: "DELETE",
    headers: meant,
  });
  if (!response.ok) throw refusal(response.status, await response.text());
}

/** A bucket's legal holds, ended ones too. */
export const readHolds = (name: string) => whole(client.GET("/api/buckets/{name}/holds", { params: inBucket(name) }));

export const readHoldDraft = (name: string, scope: Schemas["HoldScope"]) =>
  value(client.POST("/api/buckets/{name}/holds/draft", { params: inBucket(name), body: scope }));

export const placeHold = (name: string, order: HoldOrder, etag: string) =>
  value(client.POST("/api/buckets/{name}/holds", { params: inBucket(name), headers: { "If-Match": etag }, body: order }));

export const releaseHold = (name: string, id: string, order: Schemas["ReleaseOrder"], etag: string) =>
  value(
    client.POST("/api/buckets/{name}/holds/{id}/release", {
      params: { path: { name, id } },
      headers: { "If-Match": etag },
      body: order,
    }),
  );

/** What is kept until when, what goes, and what does not fit together; of one bucket or of all. */
export const readKeeping = (months: number, bucket: string | null) =>
  value(client.GET("/api/keeping", { params: { query: { months, ...(bucket && { bucket }) } } }));

export const keepingFile = (name: "months.csv" | "days.ics") => `/api/keeping/${name}`;

/** What rules will do tonight, or did last night, a page of it. */
export const readNight = (last: boolean, bucket: string | null, from: number) => {
  const query = { from, ...(bucket && { bucket }) };
  return last
    ? value(client.GET("/api/last-night", { params: { query } }))
    : value(client.GET("/api/tonight", { params: { query } }));
};

/** The cheapest schedule of every bucket, what saves most first. */
export const readCheapest = (longestWait: number | null) =>
  value(client.GET("/api/cheapest", { params: { query: { ...(longestWait !== null && { longestWait }) } } }));

/** What makes the money of one schedule. */
export const readCheapestWhy = (bucket: string, prefix: string, longestWait: number | null) =>
  value(client.GET("/api/cheapest/why", { params: { query: { bucket, prefix, ...(longestWait !== null && { longestWait }) } } }));

/** For every pair of tiers, from which size on moving pays. */
export const readBreakEven = (region: string, scheme: string, readsAYear: number) =>
  value(client.GET("/api/break-even", { params: { query: { region, scheme, readsAYear } } }));

/** What rules will do in the next months, in sums by month and rule. */
export const readRulesAhead = (months: number, bucket: string | null) =>
  value(client.GET("/api/rules-ahead", { params: { query: { months, ...(bucket && { bucket }) } } }));

export const rulesAheadFile = (bucket: string | null) => `/api/rules-ahead.csv?months=12${bucket ? `&bucket=${bucket}` : ""}`;

export const nightFile = (last: boolean, bucket: string | null) =>
  `/api/${last ? "last-night" : "tonight"}.csv${bucket ? `?bucket=${bucket}` : ""}`;

export const readTierMove = (name: string, order: TierMoveOrder) =>
  value(client.POST("/api/buckets/{name}/tier-moves/draft", { params: inBucket(name), body: order }));

export const moveToTier = (name: string, order: TierMoveOrder) =>
  value(client.POST("/api/buckets/{name}/tier-moves", { params: inBucket(name), body: order }));

/** What a recall costs and takes at each speed. */
export const readRecall = (name: string, order: RecallRequest) =>
  value(client.POST("/api/buckets/{name}/recalls/draft", { params: inBucket(name), body: order }));

async function askKeep(method: string, part: string, name: string, key: string, order: ObjectKeepRequest): Promise<ObjectKeep> {
  const response = await fetch(objectAddress(name, key).replace("/objects/", `/${part}/`), {
    method,
    headers: { ...meant, "Content-Type": "application/json" },
    body: JSON.stringify(order),
  });
  if (!response.ok) throw refusal(response.status, await response.text());
  return response.json();
}

/** What retention of its own would do to an object; nothing is done. */
export const readObjectKeep = (name: string, key: string, order: ObjectKeepRequest) =>
  askKeep("POST", "kept-drafts", name, key, order);

export const keepObject = (name: string, key: string, order: ObjectKeepRequest) => askKeep("PUT", "kept", name, key, order);

/** What bundling small objects would do; nothing is done. */
export const readBundling = (name: string, prefix: string, smallerThan: number) =>
  value(client.POST("/api/buckets/{name}/bundle-drafts", { params: inBucket(name), body: { prefix, smallerThan } }));

export const bundleObjects = (name: string, prefix: string, smallerThan: number) =>
  value(client.POST("/api/buckets/{name}/bundles", { params: inBucket(name), body: { prefix, smallerThan } }));

export async function readBundle(name: string, key: string): Promise<BundleIndex> {
  const response = await fetch(objectAddress(name, key).replace("/objects/", "/bundle-members/"));
  if (!response.ok) throw refusal(response.status, await response.text());
  return response.json();
}

export const bundleMemberAddress = (name: string, key: string, member: string) =>
  `${objectAddress(name, key).replace("/objects/", "/bundle-member/")}?member=${encodeURIComponent(member)}`;

export const recall = (name: string, order: RecallRequest) =>
  value(client.POST("/api/buckets/{name}/recalls", { params: inBucket(name), body: order }));

export const readUntouched = (name: string, under: string) =>
  value(client.GET("/api/buckets/{name}/untouched", { params: { ...inBucket(name), query: { under } } }));

export const readContentTotals = (name: string) => value(client.GET("/api/buckets/{name}/contents", { params: inBucket(name) }));

export const readBucketMoney = (name: string) => value(client.GET("/api/buckets/{name}/money", { params: inBucket(name) }));

export const readAccess = (name: string) => value(client.GET("/api/buckets/{name}/access", { params: inBucket(name) }));

export const makeAccess = (name: string, order: AccessOrder) =>
  value(client.POST("/api/buckets/{name}/access", { params: inBucket(name), body: order }));

export const removeAccess = (name: string, id: number) =>
  value(client.DELETE("/api/buckets/{name}/access/{id}", { params: { path: { name, id } } }));

export const addKey = (name: string, id: number, ends: string | null, othersEnd: string | null) =>
  value(
    client.POST("/api/buckets/{name}/access/{id}/keys", {
      params: { path: { name, id } },
      body: { ends, othersEnd },
    }),
  );

export const endKey = (name: string, id: number, key: string, ends: string | null) =>
  value(client.PUT("/api/buckets/{name}/access/{id}/keys/{key}", { params: { path: { name, id, key } }, body: { ends } }));

export const removeKey = (name: string, id: number, key: string) =>
  value(client.DELETE("/api/buckets/{name}/access/{id}/keys/{key}", { params: { path: { name, id, key } } }));

export const readBucketEncryption = (name: string) =>
  value(client.GET("/api/buckets/{name}/encryption", { params: inBucket(name) }));

export const rotateBucketKey = (name: string) =>
  value(client.POST("/api/buckets/{name}/encryption/rotate", { params: inBucket(name) }));

export const withdrawBucketKey = (name: string) =>
  value(client.POST("/api/buckets/{name}/encryption/withdraw", { params: inBucket(name), body: { confirm: name } }));

export const giveBackBucketKey = (name: string) =>
  value(client.POST("/api/buckets/{name}/encryption/give-back", { params: inBucket(name) }));

export const readEncryption = () => value(client.GET("/api/encryption"));

export const rotateProviderKey = () => value(client.POST("/api/encryption/rotate"));

export const readDevices = () => value(client.GET("/api/devices"));

export const readCredentials = () => value(client.GET("/api/credentials"));

export const makeCredential = (order: CredentialOrder) => value(client.POST("/api/credentials", { body: order }));

export const addSecret = (id: string, order: SecretOrder) =>
  value(client.POST("/api/credentials/{id}/secrets", { params: { path: { id } }, body: order }));

export const dropSecret = (id: string, key: string) =>
  value(client.DELETE("/api/credentials/{id}/secrets/{key}", { params: { path: { id, key } } }));

export const removeCredential = (id: string) => value(client.DELETE("/api/credentials/{id}", { params: { path: { id } } }));

export const testAccess = (name: string, keyId: string, secret: string) =>
  value(client.POST("/api/buckets/{name}/access/test", { params: inBucket(name), body: { keyId, secret } }));

export const makeLink = (name: string, order: LinkOrder) =>
  value(client.POST("/api/buckets/{name}/links", { params: inBucket(name), body: order }));

export const revokeLink = (name: string, id: string) =>
  value(client.DELETE("/api/buckets/{name}/links/{id}", { params: { path: { name, id } } }));

export const openToPublic = (name: string, confirm: string) =>
  value(client.PUT("/api/buckets/{name}/public", { params: inBucket(name), body: { confirm } }));

export const closeToPublic = (name: string) => value(client.DELETE("/api/buckets/{name}/public", { params: inBucket(name) }));

export const sendInventory = (file: File): Promise<InventoryPreview> =>
  send("POST", "/api/inventories", file, { "Content-Type": "application/octet-stream" });

export const readInventory = (name: string, id: string, mapping: ColumnMapping) =>
  value(
    client.POST("/api/buckets/{name}/inventories/{id}/draft", {
      params: { path: { name, id } },
      body: { mapping, leaveOutBroken: false },
    }),
  );

export const importInventory = (name: string, id: string, mapping: ColumnMapping, leaveOutBroken: boolean) =>
  value(
    client.POST("/api/buckets/{name}/inventories/{id}", { params: { path: { name, id } }, body: { mapping, leaveOutBroken } }),
  );

export const readTargets = () => whole(client.GET("/api/targets"));

const inTarget = (id: string) => ({ path: { id } });

export const readTarget = (id: string) => value(client.GET("/api/targets/{id}", { params: inTarget(id) }));

export const putTarget = (target: BackupTarget, etag: string) =>
  value(client.PUT("/api/targets/{id}", { params: inTarget(target.id), headers: { "If-Match": etag }, body: target }));

export const removeTarget = (id: string, etag: string) =>
  value(client.DELETE("/api/targets/{id}", { params: inTarget(id), headers: { "If-Match": etag } }));

export const readRetentionPeriods = () => whole(client.GET("/api/retention-periods"));

export const putRetentionPeriods = (retentionPeriods: RetentionPeriod[], etag: string) =>
  value(client.PUT("/api/retention-periods", { body: { retentionPeriods }, headers: { "If-Match": etag } }));

export const readCarriers = () => whole(client.GET("/api/carriers"));

export const putCarriers = (carriers: CarrierMachine[], etag: string) =>
  value(client.PUT("/api/carriers", { body: { carriers }, headers: { "If-Match": etag } }));

/** What having everything back costs and takes; null of a question is left out of it. */
export const readFullRestore = (question: {
  bucket: string | null;
  prefix: string;
  to: string | null;
  megabitsPerSecond: number | null;
}) =>
  value(
    client.GET("/api/full-restore", {
      params: {
        query: {
          prefix: question.prefix,
          ...(question.bucket !== null && { bucket: question.bucket }),
          ...(question.to !== null && { to: question.to }),
          ...(question.megabitsPerSecond !== null && { megabitsPerSecond: question.megabitsPerSecond }),
        },
      },
    }),
  );

export const readPrices = () => whole(client.GET("/api/prices"));

/** What another price book would change in the bill. Nothing is stored. */
export const draftPrices = (body: PriceBook, signal: AbortSignal) => value(client.POST("/api/prices/draft", { body, signal }));

export const putPrices = (body: PriceBook, etag: string, seen: string) =>
  value(client.PUT("/api/prices", { params: { query: { seen } }, headers: { "If-Match": etag }, body }));

/** The price book in force with the amounts of a table in it. */
export const readPricesWithRows = (csv: string) =>
  send<PriceBook>("POST", "/api/prices/rows", csv, { "Content-Type": "text/csv" });

export const priceRowsFile = "/api/prices/rows.csv";

/** Which part of a month's money is meant; all of it without any. */
export type MonthPart = Partial<Record<"bucket" | "region" | "tenant" | "tier" | "charge", string>>;

export type DerivationQuestion = MonthPart & {
  month: string;
  to?: string;
  scenario?: string;
  offer?: string;
  rise?: number;
  charged?: boolean;
  change?: boolean;
};

/** What an amount is made of, as it stands or if assumptions came true. */
export const readDerivation = (query: DerivationQuestion, assume: Assumption[]) =>
  assume.length === 0
    ? value(client.GET("/api/forecast/derivation", { params: { query } }))
    : value(
        client.POST("/api/forecast/derivation", {
          params: { query },
          body: { id: "supposed", name: "Supposed", assumptions: assume },
        }),
      );

/** Money of many futures: ranges are three numbers with commas between. */
export const readFan = (
  query: { growth: string; reading: string; prices: string; seed: number; scenario?: string },
  signal: AbortSignal,
) => value(client.GET("/api/forecast/fan", { params: { query }, signal }));

export const readBudgets = () => value(client.GET("/api/budgets"));

/** How the running month stands now. */
export const readRunningBudgets = () => value(client.GET("/api/budgets/running"));

const ofNumber = (id: number) => ({ params: { path: { id } } });

export const readBudget = (id: number) => value(client.GET("/api/budgets/{id}", ofNumber(id)));

export const fixBudget = (body: Schemas["BudgetOrder"]) => value(client.POST("/api/budgets", { body }));

export const fixBudgetFile = (name: string, headroom: number, csv: string) =>
  send<BudgetReading>("POST", `/api/budgets/file?${new URLSearchParams({ name, headroom: String(headroom) })}`, csv, {
    "Content-Type": "text/csv",
  });

export const changeBudget = (id: number, body: Schemas["BudgetChange"]) =>
  value(client.PATCH("/api/budgets/{id}", { ...ofNumber(id), body }));

export const readVarianceLine = (
  id: number,
  query: { from?: string; to?: string; by: VarianceBy; key: string },
  signal?: AbortSignal,
) => value(client.GET("/api/budgets/{id}/variance/line", { params: { path: { id }, query }, signal: signal ?? null }));

export const readVariance = (id: number, query: { from?: string; to?: string; by: VarianceBy }, signal?: AbortSignal) =>
  value(client.GET("/api/budgets/{id}/variance", { params: { path: { id }, query }, signal: signal ?? null }));

export const readBills = () => value(client.GET("/api/bills"));

export const bringBill = (name: string, columns: Record<string, string>, file: File) =>
  send<BillReading>("POST", `/api/bills?${new URLSearchParams({ name, ...columns })}`, file, {
    "Content-Type": "application/octet-stream",
  });

export const readBill = (id: number) => value(client.GET("/api/bills/{id}", ofNumber(id)));

export const mapBill = (id: number, body: Schemas["BillMapping"]) =>
  value(client.PUT("/api/bills/{id}/mapping", { ...ofNumber(id), body }));

export const readBillRows = (id: number, aside: boolean, limit: number) =>
  value(client.GET("/api/bills/{id}/rows", { params: { path: { id }, query: { aside, limit } } }));

export const removeBill = (id: number) => value(client.DELETE("/api/bills/{id}", ofNumber(id)));

export const readBillPrices = (id: number) => value(client.GET("/api/bills/{id}/prices", ofNumber(id)));

export const readOffers = () => whole(client.GET("/api/offers"));

export const putOffers = (offers: Offer[], etag: string) =>
  value(client.PUT("/api/offers", { headers: { "If-Match": etag }, body: { offers } }));

/** What the estate costs in ten years by the prices in force and under each offer, with the charges of one of them (0: of all). */
export const compareOffers = (year: number) => value(client.GET("/api/offers/comparison", { params: { query: { year } } }));

export const readScenarios = () => whole(client.GET("/api/scenarios"));

export const putScenarios = (scenarios: Scenario[], etag: string) =>
  value(client.PUT("/api/scenarios", { headers: { "If-Match": etag }, body: { scenarios } }));

export const compareScenarios = (months: number) =>
  value(client.GET("/api/scenarios/comparison", { params: { query: { months } } }));

/** Where the difference of a scenario comes from, which need not be stored. */
export const draftScenario = (
  body: Scenario,
  asked: { months: number; first: number; count: number; by: TellBy },
  signal: AbortSignal,
) => value(client.POST("/api/scenarios/difference", { params: { query: asked }, body, signal }));

/** What would have to be changed to make assumptions come true. */
export const readScenarioParts = (body: Scenario) => value(client.POST("/api/scenarios/parts", { body }));

export const readArrays = () => whole(client.GET("/api/arrays"));

/** What rules for an array would take, and what both sides would cost. */
export const draftLeaving = (id: string, body: LeavingOrder, signal: AbortSignal) =>
  value(client.POST("/api/arrays/{id}/leaving/draft", { params: { path: { id } }, body, signal }));

export const putLeaving = (id: string, body: LeavingOrder, etag: string) =>
  value(client.PUT("/api/arrays/{id}/leaving", { params: { path: { id } }, headers: { "If-Match": etag }, body }));

export const readHomecoming = (id: string, volume: string) =>
  value(client.GET("/api/arrays/{id}/volumes/{volume}/homecoming", { params: { path: { id, volume } } }));

export const readArrayReading = (id: string, volume: string, folder: string) =>
  value(client.GET("/api/arrays/{id}/volumes/{volume}/reading", { params: { path: { id, volume }, query: { folder } } }));

export const readFromArray = (id: string, volume: string, folder: string) =>
  value(
    client.POST("/api/arrays/{id}/volumes/{volume}/reading", {
      params: { path: { id, volume }, query: { folder } },
      headers: meant,
    }),
  );

export const bringHome = (id: string, volume: string) =>
  value(client.POST("/api/arrays/{id}/volumes/{volume}/homecoming", { params: { path: { id, volume } }, headers: meant }));

export const readPlans = () => whole(client.GET("/api/plans"));

/** With a plan may come when packs of its target age. */
export const draftPlan = (plan: PlanBody, signal: AbortSignal) => value(client.POST("/api/plans/draft", { body: plan, signal }));

export const putPlan = (plan: PlanBody, etag: string, discardPoints: boolean) =>
  value(
    client.PUT("/api/plans/{id}", {
      params: { path: { id: plan.id }, query: { discardPoints } },
      headers: { "If-Match": etag },
      body: plan,
    }),
  );

export const removePlan = (id: string, etag: string, discardPoints: boolean) =>
  value(client.DELETE("/api/plans/{id}", { params: { path: { id }, query: { discardPoints } }, headers: { "If-Match": etag } }));

export const readPlannedPoints = (on: string | null) =>
  value(client.GET("/api/plans/points", { params: { query: { ...(on && { on }) } } }));

export const readRuns = (plan: string) => value(client.GET("/api/plans/runs", { params: { query: { plan, most: 60 } } }));

export const readTimeZones = () => value(client.GET("/api/time-zones"));

export const runPlanNow = (plan: string, order: PlanRunOrder) =>
  value(client.POST("/api/plans/{id}/runs", { params: { path: { id: plan } }, body: order }));

export const readCalendar = (years: number) => value(client.GET("/api/plans/calendar", { params: { query: { years } } }));

export const readRestoreEstimates = (order: RestoreQuery) => value(client.POST("/api/plans/restore-estimates", { body: order }));

export const readWorkloads = (on: string | null) =>
  whole(client.GET("/api/workloads", { params: { query: { ...(on && { on }) } } }));

export const putWorkload = (workload: Workload, etag: string) =>
  value(client.PUT("/api/workloads/{id}", { params: inTarget(workload.id), headers: { "If-Match": etag }, body: workload }));

export const removeWorkload = (id: string, etag: string) =>
  value(client.DELETE("/api/workloads/{id}", { params: inTarget(id), headers: { "If-Match": etag } }));

export const draftTarget = (target: BackupTarget, signal: AbortSignal) =>
  value(client.POST("/api/targets/draft", { body: target, signal }));

export const readTargetUse = (id: string, from: string | null, to: string | null) =>
  value(client.GET("/api/targets/{id}/use", { params: { path: { id }, query: { ...(from && { from }), ...(to && { to }) } } }));

export const readTests = (id: string) => value(client.GET("/api/targets/{id}/tests", { params: inTarget(id) }));

export const testTarget = (id: string) => value(client.POST("/api/targets/{id}/tests", { params: inTarget(id) }));

export const makePool = (id: string, passphrase: string | null) =>
  value(client.POST("/api/targets/{id}/pool", { params: inTarget(id), body: { passphrase } }));

export const unlockPool = (id: string, passphrase: string) =>
  value(client.POST("/api/targets/{id}/passphrase", { params: inTarget(id), body: { passphrase } }));

export const makeVolume = (id: string, passphrase: string | null) =>
  value(client.POST("/api/targets/{id}/volume", { params: inTarget(id), body: { passphrase } }));

/** Null while none was made. */
export const readVolume = (id: string) =>
  orNull("no-volume", value(client.GET("/api/targets/{id}/volume", { params: inTarget(id) })));

export const drainVolume = (id: string) => value(client.POST("/api/targets/{id}/volume/drain", { params: inTarget(id) }));

export const fillVolume = (id: string, target: string, snapshot: string) =>
  value(client.POST("/api/targets/{id}/volume/copy", { params: inTarget(id), body: { target, snapshot } }));

export const takeSnapshot = (id: string, name: string) =>
  value(client.POST("/api/targets/{id}/snapshots", { params: inTarget(id), body: { name } }));

const ofSnapshot = (id: string, snapshot: string) => ({ path: { id, snapshot } });

export const removeSnapshot = (id: string, snapshot: string) =>
  value(client.DELETE("/api/targets/{id}/snapshots/{snapshot}", { params: ofSnapshot(id, snapshot) }));

export const offerSnapshot = (id: string, snapshot: string) =>
  value(client.POST("/api/targets/{id}/snapshots/{snapshot}/export", { params: ofSnapshot(id, snapshot) }));

export const makeLibrary = (id: string, passphrase: string | null) =>
  value(client.POST("/api/targets/{id}/library", { params: inTarget(id), body: { passphrase } }));

/** Null while none was made. */
export const readLibrary = (id: string) =>
  orNull("no-library", value(client.GET("/api/targets/{id}/library", { params: inTarget(id) })));

export const addCartridge = (id: string) => value(client.POST("/api/targets/{id}/cartridges", { params: inTarget(id) }));

const ofCartridge = (id: string, number: number) => ({ path: { id, number } });

export const labelCartridge = (id: string, number: number, isProtected: boolean, keepUntil: string | null) =>
  value(
    client.PUT("/api/targets/{id}/cartridges/{number}", {
      params: ofCartridge(id, number),
      body: { protected: isProtected, keepUntil },
    }),
  );

export const eraseCartridge = (id: string, number: number) =>
  value(client.DELETE("/api/targets/{id}/cartridges/{number}/content", { params: ofCartridge(id, number) }));

export const draftRest = (id: string, number: number, tier: string) =>
  value(client.POST("/api/targets/{id}/cartridges/{number}/rest-draft", { params: ofCartridge(id, number), body: { tier } }));

export const moveCartridge = (id: string, number: number, tier: string) =>
  value(client.POST("/api/targets/{id}/cartridges/{number}/rest", { params: ofCartridge(id, number), body: { tier } }));

export const contentOfCartridge = (id: string, number: number) => `/api/targets/${id}/cartridges/${number}/content`;

export const loadDrive = (id: string, drive: number, cartridge: number, use: DriveUse) =>
  value(client.PUT("/api/targets/{id}/drives/{drive}", { params: { path: { id, drive } }, body: { cartridge, use } }));

export const unloadDrive = (id: string, drive: number) =>
  value(client.DELETE("/api/targets/{id}/drives/{drive}", { params: { path: { id, drive } } }));

export const sizeBackups = (order: SizingOrder, signal: AbortSignal) =>
  value(client.POST("/api/backup-sizing", { body: order, signal }));

export const adviseTarget = (asked: TargetQuestions, signal: AbortSignal) =>
  value(client.POST("/api/target-advice", { body: asked, signal }));

export const startRun = (id: string, order: RunOrder) =>
  value(client.POST("/api/targets/{id}/runs", { params: inTarget(id), body: order }));

export const startPoolCopy = (id: string, target: string) =>
  value(client.POST("/api/targets/{id}/copies", { params: inTarget(id), body: { target } }));

export const startRestore = (id: string, order: RestoreOrder) =>
  value(client.POST("/api/targets/{id}/restores", { params: inTarget(id), body: order }));

/** What a restore reads, and what has to be recalled for it. */
export const readRestoreDraft = (id: string, order: Schemas["RestoreQuestionOrder"]) =>
  value(client.POST("/api/targets/{id}/restores/draft", { params: inTarget(id), body: order }));

export const readWaitingRestores = (id: string) => value(client.GET("/api/targets/{id}/restores", { params: inTarget(id) }));

export const giveUpRestore = (id: string, restore: number) =>
  value(client.DELETE("/api/targets/{id}/restores/{restore}", { params: { path: { id, restore } } }));

export const startRehearsal = (id: string, order: Schemas["RehearsalOrder"]) =>
  value(client.POST("/api/targets/{id}/rehearsals", { params: inTarget(id), body: order }));

/** Of a plan's point: it is charged, and its hours are counted. */
export const rehearsePlanned = (order: PlannedRehearsal) => value(client.POST("/api/rehearsals", { body: order }));

/** What was restored and rehearsed from a target, newest first. */
export const readRestoreRecords = (target: string) =>
  value(client.GET("/api/restore-records", { params: { query: { target } } }));

export const restoreRecordsFile = "/api/restore-records.csv";

/** Which points would go now, down to a share of the capacity. */
export const readRoom = (id: string, downTo: number, leave: number) =>
  value(client.GET("/api/targets/{id}/room", { params: { path: { id }, query: { downTo, leave } } }));

export const makeRoom = (id: string) => value(client.POST("/api/targets/{id}/room", { params: inTarget(id) }));

export const startCheck = (id: string) => value(client.POST("/api/targets/{id}/checks", { params: inTarget(id) }));

export const startPrune = (id: string) => value(client.POST("/api/targets/{id}/prunes", { params: inTarget(id) }));

export const removePoint = (id: string, point: string) =>
  value(client.DELETE("/api/targets/{id}/points/{point}", { params: { path: { id, point } } }));

export const stopJob = (id: string) => value(client.DELETE("/api/targets/{id}/job", { params: inTarget(id) }));

export const readPoints = (id: string) => value(client.GET("/api/targets/{id}/points", { params: inTarget(id) }));

export const readNames = (id: string, point: string, folder: string, find: string, signal: AbortSignal) =>
  value(
    client.GET("/api/targets/{id}/points/{point}/names", {
      params: { path: { id, point }, query: { folder, ...(find && { find }) } },
      signal,
    }),
  );

export const readRecoverySheet = (id: string) =>
  value(client.GET("/api/targets/{id}/recovery-sheet", { params: { path: { id } } }));

/** Words in the paths of all restore points. */
export const findPaths = (text: string, signal: AbortSignal) =>
  value(client.GET("/api/found-paths", { params: { query: { text } }, signal }));

export type MailQuestion = {
  from?: string;
  to?: string;
  subject?: string;
  attachment?: string;
  since?: string;
  until?: string;
};

/** Messages in the mailboxes of all restore points. */
export const findMail = (query: MailQuestion, signal: AbortSignal) =>
  value(client.GET("/api/found-mail", { params: { query }, signal }));

type InMailbox = { target: string; point: string; path: string; at: number };

export const readMessage = ({ target, point, path, at }: InMailbox, signal: AbortSignal) =>
  value(
    client.GET("/api/targets/{id}/points/{point}/message", {
      params: { path: { id: target, point }, query: { path, at } },
      signal,
    }),
  );

const mailAddress = ({ target, point, path, at }: InMailbox, what: string) =>
  `/api/targets/${target}/points/${point}/${what}?path=${encodeURIComponent(path)}&at=${at}`;

export const wholeMessage = (mail: InMailbox) => mailAddress(mail, "message.eml");

export const attachmentOf = (mail: InMailbox, number: number) => `${mailAddress(mail, "attachment")}&number=${number}`;

export const restoreMessage = ({ target, point, path, at }: InMailbox, into: string) =>
  value(client.POST("/api/targets/{id}/restored-messages", { params: inTarget(target), body: { point, path, at, into } }));

export const readDifferences = (id: string, point: string, since: string, under: string, signal: AbortSignal) =>
  value(
    client.GET("/api/targets/{id}/points/{point}/differences", {
      params: { path: { id, point }, query: { since, ...(under && { under }) } },
      signal,
    }),
  );

/** A folder of a point as one file. */
export const archiveOfPoint = (id: string, point: string, under: string, format: "tar" | "zip") =>
  `/api/targets/${id}/points/${point}/archive?format=${format}&under=${encodeURIComponent(under)}`;

export const fileOfPoint = (id: string, point: string, path: string) =>
  `/api/targets/${id}/points/${point}/file?path=${encodeURIComponent(path)}`;

export const readPlaces = (scheme: string | null, users: string | null) =>
  value(client.GET("/api/places", { params: { query: { ...(scheme && { scheme }), ...(users && { users }) } } }));

export const readSchemes = () => value(client.GET("/api/schemes"));

export const compareSchemes = (question: ComparisonQuestion) => value(client.POST("/api/schemes/comparison", { body: question }));

export const readSchemeDraft = (question: SchemeQuestion) => value(client.POST("/api/schemes/draft", { body: question }));

export const adviseStorage = (questions: StorageQuestions, signal?: AbortSignal) =>
  value(client.POST("/api/advice", { body: questions, signal: signal ?? null }));

export const readCopies = () => whole(client.GET("/api/replication"));

export const readCopyDraft = (order: CopyOrder, replaces: number | null) =>
  value(client.POST("/api/replication/drafts", { params: { query: replaces === null ? {} : { replaces } }, body: order }));

const ifMatch = (etag: string) => ({ headers: { "If-Match": etag } });

/** `seen`: the mark of the consequences that stand on the screen; the server refuses when they are others by now. */
const marked = (seen: string | null | undefined) => (seen == null ? {} : { seen });

export const makeCopyRule = (order: CopyOrder, etag: string, seen?: string | null) =>
  value(client.POST("/api/replication/rules", { params: { query: marked(seen) }, ...ifMatch(etag), body: order }));

export const changeCopyRule = (id: number, order: CopyOrder, etag: string, seen?: string | null) =>
  value(
    client.PUT("/api/replication/rules/{id}", { params: { path: { id }, query: marked(seen) }, ...ifMatch(etag), body: order }),
  );

export const removeCopyRule = (id: number, etag: string) =>
  value(client.DELETE("/api/replication/rules/{id}", { params: { path: { id } }, ...ifMatch(etag) }));

export const readCopiesOf = (bucket: string, version: number) =>
  value(client.GET("/api/replication/of/{bucket}/{version}", { params: { path: { bucket, version } } }));

const line = (from: string, to: string) => ({ params: { path: { from, to } } });

export const readLineDraft = (from: string, to: string, terms: LineTerms, signal?: AbortSignal) =>
  value(client.POST("/api/replication/lines/{from}/{to}/draft", { ...line(from, to), body: terms, signal: signal ?? null }));

export const changeLine = (from: string, to: string, terms: LineTerms, etag: string, seen?: string | null) =>
  value(
    client.PUT("/api/replication/lines/{from}/{to}", {
      params: { path: { from, to }, query: marked(seen) },
      ...ifMatch(etag),
      body: terms,
    }),
  );

export const cutLine = (from: string, to: string, hours: number | null) =>
  value(client.PUT("/api/replication/lines/{from}/{to}/cut", { ...line(from, to), body: { hours } }));

export const restoreLine = (from: string, to: string) =>
  value(client.DELETE("/api/replication/lines/{from}/{to}/cut", line(from, to)));

const ofRegion = (region: string) => ({ params: { path: { region } } });

export const readLoss = (region: string) => value(client.GET("/api/replication/regions/{region}/loss", ofRegion(region)));

export const loseRegion = (region: string) => value(client.PUT("/api/replication/regions/{region}/loss", ofRegion(region)));

export const returnRegion = (region: string, withItsData: boolean, confirm: string | null, keptSeen: string | null) =>
  value(
    client.POST("/api/replication/regions/{region}/return", { ...ofRegion(region), body: { withItsData, confirm, keptSeen } }),
  );

export const refillBucket = (bucket: string) =>
  value(client.POST("/api/replication/refills/{bucket}", { params: { path: { bucket } } }));

export const readPromotion = (from: string, to: string) =>
  whole(client.GET("/api/replication/promotions/{from}/{to}", line(from, to)));

export const promoteCopy = (from: string, to: string, etag: string) =>
  value(client.POST("/api/replication/promotions/{from}/{to}", { ...line(from, to), ...ifMatch(etag) }));

const ofRule = (id: number) => ({ params: { path: { id } } });

export const sendProbe = (id: number) => value(client.POST("/api/replication/rules/{id}/probes", ofRule(id)));

export const giveUpProbe = (probe: number) =>
  value(client.DELETE("/api/replication/probes/{probe}", { params: { path: { probe } } }));

export const auditRule = (id: number, readEverything: boolean) =>
  value(client.POST("/api/replication/rules/{id}/audits", { params: { path: { id }, query: { readEverything } } }));

export const mendDifferences = (id: number, order: MendOrder) =>
  value(client.POST("/api/replication/rules/{id}/mends", { ...ofRule(id), body: order }));

export const readProof = (record: number) =>
  value(client.GET("/api/replication/records/{record}", { params: { path: { record } } }));

export const readMove = (from: string, to: string) => whole(client.GET("/api/replication/moves/{from}/{to}", line(from, to)));

export const doMoveStep = (from: string, to: string, step: MoveStep, confirm: string | null, etag: string) =>
  value(
    client.POST("/api/replication/moves/{from}/{to}/{step}", {
      params: { path: { from, to, step } },
      ...ifMatch(etag),
      body: { confirm },
    }),
  );

export const undoMoveStep = (from: string, to: string, step: MoveStep, etag: string) =>
  value(client.DELETE("/api/replication/moves/{from}/{to}/{step}", { params: { path: { from, to, step } }, ...ifMatch(etag) }));
