/** What is wrong at a place of a document, by JSON path. */
export type Wrong = { code: string; path: string; message: string };

/** An answer that is not a success: RFC 9457 problem details with our code and the problems by JSON path. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly problems: Wrong[],
  ) {
    super(message);
  }
}
