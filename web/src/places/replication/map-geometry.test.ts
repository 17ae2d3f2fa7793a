import { expect, test } from "vitest";
import type { CopyRuleStatus, RegionReading } from "../../api/client";
import { bundled, placeCopies, thickness } from "./map-geometry";

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

test("a rule that passes over a column goes above every name in it, in a lane of its own", () => {
  const map = placeCopies(
    [region("a", "one", "other"), region("b", "two", "between"), region("c", "three", "four")],
    [rule("one", "three"), rule("four", "other")],
    900,
  );
  const firstRow = Math.min(...map.regions.flatMap((r) => r.buckets.map((b) => b.y)));
  const lanes = map.rules.map((r) => {
    const points = [...r.path.matchAll(/(-?[\d.]+),(-?[\d.]+)/g)].map(([, x, y]) => ({ x: Number(x), y: Number(y) }));
    const overMiddle = points.filter((p) => p.x > 300 && p.x < 300 + 300 * 0.62);
    expect(overMiddle.every((p) => p.y < firstRow - 12)).toBe(true);
    return Math.min(...points.map((p) => p.y));
  });
  expect(new Set(lanes).size).toBe(2);
});

test("targets stand in the order of their sources, so that lines do not cross", () => {
  const map = placeCopies(
    [region("a", "1", "2", "3"), region("b", "z", "y", "x")],
    [rule("1", "x"), rule("2", "y"), rule("3", "z")],
    1000,
  );
  expect(map.regions[1]?.buckets.map((b) => b.name)).toEqual(["x", "y", "z"]);
});

test("very many rules become one line for each pair of regions", () => {
  const names = Array.from({ length: 200 }, (_, i) => `b${i}`);
  const rules = names.map((n, i) => ({
    ...rule(n, `far-${n}`),
    id: i,
    standing: i === 7 ? "late" : "even",
    lagHours: i,
    failures: [],
    copiedBytes: 1,
  }));
  const all = bundled(
    [region("a", ...names), region("b", ...names.map((n) => `far-${n}`))],
    rules as unknown as CopyRuleStatus[],
  );
  expect(all.rules.length).toBe(1);
  expect(all.rules[0]).toMatchObject({ standing: "late", lagHours: 199, copiedBytes: 200 });
  expect(placeCopies(all.regions, all.rules, 1000).rules.length).toBe(1);
});

test("a rule to a bucket that nobody knows is left out", () => {
  expect(placeCopies([region("a", "one")], [rule("one", "gone")], 1000).rules.length).toBe(0);
});

test("thickness rises by tenfolds and ends", () => {
  expect(thickness(0)).toBe(1.5);
  expect(thickness(1e9) - thickness(1e8)).toBe(thickness(1e12) - thickness(1e11));
  expect(thickness(1e30)).toBe(12);
});
