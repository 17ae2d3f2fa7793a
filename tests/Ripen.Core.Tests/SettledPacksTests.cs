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
                    var (alone, together) = (new Rests(estate), new Rests(estate));
                    var piles = new HashSet<SettledPacks>();
                    foreach (var (packs, life, _) in PacksInBucket.Of(bucket, copies, estate.PriceBook, estate.Today))
                    {
                        alone.BytesPerObject = together.BytesPerObject = packs.BytesPerObject;
                        life.Tell(estate.Today, Days, alone);
                        life.TellUntilSettled(estate.Today, Days, estate.PriceBook, together);
                        if (life.Settled is { } pile)
                            piles.Add(pile);
                    }
                    foreach (var pile in piles)
                    {
                        together.BytesPerObject = pile.BytesPerObject;
                        pile.Tell(Days, together);
                    }
                    if (alone.Difference(together) is { } found)
                        return $"{bucket.Name}: {found}";
                    var runByRun = piles.SelectMany(p => p.On(Days - 1)).GroupBy(p => p.Tier).ToDictionary(g => g.Key, Bytes);
                    var atOnce = new Rests(estate);
                    foreach (var pile in piles)
                    {
                        atOnce.BytesPerObject = pile.BytesPerObject;
                        pile.Tell(Days, atOnce);
                    }
                    if (atOnce.DifferenceAtEnd(runByRun) is { } otherwise)
                        return $"{bucket.Name}: {otherwise}";
                }
                return null;
            }
        );

    private static double Bytes(IEnumerable<(PacksCame Packs, int Tier, double Objects)> packs) =>
        packs.Sum(p => p.Objects * p.Packs.BytesPerObject);

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

        public long BytesPerObject { get; set; }

        public void Rest(int from, int to, int tier, double objects, bool isWatched)
        {
            for (var day = from; day < Math.Min(to, Days); day++)
            {
                bytes[day, tier] += objects * BytesPerObject;
                watched[day] += isWatched ? objects : 0;
            }
        }

        public void Leave(int day, int tier, int since, double objects) =>
            early[day] += Math.Max(0, estate.PriceBook.Tiers[tier].DaysShort(day - since)) * objects;

        public void MoveIn(int day, int tier, double objects) => moved[day] += objects;

        public string? DifferenceAtEnd(Dictionary<int, double> byTier) =>
            Enumerable
                .Range(0, estate.PriceBook.Tiers.Count)
                .Where(tier => !Compare.Close(bytes[Days - 1, tier], byTier.GetValueOrDefault(tier)))
                .Select(tier => $"tier {tier} holds {bytes[Days - 1, tier]} at once and {byTier.GetValueOrDefault(tier)} run by run")
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
