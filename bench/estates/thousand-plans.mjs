// A thousand workloads under plans by the calendar, in ten buckets: node thousand-plans.mjs > estate.json
import { readFileSync } from "node:fs";

const demo = JSON.parse(readFileSync(new URL("../../demo/brackwater-ferries.json", import.meta.url)));
const workloads = 1000;
const buckets = 10;
const byDays = process.argv[2] === "days";

const estate = {
  ...demo,
  buckets: Array.from({ length: buckets }, (_, i) => ({
    name: `vault-${i}`,
    region: "aldmouth",
    scheme: "one-site",
    tier: "counter",
    rules: [{ id: "packs", steps: [{ age: 30, tier: "pantry" }, { age: 120, tier: "cave" }] }],
  })),
  workloads: Array.from({ length: workloads }, (_, i) => ({
    id: `w-${i}`,
    name: `Workload ${i}`,
    bytes: 1e9 * (1 + i),
    yearlyGrowth: 0.1,
    changing: 0.3,
    dailyChange: 0.01,
    compression: 0.6,
    region: "aldmouth",
  })),
  targets: Array.from({ length: buckets }, (_, i) => ({ id: `t-${i}`, name: `Target ${i}`, kind: "bucket", bucket: `vault-${i}`, prefix: "vault/" })),
  plans: Array.from({ length: buckets }, (_, i) => ({
    id: `p-${i}`,
    workloads: Array.from({ length: workloads / buckets }, (_, k) => `w-${i + k * buckets}`),
    target: `t-${i}`,
    every: { days: 1 },
    keep: byDays ? { days: 30 } : { daily: 14, weekly: 5, monthly: 12, yearly: 7 },
  })),
};
process.stdout.write(JSON.stringify(estate));
