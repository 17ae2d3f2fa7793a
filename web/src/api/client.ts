import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type AgeAxis = Schemas["AgeAxis"];
export type AgeStrip = Schemas["AgeStrip"];
export type Board = Schemas["Board"];
export type BoardRow = Schemas["BoardRow"];
export type Bucket = Schemas["Bucket"];
export type Consequences = Schemas["Consequences"];
export type DraftReading = Schemas["DraftReading"];
export type EstateSummary = Schemas["EstateSummary"];
export type ForecastSeries = Schemas["ForecastSeries"];
export type KeepRule = Schemas["KeepRule"];
export type LifecycleRule = Schemas["LifecycleRule"];
export type LoggedChange = Schemas["LoggedChange"];
export type ObjectStream = Schemas["ObjectStream"];
export type PriceBook = Schemas["PriceBook"];
export type Problem = Schemas["Problem"];
export type ReadBand = Schemas["ReadBand"];
export type SplitBy = "tier" | "charge" | "bucket";
export type TierContents = Schemas["TierContents"];

/** An answer that is not a success: RFC 9457 problem details with our code and the problems by JSON path. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly problems: Problem[],
  ) {
    super(message);
  }
}

const client = createClient<paths>({ baseUrl: "/" });

client.use({
  async onResponse({ response }) {
    if (response.ok) return;
    const body = await response.json().catch(() => ({}));
    throw new ApiError(
      response.status,
      body.code ?? "unexpected",
      body.detail ?? body.title ?? response.statusText,
      body.problems ?? [],
    );
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

/** Null instead of an error while there is no estate. */
export async function readEstate(): Promise<Versioned<EstateSummary> | null> {
  try {
    return await whole(client.GET("/api/estate"));
  } catch (error) {
    if (error instanceof ApiError && error.code === "no-estate") return null;
    throw error;
  }
}

export const readBoard = (on: string | null) => value(client.GET("/api/estate/board", { params: { query: on ? { on } : {} } }));

export const readBucket = (name: string) => whole(client.GET("/api/buckets/{name}", { params: { path: { name } } }));

export const readDraft = (bucket: Bucket, replaces: string | null, signal: AbortSignal): Promise<DraftReading> =>
  replaces === null
    ? value(client.POST("/api/drafts", { body: bucket, signal }))
    : value(client.POST("/api/buckets/{name}/draft", { params: { path: { name: replaces } }, body: bucket, signal }));

export const createBucket = (bucket: Bucket) => value(client.POST("/api/buckets", { body: bucket }));

export const changeBucket = (bucket: Bucket, etag: string) =>
  value(
    client.PUT("/api/buckets/{name}", { params: { path: { name: bucket.name } }, headers: { "If-Match": etag }, body: bucket }),
  );

export const deleteBucket = (name: string, etag: string) =>
  value(client.DELETE("/api/buckets/{name}", { params: { path: { name } }, headers: { "If-Match": etag } }));

export const readForecast = (months: number, by: SplitBy) =>
  value(client.GET("/api/forecast", { params: { query: { months, by } } }));

export const readChanges = () => value(client.GET("/api/estate/changes"));

export const loadDemo = () => value(client.POST("/api/estate/demo"));

/** Sends the file as it is: the server's strict reader reports what is wrong with it. */
export async function importEstate(file: File, etag: string | null): Promise<void> {
  const response = await fetch("/api/estate/document", {
    method: "PUT",
    headers: { "Content-Type": "application/json", ...(etag ? { "If-Match": etag } : {}) },
    body: file,
  });
  if (response.ok) return;
  const body = await response.json().catch(() => ({}));
  throw new ApiError(response.status, body.code ?? "unexpected", body.detail ?? response.statusText, body.problems ?? []);
}
