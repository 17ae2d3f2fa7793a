using Ripen.Core.Ageing;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Replication;

namespace Ripen.Core.Tests;

/// <summary>What old runs left, taken together, against each run told by itself to its end.</summary>
public sealed class SettledPacksTests
{
    private const int Days = 600;

    [Fact]
    public void Together_they_rest_as_each_by_itself_on_every_day_in_every_tier() =>
        RandomPlans.Check(
            80,
            estate =>
            {
                var copies = IncomingCopies.Of(estate, Days);
                foreach (var bucket in estate.Buckets)
                {
                    var (alone, together, atOnce) = (new Rests(estate), new Rests(estate), new Rests(estate));
                    var runByRun = new double[estate.PriceBook.Tiers.Count];
                    foreach (var packs in PacksInBucket.Of(bucket, copies, estate.PriceBook, estate.Today))
                    {
                        alone.Packs = together.Packs = atOnce.Packs = packs;
                        foreach (var life in packs.Lives)
                        {
                            life.Tell(estate.Today, Days, alone);
                            life.TellUntilSettled(estate.Today, Days, estate.PriceBook, together);
                        }
                        if (packs.Settled is not { } settled)
                            continue;
                        foreach (var branch in packs.Branches)
                        {
                            settled.Tell(branch, Days, together.RestSettled);
                            settled.Tell(branch, Days, atOnce.RestSettled);
                            runByRun[settled.Stay.Tier] += settled.On(branch, Days - 1).Sum(p => p.Objects) * packs.BytesPerObject;
                        }
                    }
                    if (alone.Difference(together) is { } found)
                        return $"{bucket.Name}: {found}";
                    if (atOnce.DifferenceAtEnd(runByRun) is { } otherwise)
                        return $"{bucket.Name}: {otherwise}";
                }
                return null;
            }
        );

    /// <summary>Worked by hand: 100 GB, of which 1 % is rewritten each day, in points that are kept for 3 days. Of the 100 GB that the oldest
    /// of the three points needs each part was stored by some run; the later two need 1 GB each beside it.</summary>
    [Fact]
    public void A_rolling_window_of_points_holds_the_same_every_night()
    {
        var example = EstateDocument.Read(File.ReadAllText("Examples/ferry-backups.json")).Value;
        var estate = example with
        {
            Buckets = [.. example.Buckets.Select(b => b with { Stock = [], Streams = [], Rules = [], Keep = null, CopyTo = [] })],
            Workloads =
            [
                example.Workloads[0] with
                {
                    Bytes = 100e9,
                    YearlyGrowth = 0,
                    Changing = 1,
                    DailyChange = 0.01,
                    Unique = 1,
                    Compression = 1,
                    EncryptedAtSource = false,
                },
            ],
            Targets = [example.Targets[0] with { Deduplicates = true }],
            Plans =
            [
                new BackupPlan
                {
                    Id = "nightly",
                    Workloads = [example.Workloads[0].Id],
                    Target = example.Targets[0].Id,
                    Every = new Cadence { Days = 1 },
                    Keep = new PointRetention { Days = 3 },
                },
            ],
        };
        var usage = Projection.Of(estate, 24).Usages.Single(u => u.Bucket.Name == estate.Targets[0].Bucket);
        var landing = estate.PriceBook.Coldness(usage.Bucket.Tier);
        Assert.All(usage.Of(landing, Measure.BytesAtEnd).ToArray(), bytes => Assert.Equal(102e9, bytes, 1e-1));
    }

    /// <summary>Bytes by day and tier, what they are watched for, and what is charged for leaving too soon.</summary>
    private sealed class Rests(Estate estate) : IPackWitness
    {
        private readonly double[,] bytes = new double[Days, estate.PriceBook.Tiers.Count];
        private readonly double[] watched = new double[Days];
        private readonly double[] early = new double[Days];
        private readonly double[] moved = new double[Days];

        public PacksHere Packs { get; set; } = null!;

        public void RestSettled(int from, int to, double objects) =>
            Rest(from, to, Packs.Settled!.Stay.Tier, objects, Packs.Settled.Stay.IsWatched);

        public void Rest(int from, int to, int tier, NeededPacks packs, bool isWatched) => Rest(from, to, tier, Objects(packs), isWatched);

        private double Objects(NeededPacks packs) => Packs.Branches.Sum(packs.Objects);

        private void Rest(int from, int to, int tier, double objects, bool isWatched)
        {
            for (var day = from; day < Math.Min(to, Days); day++)
            {
                bytes[day, tier] += objects * Packs.BytesPerObject;
                watched[day] += isWatched ? objects : 0;
            }
        }

        public void Leave(int day, int tier, int since, NeededPacks packs, int next) =>
            early[day] +=
                Math.Max(0, estate.PriceBook.Tiers[tier].DaysShort(day - since)) * (Objects(packs) - Objects(packs with { Point = next }));

        public void MoveIn(int day, int tier, NeededPacks packs) => moved[day] += Objects(packs);

        public void EndStay(int day, NeededPacks packs, Stay[] stays, int stay, bool forGood) { }

        public string? DifferenceAtEnd(double[] byTier) =>
            Enumerable
                .Range(0, estate.PriceBook.Tiers.Count)
                .Where(tier => !Compare.Close(bytes[Days - 1, tier], byTier[tier]))
                .Select(tier => $"tier {tier} holds {bytes[Days - 1, tier]} at once and {byTier[tier]} run by run")
                .FirstOrDefault();

        public string? Difference(Rests other)
        {
            for (var day = 0; day < Days; day++)
            {
                for (var tier = 0; tier < estate.PriceBook.Tiers.Count; tier++)
                {
                    if (!Compare.Close(bytes[day, tier], other.bytes[day, tier]))
                        return $"day {day}, tier {tier}: {bytes[day, tier]} bytes by themselves, {other.bytes[day, tier]} together";
                }
                if (!Compare.Close(watched[day], other.watched[day]) || !Compare.Close(early[day], other.early[day]))
                    return $"day {day}: watched or charged otherwise";
                if (!Compare.Close(moved[day], other.moved[day]))
                    return $"day {day}: {moved[day]} moved by themselves, {other.moved[day]} together";
            }
            return null;
        }
    }
}
