import { expect, test } from "vitest";
import { apart, inWords } from "./parts-in-words";

test("a part of a document reads as words", () => {
  expect(inWords({ id: "r", prefix: "", steps: [{ age: 70, tier: "pantry" }], expireAt: null })).toBe(
    "id r, steps age 70, tier pantry",
  );
  expect(inWords(undefined)).toBe("nothing");
  expect(inWords([])).toBe("none");
  expect(inWords(true)).toBe("true");
  expect(apart("smallestBytes")).toBe("smallest bytes");
});
