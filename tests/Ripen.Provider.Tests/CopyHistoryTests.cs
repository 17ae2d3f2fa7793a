using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Estates;
using Ripen.Core.Tests;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Tests;

/// <summary>
/// Random histories of writing, deleting, cutting and losing, with two buckets that copy to each other: whatever happened, after quiet time
/// both sides are equal; and what the loss of a region lists is exactly what is gone when it comes back empty.
/// </summary>
public sealed class CopyHistoryTests
{
    private static readonly string[] Keys = ["a", "a/b", "z"];
    private static readonly string[] Buckets = ["harbour", "far-away"];

    private enum Deed
    {
        Write,
        Delete,
        TakeBack,
        Cut,
        CutForAWhile,
        Restore,
        Lose,
        Return,
        Pass,
        Restart,
    }

    private sealed record Entry(string Key, long Root, bool IsDeletion, string? Sha);

    private static Gen<List<(Deed Deed, int Bucket, int Key, int Pick)>> Histories { get; } =
        from n in Gen.Choose(5, 40)
        from deeds in Gen.ListOf(
            from deed in Gen.Frequency(
                (10, Gen.Constant(Deed.Write)),
                (4, Gen.Constant(Deed.Delete)),
                (2, Gen.Constant(Deed.TakeBack)),
                (1, Gen.Constant(Deed.Cut)),
                (1, Gen.Constant(Deed.CutForAWhile)),
                (2, Gen.Constant(Deed.Restore)),
                (1, Gen.Constant(Deed.Lose)),
                (2, Gen.Constant(Deed.Return)),
                (5, Gen.Constant(Deed.Pass)),
                (1, Gen.Constant(Deed.Restart))
            )
            from bucket in Gen.Choose(0, 1)
            from key in Gen.Choose(0, Keys.Length - 1)
            from pick in Gen.Choose(0, 1000)
            select (deed, bucket, key, pick),
            n
        )
        select deeds.ToList();

    private static readonly Estate Estate = TwoPlaces.Estate(
        new CopyRule
        {
            Bucket = "far-away",
            FollowDeletions = true,
            Tier = "pantry",
        },
        0.001,
        new CopyRule { Bucket = "harbour", FollowDeletions = true },
        roundTrip: 90,
        harbour: b =>
            b with
            {
                Streams =
                [
                    new ObjectStream
                    {
                        Prefix = "s/",
                        ObjectsPerDay = 2.5,
                        BytesPerObject = 100_000,
                    },
                ],
            }
    );

    [Fact]
    public void After_quiet_time_both_sides_are_equal_and_nothing_acknowledged_is_missing() =>
        Prop.ForAll(
                Arb.From(Histories),
                history =>
                {
                    using var provider = new TestProvider(Estate);
                    var acknowledged = Live(provider, history);
                    foreach (var lost in provider.Inside.Copies.LostRegions())
                        provider.Inside.Copies.BringBack(lost.Region, withItsData: true);
                    foreach (var rule in provider.Inside.Copies.Rules().Where(r => !r.BringsBack))
                        MissingIsWhatIsNotThere(provider, rule);
                    provider.Inside.Copies.Restore("aldmouth", "kestrel-sound");
                    provider.PassDays(8);

                    Assert.All(provider.Inside.Copies.Rules(), r => Assert.Equal((0, 0), (r.Waiting, r.LagHours)));
                    var (here, there) = (Side(provider, "harbour"), Side(provider, "far-away"));
                    Assert.Equal(here, there);
                    Assert.Empty(acknowledged.Except(here.Where(e => !e.IsDeletion).Select(e => (e.Root, e.Sha!))));
                    Assert.Equal(Current(provider, "harbour"), Current(provider, "far-away"));
                    Assert.Equal(Weightless(provider, "harbour"), Weightless(provider, "far-away"), 6);
                    foreach (var rule in provider.Inside.Copies.Rules())
                        Assert.Empty(provider.Inside.Copies.Audit(rule.Id, true, CancellationToken.None).Differences);
                }
            )
            .Check(Randomly.Draws(40));

    /// <summary>Counted from both sides laid open: a version of the one that the other has not, and weightless objects by their sum. Marks
    /// that are to go there as well count too, and are at most those that only the other side has.</summary>
    private static void MissingIsWhatIsNotThere(TestProvider provider, CopyRuleStatus rule)
    {
        var (here, there) = (Side(provider, rule.Bucket), Side(provider, rule.Target));
        var weightless = Math.Max(0, Weightless(provider, rule.Bucket) - Weightless(provider, rule.Target));
        var marks = provider.Inside.Copies.Missing(rule.Id) - here.Except(there).Count() - weightless;
        Assert.InRange(marks, -1e-6, there.Except(here).Count(e => e.IsDeletion) + 1e-6);
    }

    [Fact]
    public void What_a_loss_lists_is_exactly_what_is_gone() =>
        Prop.ForAll(
                Arb.From(Histories),
                history =>
                {
                    using var provider = new TestProvider(Estate);
                    var acknowledged = Live(provider, history);
                    foreach (var lost in provider.Inside.Copies.LostRegions())
                        provider.Inside.Copies.BringBack(lost.Region, withItsData: true);
                    var before = Buckets.SelectMany(b => Side(provider, b)).ToHashSet();
                    var weightless = Weightless(provider, "harbour") - Weightless(provider, "far-away");
                    provider.Inside.Copies.Lose("aldmouth");
                    var record = provider.Inside.Copies.Record(provider.Inside.Copies.BringBack("aldmouth", withItsData: false).Id);
                    var left = Side(provider, "far-away").ToHashSet();

                    Assert.Equal(
                        before.Except(left).Select(e => (e.Key, e.Root)).Order(),
                        record.Items.Where(i => i.Version > 0).Select(i => (i.Key, i.Version)).Order()
                    );
                    Assert.Equal(weightless, record.Items.Where(i => i.Version == 0).Sum(i => i.Objects), 6);
                    var listed = record.Items.Select(i => i.Version).ToHashSet();
                    provider.Inside.Copies.Refill("harbour", CancellationToken.None);
                    provider.Inside.Copies.Restore("aldmouth", "kestrel-sound");
                    provider.PassDays(8);
                    Assert.Equal(Side(provider, "harbour"), Side(provider, "far-away"));
                    Assert.Equal(Weightless(provider, "harbour"), Weightless(provider, "far-away"), 6);
                    Assert.Equal(
                        acknowledged.Where(a => !listed.Contains(a.Root)).Order(),
                        Side(provider, "harbour").Where(e => !e.IsDeletion).Select(e => (e.Root, e.Sha!)).Order()
                    );
                }
            )
            .Check(Randomly.Draws(40));

    /// <summary>What was written and acknowledged, by number and checksum. Nothing is deleted for good.</summary>
    private static HashSet<(long Root, string Sha)> Live(TestProvider provider, List<(Deed Deed, int Bucket, int Key, int Pick)> history)
    {
        var acknowledged = new HashSet<(long, string)>();
        foreach (var (deed, bucketAt, keyAt, pick) in history)
        {
            var (bucket, key) = (Buckets[bucketAt], Keys[keyAt]);
            var region = bucketAt == 0 ? "aldmouth" : "kestrel-sound";
            try
            {
                switch (deed)
                {
                    case Deed.Write:
                        var conditions = new WriteConditions(SumOfBlocks: pick % 2 == 0);
                        var written = provider.Put(key, TestProvider.Bytes(pick * 100, pick), conditions, bucket).GetAwaiter().GetResult();
                        acknowledged.Add((written.Version, SumOf(written)!));
                        break;
                    case Deed.Delete:
                        provider.Objects.Delete(bucket, key, null, null);
                        break;
                    case Deed.TakeBack when provider.Objects.Deletions(bucket, key, 1) is [var mark] && !mark.IsCopy:
                        provider.Objects.Delete(bucket, mark.Key, mark.Version, null);
                        break;
                    case Deed.Cut:
                        provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", null);
                        break;
                    case Deed.CutForAWhile:
                        provider.Inside.Copies.Cut("aldmouth", "kestrel-sound", provider.Inside.Clock.Now.AddMinutes(1 + pick));
                        break;
                    case Deed.Restore:
                        provider.Inside.Copies.Restore("aldmouth", "kestrel-sound");
                        break;
                    case Deed.Lose:
                        provider.Inside.Copies.Lose(region);
                        break;
                    case Deed.Return:
                        provider.Inside.Copies.BringBack(region, withItsData: true);
                        break;
                    case Deed.Pass:
                        provider.PassHours(pick / 50.0);
                        break;
                    case Deed.Restart:
                        provider.Reopen(Estate);
                        break;
                }
            }
            catch (RefusalException refusal) when (refusal.Code is "no-object" or "region-lost" or "lost-already" or "not-lost")
            {
                // Nothing was acknowledged.
            }
        }
        return acknowledged;
    }

    private static string? SumOf(StoredVersion version) => version.Sha256 ?? version.BlocksSha256;

    private static List<Entry> Side(TestProvider provider, string bucket) =>
        [
            .. Keys.SelectMany(k => provider.Objects.Versions(bucket, k))
                .Select(v => new Entry(v.Key, v.Root, v.IsDeletion, SumOf(v)))
                .OrderBy(e => e.Key, StringComparer.Ordinal)
                .ThenBy(e => e.Root),
        ];

    private static double Weightless(TestProvider provider, string bucket) =>
        provider.Objects.List(bucket, "s/", null, null, 10).Batches.Sum(b => b.Count);

    private static List<(string, long?)> Current(TestProvider provider, string bucket) =>
        [.. Keys.Select(k => (k, provider.Objects.Versions(bucket, k).SingleOrDefault(v => v.IsCurrent)?.Root))];
}
