// Writes an estate document with very many buckets, for trying the screens and for measuring: the demo's price book, buckets that differ in
// region, size, rules and retention. Always the same for the same count.
//   node bench/estates/ten-thousand-buckets.mjs [count] > estate.json
import { readFileSync } from "node:fs";

const count = Number(process.argv[2] ?? 10_000);
const demo = { ...JSON.parse(readFileSync(new URL("../../demo/brackwater-ferries.json", import.meta.url), "utf8")), targets: [], workloads: [] };
const kinds = ["camera", "ledger", "sonar", "manifest", "engine", "ticket", "chart", "crew"];
const ships = ["heron", "dunlin", "curlew", "avocet", "plover", "knot", "siskin", "brent"];
const regions = [["aldmouth", "cave"], ["kestrel-sound", "cave"], ["quarrydown", "pantry"]];

const bucket = (i) => {
  const [region, coldest] = regions[i % 11 === 0 ? 2 : i % 2];
  const name = `${ships[i % 8]}-${kinds[Math.floor(i / 8) % 8]}-${String(i).padStart(5, "0")}`;
  const bytes = 20_000 * 3 ** (i % 9);
  const copied = i % 7 === 0 && i + 1 < count && (i + 1) % 11 !== 0 && i % 11 !== 0;
  return {
    name,
    region,
    scheme: "one-site",
    tier: "counter",
    versioning: copied || i % 7 === 1,
    stock: [{ prefix: "log/", created: "2026-09-15", tier: "counter", inTierSince: "2026-09-15", objects: 50 + (i % 400), bytesPerObject: bytes }],
    streams: [{ prefix: "log/", objectsPerDay: 1 + (i % 90), bytesPerObject: bytes, yearlyGrowth: (i % 5) / 20 }],
    rules: i % 4 === 3 ? [] : [{ id: "ageing", prefix: "log/", steps: [{ age: 25 + (i % 30), tier: i % 3 === 0 ? coldest : "pantry" }], expireAt: i % 4 === 0 ? null : 420 }],
    keep: i % 5 === 0 ? { days: 31, strength: "liftable" } : null,
  };
};

const today = demo.today;
process.stdout.write(JSON.stringify({ ...demo, name: `Brackwater Ferries, ${count} buckets`, today, buckets: Array.from({ length: count }, (_, i) => bucket(i)) }));
