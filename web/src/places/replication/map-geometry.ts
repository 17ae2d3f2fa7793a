import type { CopyRuleStatus, RegionReading } from "../../api/client";

export type PlacedBucket = { name: string; x: number; y: number; bytes: number; versioning: boolean };
export type PlacedRegion = { region: RegionReading; x: number; width: number; buckets: PlacedBucket[] };
export type PlacedRule = { rule: CopyRuleStatus; path: string; mark: { x: number; y: number }; width: number };
export type CopyMap = { regions: PlacedRegion[]; rules: PlacedRule[]; height: number };

const top = 64;
const row = 30;
const label = 0.62;

/** Regions as columns, buckets in them one under the other, rules as curves between them. All in the units of the picture. */
export function placeCopies(regions: RegionReading[], rules: CopyRuleStatus[], width: number): CopyMap {
  const column = width / Math.max(1, regions.length);
  const joined = new Set(rules.flatMap((r) => [r.bucket, r.target]));
  const placed = regions.map((region, i) => {
    const ordered = [...region.buckets].sort((a, b) => Number(joined.has(b.name)) - Number(joined.has(a.name)));
    return {
      region,
      x: i * column,
      width: column * label,
      buckets: ordered.map((bucket, j) => ({ ...bucket, x: i * column, y: top + j * row })),
    };
  });
  const at = new Map(placed.flatMap((r) => r.buckets.map((b) => [b.name, { ...b, width: r.width }] as const)));
  const curves = rules.flatMap((rule) => {
    const from = at.get(rule.bucket);
    const to = at.get(rule.target);
    return from && to ? [{ rule, ...curve(from, to, from.width), width: thickness(rule.copiedBytes + rule.waitingBytes) }] : [];
  });
  spread(curves.map((c) => c.mark));
  const deepest = Math.max(1, ...placed.map((r) => r.buckets.length));
  return { regions: placed, rules: curves, height: top + deepest * row };
}

/** Marks that would lie on each other step down, one line of text at a time. */
function spread(marks: Point[]) {
  const placed: Point[] = [];
  for (const mark of [...marks].sort((a, b) => a.y - b.y)) {
    while (placed.some((p) => Math.abs(p.x - mark.x) < 74 && Math.abs(p.y - mark.y) < 20)) mark.y += 5;
    placed.push(mark);
  }
}

type Point = { x: number; y: number };

/** Leaves on the side that faces the other column; within a column it bows out to the right. There and back lie apart. */
function curve(from: Point, to: Point, width: number) {
  const right = to.x >= from.x;
  const start = { x: from.x + (right ? width : -6), y: from.y + (right ? -5 : 5) };
  const end = { x: to.x + (to.x > from.x ? -6 : width), y: to.y + (right ? -5 : 5) };
  const bend = from.x === to.x ? width * 0.45 : (end.x - start.x) / 2;
  const [c1, c2] = from.x === to.x ? [start.x + bend, end.x + bend] : [start.x + bend, end.x - bend];
  // Over other columns the mark lies in the first gap, where no names are.
  const gaps = Math.max(1, Math.round(Math.abs(to.x - from.x) / (width / label)));
  const t = 0.5 / gaps ** 2.4;
  const at = (a: number, b: number, c: number, d: number) =>
    (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t ** 2 * c + t ** 3 * d;
  return {
    path: `M${start.x},${start.y} C${c1},${start.y} ${c2},${end.y} ${end.x},${end.y}`,
    mark: { x: at(start.x, c1, c2, end.x), y: at(start.y, start.y, end.y, end.y) },
  };
}

/** Each tenfold of bytes makes a line thicker by the same: 1.5 up to a megabyte, 12 from an exabyte on. */
export const thickness = (bytes: number) => Math.min(12, 1.5 + 0.875 * Math.max(0, Math.log10(Math.max(1, bytes)) - 6));
