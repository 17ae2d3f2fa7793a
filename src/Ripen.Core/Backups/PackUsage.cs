using System.Runtime.InteropServices;
using Ripen.Core.Ageing;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>
/// What packs use in a bucket by stretch and tier, as a matrix of what points need of runs by what that adds to: the lives of packs are told
/// once, and what each branch stored is multiplied with it.
/// </summary>
internal sealed class PackUsage : IPackWitness
{
    /// <summary>What a point needs, without what the next one needs of it where that stays.</summary>
    /// <param name="Run">Whose packs.</param>
    /// <param name="Days">From the run to the point.</param>
    /// <param name="NextDays">To the next point; <see cref="Never"/> where nothing stays.</param>
    /// <param name="Part">Of all that the run stored.</param>
    /// <param name="First">Of its entries.</param>
    private readonly record struct Column(int Run, int Days, int NextDays, double Part, int First);

    private const int Never = -1;

    private readonly List<Column> columns = [];
    private readonly List<(int Row, int Stretch, double Weight)> entries = [];
    private readonly BillingCalendar calendar;
    private readonly PriceBook prices;
    private readonly int landing;
    private readonly SettledPacks? settled;
    private readonly PointTimes times;
    private readonly long bytesPerObject;
    private (NeededPacks Packs, int Next) last = (default, Never - 1);

    /// <param name="calendar">Of the projection.</param>
    /// <param name="prices">For sizes, stays and order of the tiers.</param>
    /// <param name="landing">The coldness of the bucket's landing tier, which bears the index of what rests elsewhere.</param>
    /// <param name="packs">Told here.</param>
    public PackUsage(BillingCalendar calendar, PriceBook prices, int landing, PacksHere packs)
    {
        (this.calendar, this.prices, this.landing) = (calendar, prices, landing);
        (times, settled, bytesPerObject) = (packs.Branches[0].Times, packs.Settled, packs.BytesPerObject);
        foreach (var life in packs.Lives)
        {
            if (life.Arrived >= 0 && life.Arrived < calendar.Days)
                Once(life.Arrived, life.Landing, Measure.Writes, new NeededPacks(life.Run, life.Run, life.Part));
            life.TellUntilSettled(calendar.Today, calendar.Days, prices, this);
        }
    }

    /// <summary>Adds what the packs of all branches use.</summary>
    /// <param name="rows">Of the bucket.</param>
    /// <param name="branches">Those told here, or the same that store more or less.</param>
    public void AddTo(UsageRows rows, IReadOnlyList<Branch> branches)
    {
        var surviving = new Surviving[columns.Count == 0 ? 0 : columns.Max(c => Math.Max(c.Days, c.NextDays)) + 1];
        var pile = settled is null ? null : new SettledUsage(calendar, settled);
        foreach (var branch in branches)
        {
            if (branch.Deduplicates)
                branch.Content.Fill(surviving);
            else
                Array.Fill(surviving, new Surviving(1, 1));
            AddTo(rows, branch.Planned, surviving);
            pile?.Tell(branch);
        }
        pile?.AddTo(rows, this);
    }

    private void AddTo(UsageRows rows, ReadOnlySpan<Content> stored, ReadOnlySpan<Surviving> surviving)
    {
        var columns = CollectionsMarshal.AsSpan(this.columns);
        var entries = CollectionsMarshal.AsSpan(this.entries);
        for (var c = 0; c < columns.Length; c++)
        {
            ref readonly var column = ref columns[c];
            var bytes = (stored[column.Run] * surviving[column.Days]).Total;
            if (column.NextDays != Never)
                bytes = Math.Max(0, bytes - (stored[column.Run] * surviving[column.NextDays]).Total);
            if (bytes == 0)
                continue;
            var objects = bytes * column.Part / bytesPerObject;
            foreach (ref readonly var entry in entries[column.First..(c + 1 < columns.Length ? columns[c + 1].First : entries.Length)])
                rows.Add(entry.Row, entry.Stretch, objects * entry.Weight);
        }
    }

    public void Rest(int from, int to, int tier, NeededPacks packs, bool watched)
    {
        Begin(packs, PointTimes.Nobody);
        for (var m = calendar.StretchOf(from); m < calendar.Stretches && calendar.Start(m) < to; m++)
        {
            var (first, end) = (Math.Max(from, calendar.Start(m)), Math.Min(to, calendar.Start(m + 1)));
            Weigh(m, tier, end - first, end == calendar.Start(m + 1) ? 1 : 0, watched, entries);
        }
    }

    public void Leave(int day, int tier, int since, NeededPacks packs, int next)
    {
        var of = prices.Tiers[tier];
        if (of.DaysShort(day - since) is > 0 and var missing)
            Once(day, tier, Measure.EarlyLeaveByteDays, packs, missing * of.BilledBytes(bytesPerObject), next);
    }

    public void MoveIn(int day, int tier, NeededPacks packs) => Once(day, tier, Measure.Moves, packs);

    public void EndStay(int day, NeededPacks packs, Stay[] stays, int stay, bool forGood) { }

    /// <summary>What adds up of packs that rest in a tier in a stretch.</summary>
    private void Weigh(int stretch, int tier, double objectDays, double objectsAtEnd, bool watched, List<(int, int, double)> into)
    {
        var of = prices.Tiers[tier];
        into.Add((UsageRows.Place(tier, Measure.StoredByteDays), stretch, objectDays * of.BilledBytes(bytesPerObject)));
        if (of.IndexBytes > 0)
            into.Add((UsageRows.Place(landing, Measure.StoredByteDays), stretch, objectDays * of.IndexBytes));
        if (watched)
            into.Add((UsageRows.Place(tier, Measure.WatchedObjectDays), stretch, objectDays));
        if (objectsAtEnd > 0)
            into.Add((UsageRows.Place(tier, Measure.BytesAtEnd), stretch, objectsAtEnd * bytesPerObject));
    }

    private void Once(int day, int tier, Measure measure, NeededPacks packs, double weight = 1, int next = PointTimes.Nobody)
    {
        Begin(packs, next);
        entries.Add((UsageRows.Place(tier, measure), calendar.StretchOf(day), weight));
    }

    private void Begin(NeededPacks packs, int next)
    {
        if (last == (packs, next))
            return;
        last = (packs, next);
        columns.Add(new Column(packs.Run, Days(packs.Run, packs.Point), Days(packs.Run, next), packs.Part, entries.Count));
    }

    private int Days(int run, int point) => point == PointTimes.Nobody ? Never : times.Day(point).DayNumber - times.Day(run).DayNumber;

    /// <summary>Object-days, and objects at the end, by stretch, of what rests in one tier for good.</summary>
    private sealed class SettledUsage(BillingCalendar calendar, SettledPacks settled)
    {
        private readonly double[] objectDays = new double[calendar.Stretches];
        private readonly double[] atEnd = new double[calendar.Stretches];
        private int stretch;

        public void Tell(Branch branch)
        {
            stretch = 0;
            settled.Tell(branch, calendar.Days, Rest);
        }

        public void AddTo(UsageRows rows, PackUsage usage)
        {
            var used = new List<(int, int, double)>();
            for (var m = 0; m < objectDays.Length; m++)
            {
                if (objectDays[m] > 0)
                    usage.Weigh(m, settled.Stay.Tier, objectDays[m], atEnd[m], settled.Stay.IsWatched, used);
            }
            foreach (var (row, stretch, amount) in used)
                rows.Add(row, stretch, amount);
        }

        /// <summary>Told in order of time.</summary>
        private void Rest(int from, int to, double objects)
        {
            for (; calendar.Start(stretch + 1) <= from; stretch++) { }
            for (var m = stretch; m < objectDays.Length && calendar.Start(m) < to; m++)
            {
                var end = Math.Min(to, calendar.Start(m + 1));
                objectDays[m] += objects * (end - Math.Max(from, calendar.Start(m)));
                if (end == calendar.Start(m + 1))
                    atEnd[m] += objects;
            }
        }
    }
}
