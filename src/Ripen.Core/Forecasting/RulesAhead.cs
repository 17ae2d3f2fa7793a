using Ripen.Core.Ageing;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Forecasting;

/// <summary>What a rule does in a month, in expectation.</summary>
/// <param name="Month">Of the calendar.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Deed">What is done.</param>
/// <param name="Rule">By which; null where objects are overwritten by later arrivals, and for what the bucket does with unfinished
/// uploads.</param>
/// <param name="From">The tier where they lie.</param>
/// <param name="To">Where they move; null for nowhere.</param>
/// <param name="Objects">How many, as they lie there.</param>
/// <param name="Bytes">Of all of them.</param>
/// <param name="Charge">For moving or bundling, and for leaving early.</param>
public sealed record RuleDeed(
    Month Month,
    string Bucket,
    NightDeed Deed,
    string? Rule,
    string From,
    string? To,
    double Objects,
    double Bytes,
    double Charge
);

/// <summary>What one rule does in all months, in their order.</summary>
public sealed record RuleYear(
    string Bucket,
    NightDeed Deed,
    string? Rule,
    string From,
    string? To,
    IReadOnlyList<double> Objects,
    IReadOnlyList<double> Bytes,
    IReadOnlyList<double> Charges
);

/// <summary>What rules will do, with a row a rule and deed.</summary>
/// <param name="Months">The columns.</param>
/// <param name="Rows">By bucket and rule; as many as were asked for.</param>
/// <param name="InAll">How many rows there are.</param>
/// <param name="Objects">Of all rows, by month.</param>
/// <param name="Bytes">Of all rows, by month.</param>
/// <param name="Charges">Of all rows, by month.</param>
public sealed record RulesAheadReading(
    IReadOnlyList<Month> Months,
    IReadOnlyList<RuleYear> Rows,
    int InAll,
    IReadOnlyList<double> Objects,
    IReadOnlyList<double> Bytes,
    IReadOnlyList<double> Charges
)
{
    /// <param name="deeds">By month.</param>
    /// <param name="today">In the first month.</param>
    /// <param name="months">How many.</param>
    /// <param name="most">Rows that are told.</param>
    public static RulesAheadReading Of(IReadOnlyList<RuleDeed> deeds, DateOnly today, int months, int most)
    {
        List<Month> columns = [.. Enumerable.Range(0, months).Select(m => Month.Of(today.AddMonths(m)))];
        var rows = deeds
            .GroupBy(d => (d.Bucket, Rule: d.Rule ?? "", d.Deed, d.From, To: d.To ?? ""))
            .OrderBy(g => g.Key.Bucket, StringComparer.Ordinal)
            .ThenBy(g => g.Key.Rule, StringComparer.Ordinal)
            .ThenBy(g => g.Key.Deed)
            .ToList();
        return new(
            columns,
            [
                .. rows.Take(most)
                    .Select(g =>
                    {
                        var first = g.First();
                        var by = g.ToDictionary(d => d.Month);
                        return new RuleYear(
                            first.Bucket,
                            first.Deed,
                            first.Rule,
                            first.From,
                            first.To,
                            By(by, d => d.Objects),
                            By(by, d => d.Bytes),
                            By(by, d => d.Charge)
                        );
                    }),
            ],
            rows.Count,
            Together(d => d.Objects),
            Together(d => d.Bytes),
            Together(d => d.Charge)
        );

        List<double> By(Dictionary<Month, RuleDeed> deedsBy, Func<RuleDeed, double> figure) =>
            columns.ConvertAll(m => deedsBy.TryGetValue(m, out var deed) ? figure(deed) : 0);

        List<double> Together(Func<RuleDeed, double> figure)
        {
            var sums = deeds.GroupBy(d => d.Month).ToDictionary(g => g.Key, g => g.Sum(figure));
            return columns.ConvertAll(m => sums.GetValueOrDefault(m));
        }
    }
}

/// <summary>
/// What rules will do, month by month: the sums of what each night does, computed from the same lives as the bill. What arrives meanwhile is
/// in it, and packs that plans will store.
/// </summary>
public static class RulesAhead
{
    /// <summary>By month, bucket, rule and deed.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="months">From 1 to <see cref="BillingCalendar.MostMonths"/>.</param>
    /// <param name="only">A bucket; null for all.</param>
    public static IReadOnlyList<RuleDeed> Of(Estate estate, int months, string? only = null)
    {
        var calendar = new BillingCalendar(estate.Today, months, estate.PriceBook);
        var copies = IncomingCopies.Of(estate, calendar.Days);
        var growth = new GrowthTable.Shelf(calendar.Days);
        var told = new List<RuleDeed>();
        foreach (var bucket in estate.Buckets.Where(b => only is null || b.Name == only))
        {
            var tally = new Tally(bucket, estate.PriceBook, calendar);
            foreach (
                var population in Population.Of(bucket, copies.Into(bucket.Name), estate.PriceBook, estate.Today, calendar.Days, growth)
            )
            {
                foreach (var life in population.Lives)
                    tally.Add(life, population.Lifecycle);
                if (population.Read is { } read)
                    tally.Add(read);
            }
            foreach (var packs in PacksInBucket.Of(bucket, copies, estate.PriceBook, estate.Today))
                tally.Add(packs, estate.Today);
            foreach (var parts in bucket.Unfinished)
                tally.Add(parts);
            told.AddRange(tally.Close());
        }
        return [.. told.OrderBy(d => d.Month.ToString(), StringComparer.Ordinal)];
    }

    private sealed class Sum
    {
        public double Objects;
        public double Bytes;
        public double Bundled;
        public double Bundles;
        public double EarlyByteDays;
    }

    private sealed class Tally(Bucket bucket, PriceBook prices, BillingCalendar calendar)
    {
        private readonly SortedDictionary<(int Stretch, string Rule, NightDeed Deed, int From, int To), Sum> sums = [];

        private Sum Of(int stretch, NightDeed deed, string? rule, int from, int? to)
        {
            var key = (stretch, rule ?? "", deed, from, to ?? -1);
            return sums.TryGetValue(key, out var sum) ? sum : sums[key] = new Sum();
        }

        public void Add(Life life, Lifecycle lifecycle)
        {
            for (var i = 0; i < life.Stays.Length; i++)
            {
                if (i + 1 < life.Stays.Length)
                    AddLeaving(life, i, lifecycle);
                else if (life.EndsByAge)
                    AddEnd(life, i, lifecycle);
                AddGoneTogether(life, i, lifecycle);
            }
        }

        public void Add(PacksHere packs, DateOnly today)
        {
            foreach (var life in packs.Lives)
                life.Tell(today, calendar.Days, new PackDeeds(this, packs.Branches, life));
        }

        /// <summary>If nothing more comes of them.</summary>
        public void Add(UnfinishedLot parts)
        {
            if (parts.Until(bucket) is not { } until)
                return;
            var day = until.DayNumber - calendar.Today.DayNumber;
            if (day >= calendar.Days)
                return;
            var sum = Of(calendar.StretchOf(day), NightDeed.Discards, null, prices.Coldness(bucket.Tier), null);
            sum.Objects += parts.Uploads;
            sum.Bytes += parts.Parts * parts.BytesPerPart;
        }

        /// <summary>Told what rules do with packs; what no point needs any more leaves by its plan.</summary>
        private sealed class PackDeeds(Tally tally, IReadOnlyList<Branch> branches, PackLife life) : IPackWitness
        {
            public void Rest(int from, int to, int tier, NeededPacks packs, bool watched) { }

            public void Leave(int day, int tier, int since, NeededPacks packs, int next) { }

            public void MoveIn(int day, int tier, NeededPacks packs) { }

            public void EndStay(int day, NeededPacks packs, Stay[] stays, int stay, bool forGood)
            {
                var (objects, stretch) = (branches.Sum(packs.Objects), tally.StretchOf(day));
                var lifecycle = life.Paths.Lifecycle;
                if (objects == 0)
                    return;
                if (forGood)
                    tally.PutEnd(stretch, stays[stay], day - life.Created, lifecycle, objects);
                else if (StepAfter(stays, stay, lifecycle) is { } step)
                    tally.PutStep(stretch, stays[stay], step, objects);
            }
        }

        private int StretchOf(int day) => calendar.StretchOf(day);

        /// <summary>What ends a stay that another follows; null where that was told with the one before.</summary>
        private static (NightDeed Deed, string? By, Stay To)? StepAfter(Stay[] stays, int i, Lifecycle lifecycle)
        {
            var (stay, next) = (stays[i], stays[i + 1]);
            var steppedBack = i > 0 && stay.IsEarlier && !stays[i - 1].IsEarlier;
            // What moves in the night in which it steps back does both at once.
            if (steppedBack && stay.From == stay.To)
                return null;
            if (!next.IsEarlier || stay.IsEarlier)
                return (NightDeed.Moves, next.By, next);
            var to = next.From == next.To && i + 2 < stays.Length ? stays[i + 2] : next;
            return (NightDeed.StepsBack, lifecycle.OverBy(stay.To, earlier: false), to);
        }

        private void AddLeaving(Life life, int i, Lifecycle lifecycle)
        {
            if (StepAfter(life.Stays, i, lifecycle) is not { } step)
                return;
            var stay = life.Stays[i];
            for (var s = calendar.StretchOf(Math.Max(0, life.Cohorts.First + stay.To)); s < calendar.Stretches; s++)
                PutStep(
                    s,
                    stay,
                    step,
                    life.Cohorts.Count(calendar.Start(s) - stay.To, Math.Min(calendar.Start(s + 1), life.GoneOn) - stay.To)
                );
        }

        private void PutStep(int stretch, Stay stay, (NightDeed Deed, string? By, Stay To) step, double left)
        {
            if (left == 0)
                return;
            var stays = step.To.Tier == stay.Tier;
            var sum = Of(stretch, step.Deed, step.By, stay.Tier, stays ? null : step.To.Tier);
            Put(sum, stay, left, stays ? 0 : DaysShort(stay, stay.To));
            if (step.To.Form == stay.Form)
                return;
            sum.Bundled += left * stay.Form.Count;
            sum.Bundles += left * step.To.Form.Count;
        }

        private void AddEnd(Life life, int i, Lifecycle lifecycle)
        {
            var stay = life.Stays[i];
            for (var s = calendar.StretchOf(Math.Max(0, life.Cohorts.First + stay.To)); s < calendar.Stretches; s++)
                PutEnd(s, stay, stay.To, lifecycle, life.Removed(i, calendar.Start(s), calendar.Start(s + 1)));
        }

        private void PutEnd(int stretch, Stay stay, int age, Lifecycle lifecycle, double gone)
        {
            if (gone > 0)
                Put(Of(stretch, NightDeed.Expires, OverBy(lifecycle, stay, age), stay.Tier, null), stay, gone, DaysShort(stay, age));
        }

        /// <summary>On the first day on which nothing keeps them any more, those of each age.</summary>
        private void AddGoneTogether(Life life, int i, Lifecycle lifecycle)
        {
            var stay = life.Stays[i];
            if (life.GoneOn >= calendar.Days)
                return;
            var stretch = calendar.StretchOf(life.GoneOn);
            var to = Math.Min(stay.To, life.GoneOn - life.Cohorts.First + 1);
            for (var age = Math.Max(stay.From, life.GoneOn - life.Cohorts.End + 1); age < to; age++)
                PutEnd(stretch, stay, age, lifecycle, life.Cohorts.Count(life.GoneOn - age, life.GoneOn - age + 1));
        }

        public void Add(ReadPopulation population)
        {
            var life = population.Life;
            var (there, gone) = (new AgeWeights(life.Ages), new AgeWeights(life.Ages));
            for (var m = 0; m < calendar.Stretches; m++)
            {
                population.Weigh(calendar.Start(m), calendar.Start(m + 1), there, gone);
                foreach (var ((deed, rule, from, to), told) in life.Deeds)
                    Add(told, there, m, deed, rule, from, to);
                foreach (var ((rule, from), told) in life.EndsIfGone)
                    Add(told, gone, m, NightDeed.Expires, rule, from, null);
            }
        }

        private void Add(ReadDeed told, AgeWeights weights, int stretch, NightDeed deed, string? rule, int from, int? to)
        {
            var (objects, bytes) = (weights.Dot(told.Objects), weights.Dot(told.Bytes));
            if (objects == 0 && bytes == 0)
                return;
            var sum = Of(stretch, deed, rule, from, to);
            sum.Objects += objects;
            sum.Bytes += bytes;
            sum.Bundled += weights.Dot(told.Bundled);
            sum.Bundles += weights.Dot(told.Bundles);
            sum.EarlyByteDays += weights.Dot(told.Early);
        }

        public IEnumerable<RuleDeed> Close()
        {
            foreach (
                var months in sums.GroupBy(s =>
                    (Month: calendar.MonthOfStretch(s.Key.Stretch), s.Key.Rule, s.Key.Deed, s.Key.From, s.Key.To)
                )
            )
            {
                var (month, rule, deed, from, to) = months.Key;
                yield return new RuleDeed(
                    Month.Of(calendar.Date(month)),
                    bucket.Name,
                    deed,
                    rule.Length > 0 ? rule : null,
                    prices.Tiers[from].Id,
                    to >= 0 ? prices.Tiers[to].Id : null,
                    months.Sum(s => s.Value.Objects),
                    months.Sum(s => s.Value.Bytes),
                    months.Sum(s => Charge(s.Key.Stretch, s.Value, from, to))
                );
            }
        }

        private double Charge(int stretch, Sum sum, int from, int to)
        {
            var book = prices.AmountsOn(calendar.Today.AddDays(calendar.Start(stretch)));
            var unitMonths = sum.EarlyByteDays / prices.Unit.Bytes() / calendar.BilledDays(stretch);
            var colder = to < 0 ? null : prices.Tiers[to].Id;
            return PricedTerm
                .OfLeaving(book, bucket, prices.Tiers[from].Id, colder, sum.Objects, sum.Bundled, sum.Bundles, unitMonths)
                .Sum(t => t.Amount);
        }

        private static string? OverBy(Lifecycle lifecycle, Stay stay, int age) =>
            lifecycle.OverBy(age - (stay.Superseded ?? 0), stay.IsEarlier);

        private int DaysShort(Stay stay, int age) => prices.Tiers[stay.Tier].DaysShort(age - stay.Since);

        private void Put(Sum sum, Stay stay, double came, int daysShort)
        {
            var objects = came * stay.Form.Count;
            sum.Objects += objects;
            sum.Bytes += objects * stay.Form.BytesPerObject;
            sum.EarlyByteDays += objects * daysShort * prices.Tiers[stay.Tier].BilledBytes(stay.Form.BytesPerObject);
        }
    }
}
