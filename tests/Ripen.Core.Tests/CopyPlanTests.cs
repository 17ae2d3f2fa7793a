using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Tests;

/// <summary>Changes of several buckets at once, and what catching up takes.</summary>
public class CopyPlanTests
{
    private static readonly Estate Demo = Samples.Demo();

    private static CopyOrder Order(string source, string target) =>
        new()
        {
            Source = source,
            Rule = new CopyRule { Bucket = target },
        };

    private static (string Code, string Path) Problem(Checked<Estate> plan) => (plan.Problems.Single().Code, plan.Problems.Single().Path);

    [Fact]
    public void A_rule_needs_versions_on_both_sides_and_switches_them_on_in_the_same_change_when_asked()
    {
        var order = Order("deck-cameras", "ticketing-backups");
        var refused = CopyPlans.WithRule(Demo, order, null);
        Assert.Equal(("needs-versioning", "$.switchVersioningOn"), Problem(refused));
        var another = Demo.Buckets.First(b => b.CopyTo.Count > 0 && b.Name != order.Source).CopyTo[0];
        Assert.Equal(("other-source", "$.source"), Problem(CopyPlans.WithRule(Demo, order, another)));
        Assert.Contains("'deck-cameras' and 'ticketing-backups'", refused.Problems[0].Message, StringComparison.Ordinal);
        var after = CopyPlans.WithRule(Demo, order with { SwitchVersioningOn = true }, null).Value;
        Assert.True(after.Find("deck-cameras")!.Versioning && after.Find("ticketing-backups")!.Versioning);
        Assert.Equal([order.Rule], after.Find("deck-cameras")!.CopyTo);
        // The others are the very same: nothing of theirs is computed or stored anew.
        Assert.Equal(Demo.Buckets.Count - 2, after.Buckets.Count(b => ReferenceEquals(b, Demo.Find(b.Name))));
    }

    [Fact]
    public void A_target_is_made_in_the_same_change()
    {
        var far = new Bucket
        {
            Name = "cameras-far",
            Region = "kestrel-sound",
            Scheme = "one-site",
            Tier = "counter",
        };
        var order = Order("deck-cameras", "cameras-far") with { NewBucket = far, SwitchVersioningOn = true };
        Assert.True(CopyPlans.WithRule(Demo, order, null).Value.Find("cameras-far")!.Versioning);
        Assert.Equal(
            ("not-offered", "$.newBucket.tier"),
            Problem(CopyPlans.WithRule(Demo, order with { NewBucket = far with { Tier = "cellar" } }, null))
        );
        Assert.Equal(
            ("unknown-reference", "$.rule.bucket"),
            Problem(CopyPlans.WithRule(Demo, order with { NewBucket = far with { Name = "another" } }, null))
        );
        Assert.Equal(
            ("duplicate-name", "$.newBucket.name"),
            Problem(
                CopyPlans.WithRule(Demo, Order("deck-cameras", "port-sonar") with { NewBucket = far with { Name = "port-sonar" } }, null)
            )
        );
    }

    [Fact]
    public void What_is_wrong_with_a_rule_is_told_at_the_rule()
    {
        Assert.Equal(("unknown-reference", "$.source"), Problem(CopyPlans.WithRule(Demo, Order("nowhere", "port-sonar"), null)));
        Assert.Equal(("unknown-reference", "$.rule.bucket"), Problem(CopyPlans.WithRule(Demo, Order("port-sonar", "nowhere"), null)));
        Assert.Equal(("self-copy", "$.rule.bucket"), Problem(CopyPlans.WithRule(Demo, Order("port-sonar", "port-sonar"), null)));
        Assert.Equal(("duplicate-rule", "$.rule"), Problem(CopyPlans.WithRule(Demo, Order("port-sonar", "sonar-quarry"), null)));
        var cold = Order("port-sonar", "recorders-far");
        Assert.Equal(
            ("not-offered", "$.rule.tier"),
            Problem(CopyPlans.WithRule(Demo, cold with { Rule = cold.Rule with { Tier = "cellar" } }, null))
        );
    }

    [Fact]
    public void Other_terms_keep_what_waits_and_another_scope_does_not()
    {
        var old = Demo.Find("voyage-recorders")!.CopyTo[0];
        var order = new CopyOrder
        {
            Source = "voyage-recorders",
            Rule = new CopyRule { Bucket = "recorders-far", AllowedLagHours = 200 },
        };
        Assert.Equal(old.Waiting, CopyPlans.WithRule(Demo, order, old).Value.Find("voyage-recorders")!.CopyTo.Single().Waiting);
        Assert.Empty(
            CopyPlans
                .WithRule(Demo, order with { Rule = order.Rule with { Prefix = "bridge/" } }, old)
                .Value.Find("voyage-recorders")!
                .CopyTo.Single()
                .Waiting
        );
        Assert.Empty(CopyPlans.WithoutRule(Demo, "voyage-recorders", old).Find("voyage-recorders")!.CopyTo);
    }

    [Fact]
    public void Switching_over_and_back_is_what_was_there_before()
    {
        var over = CopyPlans.SwitchOver(Demo, "harbour-notices", "notices-far").Value;
        var (old, next) = (over.Find("harbour-notices")!, over.Find("notices-far")!);
        Assert.Empty(old.Streams);
        Assert.Equal(Demo.Find("harbour-notices")!.Streams, next.Streams);
        Assert.Equal(("harbour-notices", true), (next.CopyTo.Single().Bucket, next.CopyTo.Single().FollowDeletions));
        Assert.Single(old.CopyTo);
        var back = CopyPlans.SwitchBack(over, "harbour-notices", "notices-far").Value;
        Assert.Null(Compare.Difference([.. Projection.Of(Demo, 24).Rows()], [.. Projection.Of(back, 24).Rows()]));
        Assert.Equal("no-copy-rule", CopyPlans.SwitchOver(Demo, "notices-far", "harbour-notices").Problems.Single().Code);
        Assert.Equal("has-workload", CopyPlans.SwitchBack(Demo, "harbour-notices", "notices-far").Problems.Single().Code);
        Assert.Equal("needs-versioning", CopyPlans.SwitchOver(Demo, "engine-telemetry", "telemetry-far").Problems.Single().Code);
    }

    [Fact]
    public void Dropping_the_old_takes_the_way_back_along()
    {
        var over = CopyPlans.SwitchOver(Demo, "harbour-notices", "notices-far").Value;
        var after = CopyPlans.Drop(over, "harbour-notices", "notices-far").Value;
        Assert.Null(after.Find("harbour-notices"));
        Assert.Empty(after.Find("notices-far")!.CopyTo);
        Assert.Equal("copies-arrive", CopyPlans.Drop(Demo, "notices-far", "port-sonar").Problems.Single().Code);
        Assert.Equal("no-bucket", CopyPlans.Drop(Demo, "port-sonar", "port-sonar").Problems.Single().Code);
    }

    [Fact]
    public void Catching_up_takes_the_bytes_the_line_and_the_prices_say()
    {
        // 40,000 objects of 1 MB at 8 Mbit/s, of which 0.4 are taken by 34.56 GB that arrive a day: 40e9 / 0.6e6 s.
        var source = new Bucket
        {
            Name = "from",
            Region = "aldmouth",
            Scheme = "one-site",
            Tier = "counter",
            Versioning = true,
            Stock =
            [
                new Lot
                {
                    Prefix = "a/",
                    Created = Demo.Today,
                    InTierSince = Demo.Today,
                    Tier = "counter",
                    Objects = 40_000,
                    BytesPerObject = 1_000_000,
                },
            ],
            Streams =
            [
                new ObjectStream
                {
                    Prefix = "a/",
                    ObjectsPerDay = 34_560,
                    BytesPerObject = 1_000_000,
                },
            ],
        };
        var rule = new CopyRule { Bucket = "to", Prefix = "a/" };
        var estate = Demo with
        {
            PriceBook = Demo.PriceBook with
            {
                Transfers =
                [
                    new Transfer
                    {
                        From = "aldmouth",
                        To = "kestrel-sound",
                        Price = new UnitPrice(0.02),
                        MegabitsPerSecond = 8,
                    },
                ],
            },
            Buckets =
            [
                source with
                {
                    CopyTo = [rule],
                },
                new Bucket
                {
                    Name = "to",
                    Region = "kestrel-sound",
                    Scheme = "one-site",
                    Tier = "counter",
                    Versioning = true,
                },
            ],
        };
        var price = estate.PriceBook.FindRegion("kestrel-sound")!.PriceOf("counter")!;
        var cost = CatchUpCost.Of(estate, "from", rule);
        Assert.Equal((40_000, 40e9), (cost.Objects, cost.Bytes));
        Assert.Equal(40e9 / 0.6e6 / 3600, cost.Hours!.Value, 9);
        Assert.Equal(40 * 0.02, cost.TransferCharge, 12);
        Assert.Equal(40 * price.Writes.PerThousand, cost.WriteCharge, 12);
        Assert.Equal(40 * price.Storage[0].Price.PerUnit, cost.StorageAMonth, 12);

        var thin = estate with
        {
            PriceBook = estate.PriceBook with { Transfers = [estate.PriceBook.Transfers[0] with { MegabitsPerSecond = 2 }] },
        };
        Assert.Null(CatchUpCost.Of(thin, "from", rule).Hours);
        Assert.Equal(0.15e6, CatchUpCost.Of(thin, "from", rule).ShortBytesPerSecond, 6);
        Assert.Equal(0, CatchUpCost.Of(estate, "from", rule with { Prefix = "b/" }).Objects);
    }

    [Fact]
    public void A_change_of_several_buckets_costs_what_the_two_projections_differ_by()
    {
        var before = Projection.Of(Demo, Consequences.Months);
        var after = CopyPlans.WithRule(Demo, Order("deck-cameras", "ticketing-backups") with { SwitchVersioningOn = true }, null).Value;
        var first = Consequences.CostOf(before, after, "deck-cameras")[0];
        Assert.Equal(
            Projection.Of(after, 12).Rows().Sum(r => r.Amount) - Projection.Of(Demo, 12).Rows().Sum(r => r.Amount),
            first.EstateAfter - first.EstateBefore,
            6
        );
        Assert.True(first.BucketChange > 0 && first.ElsewhereChange > first.BucketChange);
    }
}
