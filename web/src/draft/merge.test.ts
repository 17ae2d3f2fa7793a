import { describe, expect, it } from "vitest";
import { merge, same } from "./merge";

const base = {
  name: "b",
  tier: "counter",
  keep: { days: 30 },
  rules: [
    { id: "a", age: 30 },
    { id: "z", age: 90 },
  ],
};

describe("merge", () => {
  it("takes each part from the side that changed it", () => {
    const { merged, conflicts, theirParts } = merge(base, { ...base, tier: "pantry" }, { ...base, keep: { days: 60 } });
    expect(merged).toEqual({ ...base, tier: "pantry", keep: { days: 60 } });
    expect(conflicts).toEqual([]);
    expect(theirParts).toEqual(["keep"]);
  });

  it("merges lists of things with ids one by one", () => {
    const mine = {
      ...base,
      rules: [
        { id: "a", age: 45 },
        { id: "z", age: 90 },
        { id: "mine", age: 1 },
      ],
    };
    const theirs = {
      ...base,
      rules: [
        { id: "a", age: 30 },
        { id: "theirs", age: 2 },
      ],
    };
    const { merged, conflicts } = merge(base, mine, theirs);
    expect(merged.rules).toEqual([
      { id: "a", age: 45 },
      { id: "mine", age: 1 },
      { id: "theirs", age: 2 },
    ]);
    expect(conflicts).toEqual([]);
  });

  it("names what both changed, and takes what somebody chose", () => {
    const mine = {
      ...base,
      rules: [
        { id: "a", age: 45 },
        { id: "z", age: 90 },
      ],
    };
    const theirs = {
      ...base,
      rules: [
        { id: "a", age: 60 },
        { id: "z", age: 90 },
      ],
    };
    const open = merge(base, mine, theirs);
    expect(open.conflicts.map((c) => c.part)).toEqual(["rules a"]);
    expect(open.merged.rules[0]).toEqual({ id: "a", age: 45 });
    expect(merge(base, mine, theirs, { "rules a": "theirs" }).merged.rules[0]).toEqual({ id: "a", age: 60 });
  });

  it("sees a thing removed here and changed there as a conflict", () => {
    const { conflicts } = merge(
      base,
      { ...base, rules: [{ id: "z", age: 90 }] },
      {
        ...base,
        rules: [
          { id: "a", age: 31 },
          { id: "z", age: 90 },
        ],
      },
    );
    expect(conflicts).toEqual([{ part: "rules a", base: { id: "a", age: 30 }, mine: undefined, theirs: { id: "a", age: 31 } }]);
  });

  it("agrees when both changed a part to the same", () => {
    const next = { ...base, tier: "cave" };
    expect(merge(base, next, structuredClone(next)).conflicts).toEqual([]);
  });

  it("merges anything against itself without a difference", () => {
    expect(merge(base, base, base)).toEqual({ merged: base, conflicts: [], theirParts: [] });
  });
});

describe("same", () => {
  it("does not mind the order of members, nor what is null or missing", () => {
    expect(same({ a: 1, b: null }, { a: 1 })).toBe(true);
    expect(same({ a: [1, 2] }, { a: [2, 1] })).toBe(false);
  });
});
