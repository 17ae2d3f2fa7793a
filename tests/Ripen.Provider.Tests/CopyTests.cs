using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Tests;

/// <summary>Same-day copies, and catch-up of what was there before a rule.</summary>
public sealed class CopyTests
{
    private static Estate Two(CopyRule? rule, Func<Bucket, Bucket>? target = null)
    {
        var estate = TestProvider.OneBucket(b =>
            b with
            {
                CopyTo = rule is null ? [] : [rule],
                Streams =
                [
                    new ObjectStream
                    {
                        Prefix = "s/",
                        ObjectsPerDay = 2.5,
                        BytesPerObject = 1000,
                    },
                ],
            }
        );
        var far = new Bucket
        {
            Name = "far-away",
            Region = "kestrel-sound",
            Scheme = "one-site",
            Tier = "counter",
        };
        return estate with { Buckets = [.. estate.Buckets, target is null ? far : target(far)] };
    }

    private static readonly CopyRule Plain = new() { Bucket = "far-away" };
    private static readonly CopyRule WithCatchUp = Plain with { CatchUp = true };

    private static double FarCount(TestProvider provider) => provider.Inside.Stock(null).Buckets["far-away"].Lots.Sum(l => l.Count);

    [Fact]
    public async Task What_was_there_before_stays_behind_without_catch_up_and_arrives_once_with_it()
    {
        using var provider = new TestProvider(Two(null));
        await provider.Put("old", [1]);
        provider.PassDays(2);
        provider.Adopt(Two(Plain), version: 2);
        provider.PassDays(1);
        Assert.Equal(2.5, FarCount(provider));
        Assert.Null(provider.Objects.Find("far-away", "old", null));

        provider.Adopt(Two(WithCatchUp), version: 3);
        // Asked once, it is queued once: what waits now is no longer to be caught up with.
        var queued = provider.Inside.Stock(null).Buckets["harbour"].Copies.Single();
        Assert.True(queued.IsCaughtUp);
        Assert.Equal((2 * 2.5) + 1, queued.Waiting.Sum(w => w.Count));
        provider.PassDays(3);
        Assert.Empty(provider.Inside.Stock(null).Buckets["harbour"].Copies.Single().Waiting);
        Assert.Equal([1], await provider.Get("old", bucket: "far-away"));
        // Six days of the stream and the upload, none of it twice.
        Assert.Equal((6 * 2.5) + 1, FarCount(provider));

        // Withdrawn and asked for again: only what is not there yet.
        provider.Adopt(Two(null), version: 4);
        await provider.Put("between", [2]);
        provider.PassDays(1);
        provider.Adopt(Two(WithCatchUp), version: 5);
        provider.PassDays(1);
        Assert.Equal([2], await provider.Get("between", bucket: "far-away"));
        Assert.Equal((8 * 2.5) + 2, FarCount(provider));
        var created = provider.Objects.Find("far-away", "between", null)!;
        Assert.Equal((TestProvider.Demo.Today.AddDays(6), TestProvider.Demo.Today.AddDays(7)), (created.Created, created.InTierSince));
    }

    [Fact]
    public async Task A_copy_becomes_a_version_where_there_are_versions_and_leaves_what_is_kept_alone_where_there_are_none()
    {
        using var versioned = new TestProvider(Two(Plain, b => b with { Versioning = true }));
        using var kept = new TestProvider(
            Two(
                Plain,
                b =>
                    b with
                    {
                        Keep = new KeepRule { Days = 30, Strength = KeepStrength.Sealed },
                    }
            )
        );
        foreach (var provider in new[] { versioned, kept })
        {
            await provider.Put("a", [1]);
            provider.PassDays(1);
            await provider.Put("a", [2]);
            provider.PassDays(1);
        }
        Assert.Equal([2], await versioned.Get("a", bucket: "far-away"));
        Assert.Equal(2, versioned.Objects.Versions("far-away", "a").Count);
        Assert.Equal([1], await kept.Get("a", bucket: "far-away"));
    }

    [Fact]
    public async Task Copies_do_not_travel_further_also_in_a_circle()
    {
        using var provider = new TestProvider(Two(Plain, b => b with { CopyTo = [new CopyRule { Bucket = "harbour" }] }));
        await provider.Put("a", [1]);
        provider.PassDays(5);
        Assert.Single(provider.Objects.List("harbour", "a", null, null, 10).Objects);
        Assert.True(provider.Objects.Find("far-away", "a", null)!.IsCopy);
        Assert.Equal((5 * 2.5) + 1, FarCount(provider));
        Assert.DoesNotContain(provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "far-away"), r => r.Charge == Charge.Transfer);
    }
}
