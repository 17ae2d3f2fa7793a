export type Entry = { id: string; term: string; says: string; formula?: string; source?: string };

/** What the words on the screens mean, how the figures behind them are computed, and after whom. */
export const glossary: Entry[] = [
  {
    id: "age-strip",
    term: "Age strip",
    says: "A bucket drawn by the age of its data, from new at the left to eleven years at the right, on one axis for all buckets. Bands are tiers, the lines between them transitions, bars the bytes of each age where they really are now, a bracket below is retention, a double line the expiry.",
  },
  {
    id: "as-of-day",
    term: "As-of day",
    says: "The day that the page shows. Today is as counted by the provider; later days are projected, and set in italics.",
  },
  {
    id: "lot",
    term: "Lot",
    says: "Objects that are alike: same prefix, day of creation, size and tier. Sums over lots are exact, not samples.",
  },
  {
    id: "storage",
    term: "Storage charge",
    says: "Every day each object at rest counts its billed bytes; a month's sum is priced by the region's bands for its tier, and each bucket pays its part times the factor of its redundancy scheme.",
    formula:
      "billed bytes = max(bytes, the tier's smallest billed size) + overhead; unit-months = Σ billed bytes × days ÷ (unit × days of the month)",
  },
  {
    id: "early-leave",
    term: "Early-leave charge",
    says: "A tier with a minimum stay charges the days that an object leaves too early, by a transition or a deletion.",
    formula: "(minimum stay − days stayed) × billed bytes × the first band's price",
  },
  {
    id: "step-pays",
    term: "Does a step pay?",
    says: "Money per object over its stay in the colder tier: storage saved, less the move, dearer reading, and leaving either tier early. The break-even size is the smallest object for which that is no loss.",
  },
  {
    id: "retention",
    term: "Retention, sealed and liftable",
    says: "Until its day nothing can delete or overwrite an object's kept version. Sealed retention can be made longer and never shorter, by anybody; liftable retention ends early only by a request of its own, with a reason that the log keeps.",
  },
  {
    id: "durability",
    term: "Durability",
    says: "The chance that an object is still there after a year, in nines. Eleven nines over ten million objects: one is lost in ten thousand years, on average. Devices fail and are repaired; whole zones and regions are destroyed at a yearly rate as well, which three copies in one building cannot survive.",
    formula:
      "from all fragments whole, with failure rates (n − i)λ and repair rates iμ: mean time to loss = Σ hᵢ, hᵢ = 1/uᵢ + dᵢ/uᵢ · hᵢ₋₁; nines = −log₁₀(1 − e^(−year ÷ mean time))",
    source: "first-step analysis of a birth–death chain, as textbooks have it; yearly rates of places are common practice",
  },
  {
    id: "lag",
    term: "Lag and backlog",
    says: "How long the oldest object of a replication rule has waited, and what waits. Rules share a line in equal parts, and what one does not want goes to the others; small objects never wait behind large ones.",
    source: "max-min fairness: Bertsekas and Gallager, Data Networks, 2nd ed. 1992, section 6.5.2",
  },
  {
    id: "metered",
    term: "Metered and projected",
    says: "Metered is what the provider booked, day by day, from every entry. Projected is computed in closed form from lots and streams. The two share the price book and nothing else, and are held against each other over hundreds of days.",
  },
  {
    id: "draft",
    term: "Draft, consequences, apply",
    says: "An edit of a bucket, a replication rule or a line is a draft, kept in this browser until it is applied or discarded. Beside a bucket and a rule stands what it would do, and Apply works only while that answers exactly what is typed; of a bucket the log keeps those very figures. Undo is another draft.",
  },
];
