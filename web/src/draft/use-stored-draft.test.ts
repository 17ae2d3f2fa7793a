import { expect, test } from "vitest";
import { parseDraft } from "./use-stored-draft";

test("a draft comes back as it was stored", () => {
  const draft = { base: { value: { name: "b" }, etag: '"3"' }, value: { name: "b", tier: "pantry" } };
  expect(parseDraft(JSON.stringify(draft))).toEqual(draft);
});

test.each([null, "", "{", "[]", '{"base":{"value":{}},"value":{}}', '{"base":{"value":1,"etag":"x"},"value":{}}'])(
  "what has not the shape of a draft is none: %s",
  (text) => expect(parseDraft(text)).toBeNull(),
);
