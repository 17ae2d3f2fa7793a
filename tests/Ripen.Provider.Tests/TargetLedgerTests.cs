using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;

namespace Ripen.Provider.Tests;

/// <summary>What is told of a target's objects is the part of the bill that is theirs.</summary>
public sealed class TargetLedgerTests
{
    private static Estate Estate(params BackupTarget[] targets) =>
        TestProvider.OneBucket(b =>
            b with
            {
                Rules =
                [
                    new LifecycleRule
                    {
                        Id = "ages",
                        Steps = [new Step { Age = 3, Tier = "pantry" }, new Step { Age = 10, Tier = "cellar" }],
                    },
                ],
            }
        ) with
        {
            Targets = targets,
            Workloads = [],
        };

    private static BackupTarget Target(string id, string prefix) =>
        new()
        {
            Id = id,
            Name = id,
            Kind = TargetKind.Bucket,
            Bucket = "harbour",
            Prefix = prefix,
        };

    [Fact]
    public async Task Two_targets_and_the_rest_are_charged_what_the_bucket_is()
    {
        using var provider = new TestProvider(Estate(Target("one", "one/"), Target("two", "two/")));
        foreach (var (prefix, size) in new[] { ("one/", 3_000_000), ("two/", 500_000), ("else/", 70_000) })
        {
            for (var i = 0; i < 3; i++)
                await provider.Put($"{prefix}{i}", TestProvider.Bytes(size + i, i));
            await provider.Get($"{prefix}1");
        }
        provider.PassDays(5);
        // It leaves the pantry before its minimum stay, and another goes by hand.
        provider.Objects.Delete("harbour", "one/0", null);
        provider.Objects.Move("harbour", "two/2", false, "counter");
        provider.PassDays(20);

        var from = DateOnly.MinValue;
        var to = DateOnly.MaxValue;
        var bill = provider
            .Inside.Ledger(from, to, "harbour")
            .GroupBy(r => (r.Tier, r.Charge))
            .ToDictionary(g => g.Key, g => (Quantity: g.Sum(r => r.Quantity), Amount: g.Sum(r => r.Amount)));
        var one = provider.Inside.UseOf("one", from, to);
        var two = provider.Inside.UseOf("two", from, to);
        Assert.Equal(6, bill.Keys.Select(k => k.Charge).Distinct().Count());
        foreach (var (key, whole) in bill)
        {
            var parts = one.Concat(two).Where(u => (u.Tier, u.Charge) == key).ToList();
            Assert.All(parts, p => Assert.InRange(p.Quantity, 0, whole.Quantity));
            Assert.InRange(parts.Sum(p => p.Amount), 0, whole.Amount + 1e-12);
        }
        Assert.Equal(
            (3, 9_000_003),
            (one.Single(u => u.Charge == Charge.Writes).Quantity, one.Single(u => u.Charge == Charge.Writes).Bytes)
        );
        Assert.Equal(2, one.Single(u => u is { Charge: Charge.Storage, Tier: "cellar" }).Bytes / 3_000_000, 1e-5);
        Assert.Contains(one, u => u is { Charge: Charge.EarlyLeave, Tier: "pantry", Amount: > 0 });
    }

    [Fact]
    public async Task A_target_that_is_the_whole_bucket_is_charged_the_whole_bill()
    {
        var estate = Estate(Target("all", ""));
        using var provider = new TestProvider(estate);
        for (var i = 0; i < 4; i++)
            await provider.Put($"a/{i}", TestProvider.Bytes(900_000, i));
        await provider.Get("a/1");
        provider.PassDays(9);
        provider.Objects.Delete("harbour", "a/2", null);
        provider.PassDays(25);
        var bill = provider
            .Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour")
            .GroupBy(r => (r.Tier, r.Charge))
            .ToDictionary(g => g.Key, g => (Quantity: g.Sum(r => r.Quantity), Amount: g.Sum(r => r.Amount)));
        var told = provider.Inside.UseOf("all", DateOnly.MinValue, DateOnly.MaxValue);
        Assert.Equal(bill.Count, told.Count);
        Assert.All(
            told,
            u =>
            {
                var (quantity, amount) = bill[(u.Tier, u.Charge)];
                Assert.Equal(quantity, u.Quantity, 1e-9 * quantity);
                Assert.Equal(amount, u.Amount, 1e-9 * amount);
            }
        );
        // Spans add up, and a target that goes takes what was told of it along.
        var middle = estate.Today.AddDays(7);
        Assert.Equal(
            told.Sum(u => u.Amount),
            provider.Inside.UseOf("all", DateOnly.MinValue, middle).Sum(u => u.Amount)
                + provider.Inside.UseOf("all", middle, DateOnly.MaxValue).Sum(u => u.Amount),
            1e-12
        );
        provider.Adopt(estate with { Targets = [] }, 2);
        Assert.Empty(provider.Inside.UseOf("all", DateOnly.MinValue, DateOnly.MaxValue));
    }
}
