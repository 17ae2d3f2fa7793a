using System.Buffers;
using System.Collections.Concurrent;
using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Forecasting;

/// <summary>
/// What an estate costs at any growth and reading within their ranges, from what it uses at a few of them. What is used is a smooth function of
/// both, but for corners where bundles and packs are whole, so that a polynomial through Chebyshev points is all but as good as counting anew
/// (Berrut and Trefethen, "Barycentric Lagrange Interpolation", SIAM Review 46, 2004): within 1e-5 where nothing has corners, 1e-3 on all
/// but about one in a thousand of random estates, and 2.2e-3 at most of those that were found. Where a line becomes full at one growth and not at another, a month about then may be half a per cent off, and the sum of years
/// 5e-4. Graduated bands have corners: their price is put on the quantities that come of it.
/// </summary>
public sealed class UncertainMoney
{
    private const double Near = 1e-5;
    private const int FewestPoints = 6;
    private const int ReadingPoints = 4;
    private const int BucketsAtOnce = 32;
    private const int MostParts = 8;

    private readonly Projection projection;
    private readonly (Uncertain Growth, Uncertain Reading) ranges;
    private readonly double[] growths;
    private readonly double[] readings;
    private readonly Layout layout;

    /// <summary>What buckets use whose rules do not look at reading, by growth: reads are so many times as many.</summary>
    private Rows plain = Rows.None;

    /// <summary>What the others use, growth by growth and of each by reading.</summary>
    private Rows watched = Rows.None;

    /// <summary>Of that what does not grow, by reading.</summary>
    private Rows watchedStill = Rows.None;

    private UncertainMoney(Projection projection, Uncertain growth, Uncertain reading)
    {
        (this.projection, ranges) = (projection, (growth, reading));
        growths = Points(growth, GrowthPoints(growth, projection));
        readings = projection.Estate.Buckets.Any(Watches) ? Points(reading, ReadingPoints) : [1];
        layout = new Layout(projection);
    }

    /// <param name="projection">Of the estate as it stands, or under a scenario.</param>
    /// <param name="growth">Added to the growth of everything in 365 days.</param>
    /// <param name="reading">So many times as often is everything read.</param>
    /// <param name="before">Over other ranges: what one of them has to do with alone need not be counted again. Null for none.</param>
    /// <returns>Or what does not fit: something would shrink to nothing.</returns>
    public static Checked<UncertainMoney> Of(Projection projection, Uncertain growth, Uncertain reading, UncertainMoney? before = null)
    {
        var money = new UncertainMoney(projection, growth, reading);
        var estates = new List<Estate>();
        var findings = new Findings();
        foreach (var added in money.growths)
            estates.Add(Assuming.Grow(new() { YearlyGrowth = added }, projection.Estate, "$", findings));
        if (findings.Problems.Count > 0)
            return new(findings.Problems);
        money.Count(estates, ReferenceEquals(before?.projection, projection) ? before : null);
        return new(money);
    }

    /// <summary>By month.</summary>
    /// <param name="growth">Within the range.</param>
    /// <param name="reading">Within the range.</param>
    public double[] At(double growth, double reading)
    {
        var used = ArrayPool<double>.Shared.Rent(layout.Length);
        used.AsSpan(0, layout.Length).Clear();
        var (byGrowth, byReading) = (Weights(growths, growth), Weights(readings, reading));
        plain.AddTo(used, byGrowth);
        watched.AddTo(used, [.. byGrowth.SelectMany(g => byReading.Select(r => g * r))]);
        var money = layout.Price(used, reading);
        ArrayPool<double>.Shared.Return(used);
        return money;
    }

    private static bool Watches(Bucket bucket) => bucket.Rules.Any(r => r.WatchesReading);

    /// <summary>Parts of the buckets beside each other, each some after the others, so that what is used at every point need not be held of all
    /// of them. Added up in the parts' order: the sums are the same to the last digit whatever ends first.</summary>
    private void Count(List<Estate> estates, UncertainMoney? before)
    {
        var copies = new IncomingCopies[estates.Count];
        Parallel.For(0, copies.Length, g => copies[g] = IncomingCopies.Of(estates[g], projection.Calendar.Days));
        var kinds = projection
            .Estate.Buckets.Select((bucket, b) => (bucket, b))
            .ToLookup(p => (Watches(p.bucket), HasCopies(p.bucket)), p => p.b);
        var (plainBefore, stillBefore) = (
            before?.ranges.Growth == ranges.Growth ? before : null,
            before?.ranges.Reading == ranges.Reading && before.growths.Length > 1 == growths.Length > 1 ? before.watchedStill : null
        );
        // What takes longest comes first, so that nothing waits for it at the end.
        List<(int[] Some, int? Reading)> parts = [.. Watched(true), .. Plain(true), .. Watched(false), .. Plain(false)];
        // By growth, and last what does not grow.
        var (sums, still) = (new Rows[parts.Count], growths.Length);
        Parallel.ForEach(
            Partitioner.Create(Enumerable.Range(0, parts.Count), EnumerablePartitionerOptions.NoBuffering),
            part => sums[part] = Sum(parts[part].Some, parts[part].Reading is { } r ? readings[r] : 1, parts[part].Reading.HasValue)
        );
        watchedStill = stillBefore ?? Rows.Of(readings.Length, layout.Length, (r, to) => Together(r, still, to));
        watched = Rows.Of(
            growths.Length * readings.Length,
            layout.Length,
            (row, to) =>
            {
                Together(row % readings.Length, row / readings.Length, to);
                watchedStill.AddTo(to, row % readings.Length);
            }
        );
        plain =
            plainBefore?.plain
            ?? Rows.Of(
                growths.Length,
                layout.Length,
                (g, to) =>
                {
                    Together(null, g, to);
                    Together(null, still, to);
                }
            );

        IEnumerable<(int[], int?)> Watched(bool copies) =>
            Parts([.. kinds[(true, copies)]]).SelectMany(some => Enumerable.Range(0, readings.Length).Select(r => (some, (int?)r)));

        IEnumerable<(int[], int?)> Plain(bool copies) =>
            plainBefore is null ? Parts([.. kinds[(false, copies)]]).Select(some => (some, (int?)null)) : [];

        IEnumerable<int[]> Parts(List<int> some) => some.Chunk(Math.Max(1, (some.Count + MostParts - 1) / MostParts));

        void Together(int? reading, int row, double[] to)
        {
            for (var part = 0; part < parts.Count; part++)
            {
                if (parts[part].Reading == reading)
                    sums[part].AddTo(to, row);
            }
        }

        Rows Sum(int[] part, double times, bool isWatched)
        {
            var known = new Dictionary<int, KnownLives>();
            return Rows.Of(growths.Length + 1, layout.Length, part.Chunk(BucketsAtOnce), Add);

            void Add(int[] some, double[][] to)
            {
                foreach (var b in some)
                    known[b] = new KnownLives();
                if (!isWatched || stillBefore is null)
                {
                    int[] lying = [.. some.Where(LiesStill)];
                    layout.Add([.. lying.Select(b => All(b, times, known[b]))], 1, to[still]);
                    layout.Add([.. lying.Select(b => Arriving(b, times, known[b]))], -1, to[still]);
                }
                for (var g = 0; g < growths.Length; g++)
                    layout.Add([.. some.Select(b => At(b, g, times, known[b]))], 1, to[g]);
                known.Clear();
            }
        }

        BucketUsage All(int b, double times, KnownLives known) =>
            times == 1 ? projection.Usages[b] : Compute(projection.Estate.Buckets[b], projection.Copies, times, known);

        BucketUsage Arriving(int b, double times, KnownLives known) =>
            Compute(Emptied(projection.Estate.Buckets[b]), projection.Copies, times, known);

        // What lies there does not grow. Where no copies come or go it is counted once, and at every growth only what arrives.
        bool LiesStill(int b) => growths.Length > 1 && !HasCopies(projection.Estate.Buckets[b]);

        BucketUsage At(int b, int g, double times, KnownLives known) =>
            growths is [0] && times == 1 ? projection.Usages[b]
            : LiesStill(b) ? Compute(Emptied(estates[g].Buckets[b]), copies[g], times, known)
            : Compute(estates[g].Buckets[b], copies[g], times, known);
    }

    private bool HasCopies(Bucket bucket) => bucket.CopyTo.Count > 0 || projection.Copies.Into(bucket.Name).Count > 0;

    private BucketUsage Compute(Bucket bucket, IncomingCopies copies, double times, KnownLives known) =>
        BucketUsage.Compute(
            bucket.Read(times),
            copies,
            projection.Estate.PriceBook,
            projection.Calendar,
            new GrowthTable.Shelf(projection.Calendar.Days),
            known
        );

    private static Bucket Emptied(Bucket bucket) => bucket with { Stock = [], Recalled = [], Unfinished = [] };

    /// <summary>How many Chebyshev points bring a polynomial to <see cref="Near"/> of what slowest grows over the whole horizon, so many times
    /// r a year: where f is r^years, |f − p| ≤ 2 (width / 4)^n |f⁽ⁿ⁾| / n! (Trefethen, "Approximation Theory and Approximation Practice",
    /// 2013, for points of the first kind; those of the second are all but as good).</summary>
    private static int GrowthPoints(Uncertain growth, Projection projection)
    {
        var estate = projection.Estate;
        var own = estate
            .Buckets.SelectMany(b => b.Streams)
            .Select(s => s.YearlyGrowth)
            .Concat(estate.Workloads.Select(w => w.YearlyGrowth))
            .Append(0)
            .Min();
        var (years, least) = (projection.Calendar.Days / 365.0, Math.Max(1 + own + growth.Low, 0.01));
        var (points, apart) = (0, 2.0);
        while (apart > Near || points < FewestPoints)
        {
            apart *= Math.Max(years - points, 0) / (points + 1) * (growth.High - growth.Low) / (4 * least);
            points++;
        }
        return points;
    }

    /// <summary>Chebyshev points of the second kind in a range; one where there is no range.</summary>
    private static double[] Points(Uncertain range, int count) =>
        range.IsKnown
            ? [range.Low]
            :
            [
                .. Enumerable
                    .Range(0, count)
                    .Select(i => range.Low + ((range.High - range.Low) * (1 - Math.Cos(i * Math.PI / (count - 1))) / 2)),
            ];

    /// <summary>What each point counts at <paramref name="at"/>; together 1.</summary>
    private static double[] Weights(double[] points, double at)
    {
        var weights = new double[points.Length];
        if (points.Length == 1)
            return [1];
        var sum = 0.0;
        for (var i = 0; i < points.Length; i++)
        {
            if (at == points[i])
            {
                weights.AsSpan().Clear();
                weights[i] = 1;
                return weights;
            }
            var end = i == 0 || i == points.Length - 1;
            sum += weights[i] = (i % 2 == 0 ? 1 : -1) * (end ? 0.5 : 1) / (at - points[i]);
        }
        for (var i = 0; i < weights.Length; i++)
            weights[i] /= sum;
        return weights;
    }

    /// <summary>Rows of numbers of which most are nothing in all of them, because most tiers of most regions have nothing of most charges: what is
    /// not, and where it stood.</summary>
    private sealed record Rows(int[] At, double[][] Values)
    {
        public static Rows None { get; } = new([], []);

        /// <param name="count">Of rows.</param>
        /// <param name="length">Of each.</param>
        /// <param name="fill">Adds what a row has, to nothing.</param>
        public static Rows Of(int count, int length, Action<int, double[]> fill) =>
            Of(count, length, Enumerable.Range(0, count), (row, all) => fill(row, all[row]));

        /// <param name="count">Of rows.</param>
        /// <param name="length">Of each.</param>
        /// <param name="items">What is added up in them.</param>
        /// <param name="add">Adds one to the rows.</param>
        public static Rows Of<T>(int count, int length, IEnumerable<T> items, Action<T, double[][]> add)
        {
            // Lent: so many large arrays for each part would keep the collector busier than all the rest.
            var all = new double[count][];
            for (var row = 0; row < count; row++)
                (all[row] = ArrayPool<double>.Shared.Rent(length)).AsSpan(0, length).Clear();
            foreach (var item in items)
                add(item, all);
            int[] at = [.. Enumerable.Range(0, length).Where(i => all.Any(a => a[i] != 0))];
            var packed = new Rows(at, [.. all.Select(row => at.Select(i => row[i]).ToArray())]);
            foreach (var row in all)
                ArrayPool<double>.Shared.Return(row);
            return packed;
        }

        public void AddTo(double[] to, int row)
        {
            for (var i = 0; i < At.Length; i++)
                to[At[i]] += Values[row][i];
        }

        /// <param name="to">Where a row stood.</param>
        /// <param name="weights">Of each row.</param>
        public void AddTo(double[] to, double[] weights)
        {
            var sum = ArrayPool<double>.Shared.Rent(At.Length);
            sum.AsSpan(0, At.Length).Clear();
            for (var row = 0; row < Values.Length; row++)
                Sums.Add(Values[row], weights[row], sum.AsSpan(0, At.Length));
            for (var i = 0; i < At.Length; i++)
                to[At[i]] += sum[i];
            ArrayPool<double>.Shared.Return(sum);
        }
    }

    /// <summary>What of usage the money of the whole estate asks: unit-months and those times their schemes' factors by region, tier and stretch;
    /// by month, money of reading and of everything else that has no bands. Where agreements ask what is used, that for all that they tell apart,
    /// with its quantities.</summary>
    private sealed class Layout(Projection projection)
    {
        private readonly BillingCalendar calendar = projection.Calendar;
        private readonly int tiers = projection.Estate.PriceBook.Tiers.Count;
        private readonly Lazy<Dictionary<string, string>> regionOf = new(() =>
            projection.Estate.Buckets.ToDictionary(b => b.Name, b => b.Region)
        );
        private readonly List<string> regions = [.. projection.Estate.Buckets.Select(b => b.Region).Distinct()];
        private readonly bool isSettled = Settlement.DependsOnUse(projection.Estate.PriceBook);
        private readonly Apart apart = new(projection.Estate.PriceBook);
        private readonly TierPrice?[] priceAt = PricesOf(projection);
        private readonly (Month Month, double Part, double WhateverIsUsed)[] months =
        [
            .. Enumerable
                .Range(0, projection.Calendar.Months)
                .Select(m => (Month: Month.Of(projection.Calendar.Date(m)), Part: projection.PartOf(m)))
                .Select(m => (m.Month, m.Part, Settlement.WhateverIsUsed(projection.Estate.PriceBook, m.Month, m.Part).Sum(l => l.Amount))),
        ];

        public int Length => Other + ((isSettled ? 3 : 1) * Lines);

        private int Cells => regions.Count * tiers * calendar.Stretches;

        private int Lines => apart.Count * calendar.Months;

        private int Reading => 2 * Cells;

        private int Other => Reading + Lines;

        private int ReadQuantity => Other + Lines;

        private int OtherQuantity => ReadQuantity + Lines;

        /// <param name="some">Of some of the estate's buckets.</param>
        /// <param name="times">Is added.</param>
        /// <param name="sum">To this.</param>
        public void Add(List<BucketUsage> some, double times, double[] sum)
        {
            var book = projection.Estate.PriceBook;
            var bill = Bill.OfSome(book, calendar, some, regionOf.Value);
            var without = Bill.OfSome(book, calendar, [.. some.Select(u => Watches(u.Bucket) ? u : u.Unread())], regionOf.Value);
            var rows = new List<BillRow>();
            for (var b = 0; b < some.Count; b++)
            {
                var factor = book.FindScheme(some[b].Bucket.Scheme)!.StorageFactor;
                for (var tier = 0; tier < tiers; tier++)
                {
                    var at = Cell(regions.IndexOf(some[b].Bucket.Region), tier);
                    var stored = some[b].Of(tier, Measure.StoredByteDays);
                    for (var s = 0; s < stored.Length; s++)
                    {
                        var unitMonths = times * stored[s] / (book.Unit.Bytes() * calendar.BilledDays(s));
                        sum[at + s] += unitMonths;
                        sum[Cells + at + s] += unitMonths * factor;
                    }
                }
                var region = some[b].Bucket.Region;
                for (var m = 0; m < calendar.Months; m++)
                {
                    Unbanded(bill, times, Reading, ReadQuantity);
                    Unbanded(without, -times, Reading, ReadQuantity);
                    Unbanded(without, times, Other, OtherQuantity);

                    void Unbanded(Bill of, double sign, int amounts, int quantities)
                    {
                        rows.Clear();
                        of.AddRows(b, m, rows);
                        foreach (var row in rows.Where(r => r.Charge != Charge.Storage))
                        {
                            var at = (apart.Line(region, row.Tier, row.Charge) * calendar.Months) + m;
                            sum[amounts + at] += sign * row.Amount;
                            if (isSettled)
                                sum[quantities + at] += sign * row.Quantity;
                        }
                    }
                }
            }
        }

        /// <summary>As <see cref="Cell"/> has them; null where a tier is not offered.</summary>
        private static TierPrice?[] PricesOf(Projection projection) =>
            [
                .. projection
                    .Estate.Buckets.Select(b => b.Region)
                    .Distinct()
                    .SelectMany(region =>
                        projection.Estate.PriceBook.Tiers.SelectMany(
                            (_, tier) =>
                                Enumerable
                                    .Range(0, projection.Calendar.Stretches)
                                    .Select(stretch => projection.Bill.PriceOf(region, tier, stretch))
                        )
                    ),
            ];

        /// <summary>Money by month.</summary>
        public double[] Price(double[] used, double reading)
        {
            var money = new double[calendar.Months];
            var charged = apart.Empty();
            for (var m = 0; m < months.Length; m++)
            {
                for (var line = 0; line < charged.Length; line++)
                {
                    var at = (line * months.Length) + m;
                    var amount = (used[Reading + at] * reading) + used[Other + at];
                    money[m] += amount;
                    var quantity = isSettled ? (used[ReadQuantity + at] * reading) + used[OtherQuantity + at] : 0;
                    charged[line] = charged[line] with { Quantity = quantity, Amount = amount };
                }
                var (first, end) = (calendar.First(m), calendar.First(m + 1));
                for (var region = 0; region < regions.Count; region++)
                {
                    for (var tier = 0; tier < tiers; tier++)
                    {
                        var at = Cell(region, tier);
                        var unitMonths = 0.0;
                        for (var s = first; s < end; s++)
                            unitMonths += used[at + s];
                        if (unitMonths <= 0)
                            continue;
                        var amount = 0.0;
                        for (var s = first; s < end; s++)
                            amount += priceAt[at + s]!.StorageCost(unitMonths) / unitMonths * used[Cells + at + s];
                        money[m] += amount;
                        var line = apart.Line(regions[region], tier, Charge.Storage);
                        charged[line] = charged[line] with
                        {
                            Quantity = charged[line].Quantity + unitMonths,
                            Amount = charged[line].Amount + amount,
                        };
                    }
                }
                money[m] += months[m].WhateverIsUsed;
                if (!isSettled)
                    continue;
                foreach (var line in Settlement.ByUse(projection.Estate.PriceBook, months[m].Month, months[m].Part, charged))
                    money[m] += line.Amount;
            }
            return money;
        }

        private int Cell(int region, int tier) => ((region * tiers) + tier) * calendar.Stretches;
    }

    /// <summary>What agreements tell apart of what is used: what an allowance is for by tier and charge, and all else of a region together.</summary>
    private sealed class Apart
    {
        // No allowance is for leaving early: it stands for all that none is for.
        private const Charge Rest = Charge.EarlyLeave;

        private readonly List<UsedCharge> lines = [];
        private readonly Dictionary<string, int[]> lineOf;
        private readonly int charges = Enum.GetValues<Charge>().Length;

        public Apart(PriceBook prices)
        {
            var isSettled = Settlement.DependsOnUse(prices);
            lineOf = prices.Regions.ToDictionary(r => r.Id, r => new int[prices.Tiers.Count * charges]);
            foreach (var (region, own) in lineOf)
            {
                for (var at = 0; at < own.Length; at++)
                {
                    var (tier, charge) = (prices.Tiers[at / charges].Id, (Charge)(at % charges));
                    var line =
                        !isSettled ? new UsedCharge("", "", Rest, 0, 0)
                        : prices.Agreements.Allowances.Any(a => a.Takes(region, tier, charge)) ? new(region, tier, charge, 0, 0)
                        : new(region, "", Rest, 0, 0);
                    if ((own[at] = lines.IndexOf(line)) < 0)
                    {
                        own[at] = lines.Count;
                        lines.Add(line);
                    }
                }
            }
        }

        public int Count => lines.Count;

        public UsedCharge[] Empty() => [.. lines];

        public int Line(string region, int tier, Charge charge) => lineOf[region][(tier * charges) + (int)charge];
    }
}
