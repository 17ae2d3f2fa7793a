import type { CopyRuleStatus, RegionReading } from "../../api/client";

export type PlacedBucket = { name: string; x: number; y: number; bytes: number; versioning: boolean };
export type PlacedRegion = { region: RegionReading; x: number; width: number; buckets: PlacedBucket[] };
export type PlacedRule = { rule: CopyRuleStatus; path: string; mark: { x: number; y: number }; width: number };
export type CopyMap = { regions: PlacedRegion[]; rules: PlacedRule[]; height: number };

/** Where the first row begins when no line passes over a column. */
const top = 64;
/** The first of the lanes over the columns, below their headings, and how far apart they are. */
const overhead = 50;
const laneGap = 14;
const row = 30;
const label = 0.62;

/** Regions as columns, buckets in them one under the other, rules as lines between them. All in the units of the picture. */
export function placeCopies(regions: RegionReading[], rules: CopyRuleStatus[], width: number): CopyMap {
  const column = width / Math.max(1, regions.length);
  const columnOf = new Map(regions.flatMap((region, i) => region.buckets.map((b) => [b.name, i] as const)));
  const over = rules.filter((r) => Math.abs((columnOf.get(r.bucket) ?? 0) - (columnOf.get(r.target) ?? 0)) > 1);
  const first = top + over.length * laneGap;
  const orders = ordered(regions, rules);
  const placed = regions.map((region, i) => ({
    region,
    x: i * column,
    width: column * label,
    buckets: (orders[i] ?? []).map((bucket, j) => ({ ...bucket, x: i * column, y: first + j * row })),
  }));
  const at = new Map(placed.flatMap((r) => r.buckets.map((b) => [b.name, b] as const)));
  const lines = rules.flatMap((rule) => {
    const [from, to] = [at.get(rule.bucket), at.get(rule.target)];
    if (!from || !to) return [];
    const lane = over.indexOf(rule);
    const drawn = lane < 0 ? curve(from, to, column * label) : overColumns(from, to, column * label, lane);
    return [{ rule, ...drawn, width: thickness(rule.copiedBytes + rule.waitingBytes) }];
  });
  spread(lines.map((c) => c.mark));
  const deepest = Math.max(1, ...placed.map((r) => r.buckets.length));
  return { regions: placed, rules: lines, height: first + deepest * row };
}

/**
 * The buckets of each column: those with rules first, each as near as it may be to the mean height of its partners to the left, so that
 * lines cross little (the barycentre method of Sugiyama, Tagawa and Toda, IEEE SMC 11, 1981; from memory).
 */
function ordered(regions: RegionReading[], rules: CopyRuleStatus[]) {
  const partners = new Map<string, string[]>();
  for (const rule of rules) {
    partners.set(rule.bucket, [...(partners.get(rule.bucket) ?? []), rule.target]);
    partners.set(rule.target, [...(partners.get(rule.target) ?? []), rule.bucket]);
  }
  const height = new Map<string, number>();
  return regions.map((region) => {
    const wanted = region.buckets.map((bucket, i) => {
      const known = (partners.get(bucket.name) ?? []).flatMap((p) => height.get(p) ?? []);
      const mean = known.length > 0 ? known.reduce((sum, h) => sum + h, 0) / known.length : i;
      return { bucket, alone: !partners.has(bucket.name), mean };
    });
    const sorted = wanted.sort((a, b) => Number(a.alone) - Number(b.alone) || a.mean - b.mean).map((w) => w.bucket);
    for (const [i, bucket] of sorted.entries()) height.set(bucket.name, i);
    return sorted;
  });
}

/** Up in the gap beside the source, over the columns between in a lane of its own, down in the gap before the target: no name is crossed. */
function overColumns(from: Point, to: Point, width: number, lane: number) {
  const right = to.x > from.x;
  const start = { x: from.x + (right ? width : -6), y: from.y };
  const end = { x: to.x + (right ? -6 : width), y: to.y };
  const [up, down] = right ? [start.x + 22 + lane * 7, end.x - 22 - lane * 7] : [start.x - 22 - lane * 7, end.x + 22 + lane * 7];
  const height = overhead + lane * laneGap;
  const path = rounded([start, { x: up, y: start.y }, { x: up, y: height }, { x: down, y: height }, { x: down, y: end.y }, end]);
  return { path, mark: { x: (up + down) / 2, y: height } };
}

/** A line through the points with round corners. */
function rounded(points: Point[]) {
  const radius = 10;
  const toward = (a: Point, b: Point) => {
    const far = Math.hypot(b.x - a.x, b.y - a.y) || 1;
    const by = Math.min(radius, far / 2);
    return { x: a.x + ((b.x - a.x) / far) * by, y: a.y + ((b.y - a.y) / far) * by };
  };
  const [first] = points;
  return points.reduce((path, corner, i) => {
    const [before, after] = [points[i - 1], points[i + 1]];
    if (!before) return `M${first?.x},${first?.y}`;
    if (!after) return `${path} L${corner.x},${corner.y}`;
    const [into, out] = [toward(corner, before), toward(corner, after)];
    return `${path} L${into.x},${into.y} Q${corner.x},${corner.y} ${out.x},${out.y}`;
  }, "");
}

/** More rules than this are drawn as one line for each pair of regions. */
export const mostLines = 24;

/** One point for each region, named by its id, and one rule for each pair of regions, when there are too many to draw one by one. */
export function bundled(regions: RegionReading[], rules: CopyRuleStatus[]) {
  const regionOf = regionsOf(regions);
  const pairs = new Map<string, CopyRuleStatus[]>();
  for (const rule of rules) {
    const pair = pairOf(regionOf, rule);
    pairs.set(pair, [...(pairs.get(pair) ?? []), rule]);
  }
  return {
    regions: regions.map((region) => ({
      ...region,
      buckets: [{ name: region.id, versioning: true, objects: 0, bytes: region.buckets.reduce((sum, b) => sum + b.bytes, 0) }],
    })),
    rules: [...pairs].map(([pair, of], i) => bundle(pair, of, -1 - i)),
  };
}

/** The region of each bucket. */
export const regionsOf = (regions: RegionReading[]) =>
  new Map(regions.flatMap((region) => region.buckets.map((b) => [b.name, region.id] as const)));

/** Names the pair of regions between which a rule copies. */
export const pairOf = (regionOf: Map<string, string>, rule: CopyRuleStatus) =>
  `${regionOf.get(rule.bucket)}~${regionOf.get(rule.target)}`;

const severity = { even: 0, behind: 1, late: 2 };

function bundle(pair: string, rules: CopyRuleStatus[], id: number): CopyRuleStatus {
  const [from = "", to = ""] = pair.split("~");
  const worst = rules.reduce((a, b) => (severity[b.standing] > severity[a.standing] ? b : a));
  const sum = (of: (rule: CopyRuleStatus) => number) => rules.reduce((total, rule) => total + of(rule), 0);
  return {
    ...worst,
    id,
    bucket: from,
    target: to,
    copiedBytes: sum((r) => r.copiedBytes),
    waitingBytes: sum((r) => r.waitingBytes),
    lagHours: Math.max(...rules.map((r) => r.lagHours)),
    failures: rules.flatMap((r) => r.failures),
  };
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
  const t = 0.5;
  const at = (a: number, b: number, c: number, d: number) =>
    (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t ** 2 * c + t ** 3 * d;
  return {
    path: `M${start.x},${start.y} C${c1},${start.y} ${c2},${end.y} ${end.x},${end.y}`,
    mark: { x: at(start.x, c1, c2, end.x), y: at(start.y, start.y, end.y, end.y) },
  };
}

/** Each tenfold of bytes makes a line thicker by the same: 1.5 up to a megabyte, 12 from an exabyte on. */
export const thickness = (bytes: number) => Math.min(12, 1.5 + 0.875 * Math.max(0, Math.log10(Math.max(1, bytes)) - 6));
