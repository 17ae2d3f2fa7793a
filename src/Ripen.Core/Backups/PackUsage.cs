using Ripen.Core.Ageing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>
/// What packs use in a bucket by month and tier, as a matrix of what points need of runs by what that adds to: the lives of packs are told
/// once, and what each branch stored is multiplied with it.
/// </summary>
internal sealed class PackUsage : IPackWitness
{
    /// <summary>What a point needs, without what the next one needs of it where that stays.</summary>
    private readonly record struct Column(NeededPacks Packs, int Next, int First);

    private readonly List<Column> columns = [];
    private readonly List<(int At, double Weight)> entries = [];
    private readonly List<(int At, double Weight)> settledWeights = [];
    private readonly BillingCalendar calendar;
    private readonly PriceBook prices;
    private readonly int landing;
    private readonly PacksHere packs;

    /// <param name="calendar">Of the projection.</param>
    /// <param name="prices">For sizes, stays and order of the tiers.</param>
    /// <param name="landing">The coldness of the bucket's landing tier, which bears the index of what rests elsewhere.</param>
    /// <param name="packs">Told here.</param>
    public PackUsage(BillingCalendar calendar, PriceBook prices, int landing, PacksHere packs)
    {
        (this.calendar, this.prices, this.landing, this.packs) = (calendar, prices, landing, packs);
        foreach (var life in packs.Lives)
        {
            if (life.Arrived >= 0 && life.Arrived < calendar.Days)
                Once(life.Arrived, life.Landing, Measure.Writes, new NeededPacks(life.Run, life.Run, life.Part));
            life.TellUntilSettled(calendar.Today, calendar.Days, prices, this);
        }
    }

    /// <summary>Adds what the packs of all branches use.</summary>
    /// <param name="amounts">Of the bucket, in the order of <see cref="BucketUsage.RowAt"/>.</param>
    public void AddTo(double[] amounts)
    {
        foreach (var branch in packs.Branches)
        {
            for (var c = 0; c < columns.Count; c++)
            {
                var (of, next, first) = columns[c];
                var objects = of.Objects(branch);
                if (next != PointTimes.Nobody)
                    objects = Math.Max(0, objects - (of with { Point = next }).Objects(branch));
                if (objects == 0)
                    continue;
                var end = c + 1 < columns.Count ? columns[c + 1].First : entries.Count;
                for (var e = first; e < end; e++)
                    amounts[entries[e].At] += objects * entries[e].Weight;
            }
            packs.Settled?.Tell(branch, calendar.Days, Settle);
        }

        void Settle(int from, int to, double objects)
        {
            settledWeights.Clear();
            Weigh(from, to, packs.Settled.Stay.Tier, packs.Settled.Stay.IsWatched, settledWeights);
            foreach (var (at, weight) in settledWeights)
                amounts[at] += objects * weight;
        }
    }

    public void Rest(int from, int to, int tier, NeededPacks packs, bool watched)
    {
        Begin(packs, PointTimes.Nobody);
        Weigh(from, to, tier, watched, entries);
    }

    public void Leave(int day, int tier, int since, NeededPacks packs, int next)
    {
        var of = prices.Tiers[tier];
        if (of.DaysShort(day - since) is > 0 and var missing)
            Once(day, tier, Measure.EarlyLeaveByteDays, packs, missing * of.BilledBytes(this.packs.BytesPerObject), next);
    }

    public void MoveIn(int day, int tier, NeededPacks packs) => Once(day, tier, Measure.Moves, packs);

    /// <summary>What an object adds that rests in a tier on the days [from, to).</summary>
    private void Weigh(int from, int to, int tier, bool watched, List<(int At, double Weight)> into)
    {
        var of = prices.Tiers[tier];
        var billed = of.BilledBytes(packs.BytesPerObject);
        for (var m = calendar.MonthOf(from); m < calendar.Months && calendar.Start(m) < to; m++)
        {
            var (first, end) = (Math.Max(from, calendar.Start(m)), Math.Min(to, calendar.Start(m + 1)));
            into.Add((Row(tier, Measure.StoredByteDays) + m, (end - first) * billed));
            if (of.IndexBytes > 0)
                into.Add((Row(landing, Measure.StoredByteDays) + m, (end - first) * (double)of.IndexBytes));
            if (watched)
                into.Add((Row(tier, Measure.WatchedObjectDays) + m, end - first));
            if (end == calendar.Start(m + 1))
                into.Add((Row(tier, Measure.BytesAtEnd) + m, packs.BytesPerObject));
        }
    }

    private void Once(int day, int tier, Measure measure, NeededPacks packs, double weight = 1, int next = PointTimes.Nobody)
    {
        Begin(packs, next);
        entries.Add((Row(tier, measure) + calendar.MonthOf(day), weight));
    }

    private void Begin(NeededPacks packs, int next)
    {
        if (columns.Count == 0 || columns[^1].Packs != packs || columns[^1].Next != next)
            columns.Add(new Column(packs, next, entries.Count));
    }

    private int Row(int tier, Measure measure) => BucketUsage.RowAt(tier, measure, calendar);
}
