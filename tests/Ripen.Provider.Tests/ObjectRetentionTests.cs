using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Tests;

/// <summary>Retention of single objects, beside their bucket's: attacked on every path that could end it.</summary>
public sealed class ObjectRetentionTests
{
    private static Estate Harbour(KeepRule? keep = null) =>
        TestProvider.OneBucket(b => b with { Keep = keep, Rules = [new LifecycleRule { Id = "soon", ExpireAt = 2 }] });

    private static readonly DateOnly Today = TestProvider.Demo.Today;

    private static ObjectKeepOrder Order(int? days, KeepStrength strength = KeepStrength.Liftable, string? by = null, string? why = null) =>
        new("harbour", "a", null, days is { } d ? Today.AddDays(d) : null, null, strength, by, why);

    private static string Refused(Action deed) => Assert.Throws<RefusalException>(deed).Code;

    [Theory]
    [InlineData(KeepStrength.Liftable)]
    [InlineData(KeepStrength.Sealed)]
    public async Task It_stays_on_every_path_until_its_day_and_then_goes_by_the_rule(KeepStrength strength)
    {
        using var provider = new TestProvider(Harbour());
        await provider.Put("a", TestProvider.Bytes(1000));
        await provider.Put("b", TestProvider.Bytes(1000));
        var foreseen = provider.Inside.ObjectRetention.Foresee(Order(10, strength));
        Assert.Null(provider.Objects.Find("harbour", "a", null)!.Kept);
        Assert.Equivalent(foreseen, provider.Inside.ObjectRetention.Set(Order(10, strength)), strict: true);
        Assert.Equal(new Kept(Today.AddDays(10), strength), foreseen.After);
        Assert.Equal(foreseen.UntilThen!.Value, foreseen.Terms.Sum(t => t.Amount), 1e-20);
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", null, null)));
        Assert.Equal("kept", Refused(() => provider.Objects.Delete("harbour", "a", foreseen.Version, null)));
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", TestProvider.Bytes(1)))).Code);
        Assert.Equal("kept", Refused(() => provider.Adopt(TestProvider.Demo, 2, 2)));
        Assert.Equal("kept", Refused(() => provider.Inside.Reserve(new PlannedChange(TestProvider.Demo)).Dispose()));
        provider.PassDays(10);
        Assert.Equal(["a"], provider.Objects.List("harbour", "", null, null, 9).Objects.Select(o => o.Key));
        provider.PassDays(1);
        Assert.Empty(provider.Objects.List("harbour", "", null, null, 9).Objects);
    }

    [Fact]
    public async Task A_sealed_one_is_lengthened_and_nothing_else()
    {
        using var provider = new TestProvider(Harbour());
        await provider.Put("a", TestProvider.Bytes(1000));
        var own = provider.Inside.ObjectRetention;
        own.Set(Order(10, KeepStrength.Sealed));
        Assert.Equal("sealed", Refused(() => own.Set(Order(9, KeepStrength.Sealed, "Ada", "because"))));
        Assert.Equal("sealed", Refused(() => own.Set(Order(10, KeepStrength.Liftable, "Ada", "because"))));
        Assert.Equal("nothing-to-lift", Refused(() => own.Set(Order(null, KeepStrength.Liftable, "Ada", "because"))));
        Assert.Equal(Today.AddDays(11), own.Set(Order(11, KeepStrength.Sealed)).After!.Until);
        Assert.Equal(new Kept(Today.AddDays(20), KeepStrength.Liftable), own.Set(Order(20)).After);
        Assert.Equal(
            new Kept(Today.AddDays(11), KeepStrength.Sealed),
            own.Set(Order(null, KeepStrength.Liftable, "the harbour master", "the case is closed")).After
        );
    }

    [Fact]
    public async Task A_liftable_one_is_kept_less_long_only_with_a_name_and_a_reason()
    {
        using var provider = new TestProvider(Harbour());
        await provider.Put("a", TestProvider.Bytes(1000));
        var own = provider.Inside.ObjectRetention;
        Assert.Equal("out-of-range", Refused(() => own.Set(Order(0))));
        Assert.Equal("nothing-to-lift", Refused(() => own.Set(Order(null))));
        Assert.Equal("no-object", Refused(() => own.Set(Order(5) with { Key = "nobody" })));
        Assert.Equal("no-version", Refused(() => own.Set(Order(5) with { Version = 99 })));
        Assert.Equal("one-of", Refused(() => own.Set(Order(5) with { Days = 5 })));
        own.Set(Order(null) with { Days = 30 });
        Assert.Equal("no-name", Refused(() => own.Set(Order(29))));
        Assert.Equal("no-reason", Refused(() => own.Set(Order(29, by: "Ada", why: " "))));
        Assert.Equal("no-name", Refused(() => own.Set(Order(null))));
        Assert.Equal(Today.AddDays(30), provider.Objects.Find("harbour", "a", null)!.Kept!.Until);
        Assert.True(own.Set(Order(29, by: "the harbour master", why: "asked for less")).IsLess);
        Assert.Null(own.Set(Order(null, by: "the harbour master", why: "not needed")).After);
        provider.Objects.Delete("harbour", "a", null, null);
        Assert.Contains(provider.Inside.Deeds(10), d => d.What.Contains("by the harbour master: not needed", StringComparison.Ordinal));
    }

    /// <summary>The bucket's rule comes, changes and goes; what an object has of its own stays.</summary>
    [Fact]
    public async Task What_is_its_own_outlives_the_buckets_rule_and_the_projection_knows_it()
    {
        var rule = new KeepRule { Days = 40, Strength = KeepStrength.Liftable };
        using var provider = new TestProvider(Harbour());
        await provider.Put("a", TestProvider.Bytes(1000));
        await provider.Put("b", TestProvider.Bytes(1000));
        provider.Inside.ObjectRetention.Set(Order(35));
        provider.Adopt(Harbour(rule), 2);
        Assert.Equal(Today.AddDays(40), provider.Objects.Find("harbour", "a", null)!.Kept!.Until);
        using (provider.Inside.Reserve(new PlannedChange(Harbour(), Lifted: "harbour")))
            provider.Inside.Adopt(
                TestProvider.Plan(Harbour(), 3) with
                {
                    Buckets = new Dictionary<string, PlannedBucket> { ["harbour"] = new(Today, 1, 1) },
                }
            );
        Assert.Equal(new Kept(Today.AddDays(35), KeepStrength.Liftable), provider.Objects.Find("harbour", "a", null)!.Kept);
        Assert.Null(provider.Objects.Find("harbour", "b", null)!.Kept);
        var stock = provider.Inside.Stock(null).Buckets["harbour"].Lots;
        Assert.Equal([null, Today.AddDays(35)], stock.Select(l => l.KeptUntil).OrderBy(d => d ?? DateOnly.MinValue));
        var now = Harbour().With(Harbour().Buckets[0] with { Stock = stock }, "harbour") with { Targets = [], Workloads = [], Plans = [] };
        Assert.Equal([1.0, 1.0], RulesAhead.Of(now, 2).Select(d => d.Objects));
    }
}
