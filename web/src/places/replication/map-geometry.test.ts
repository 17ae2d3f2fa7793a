import { expect, test } from "vitest";
import type { CopyRuleStatus, RegionReading } from "../../api/client";
import { placeCopies, thickness } from "./map-geometry";

const region = (id: string, ...names: string[]): RegionReading => ({
  id,
  name: id,
  lostSince: null,
  buckets: names.map((name) => ({ name, versioning: true, objects: 0, bytes: 0 })),
});
const rule = (bucket: string, target: string) =>
  ({ bucket, target, copiedBytes: 0, waitingBytes: 0 }) as unknown as CopyRuleStatus;

test("regions stand side by side, buckets with copies first", () => {
  const map = placeCopies([region("a", "alone", "one"), region("b", "two")], [rule("one", "two")], 1000);
  expect(map.regions.map((r) => r.x)).toEqual([0, 500]);
  expect(map.regions[0]?.buckets.map((b) => b.name)).toEqual(["one", "alone"]);
});

test("a rule leaves on the side that faces its target, and there and back do not lie on each other", () => {
  const map = placeCopies([region("a", "one"), region("b", "two")], [rule("one", "two"), rule("two", "one")], 1000);
  const [there, back] = map.rules;
  if (!there || !back) throw new Error("Both rules have a place.");
  expect(there.path).toMatch(/^M310,.* 494,/);
  expect(back.path).toMatch(/^M494,.* 310,/);
  // The curves lie ten apart, their marks a line of text.
  expect(back.mark.y - there.mark.y).toBe(20);
});

test("the mark of a rule that passes over a column lies before it", () => {
  const map = placeCopies([region("a", "one"), region("b", "two"), region("c", "three")], [rule("one", "three")], 900);
  const mark = map.rules[0]?.mark.x ?? 0;
  expect(mark).toBeGreaterThan(300 * 0.62);
  expect(mark).toBeLessThan(300);
});

test("a rule to a bucket that nobody knows is left out", () => {
  expect(placeCopies([region("a", "one")], [rule("one", "gone")], 1000).rules.length).toBe(0);
});

test("thickness rises by tenfolds and ends", () => {
  expect(thickness(0)).toBe(1.5);
  expect(thickness(1e9) - thickness(1e8)).toBe(thickness(1e12) - thickness(1e11));
  expect(thickness(1e30)).toBe(12);
});
