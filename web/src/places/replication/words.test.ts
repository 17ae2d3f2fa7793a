import { expect, test } from "vitest";
import { readTags, scope, span, writeTags } from "./words";

test("a time is told in the largest unit that says something", () => {
  expect([0, 0.0001, 0.001, 0.5, 3.26, 47, 100, 9999].map(span)).toEqual([
    "0",
    "under 1 s",
    "3.6 s",
    "30 min",
    "3.3 h",
    "47 h",
    "4.2 days",
    "417 days",
  ]);
});

test("tags are read as they are written", () => {
  expect(readTags(" kind = log, voyage=12=b ")).toEqual({ kind: "log", voyage: "12=b" });
  expect(readTags("  ")).toBe(null);
  expect(writeTags({ kind: "log", voyage: "12" }), "kind=log).toBe(voyage=12");
  expect(scope({ bucket: "x", prefix: "a/", tags: { kind: "log" } })).toBe("what lies under a/ with kind=log");
});
