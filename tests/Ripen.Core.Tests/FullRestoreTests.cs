using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>What having everything back costs, worked by hand, and when it arrives, against a plain clock that ticks.</summary>
public sealed class FullRestoreTests
{
    private static TierPrice Price(string tier, double read, double recall, params RecallSpeed[] speeds) =>
        new()
        {
            Tier = tier,
            Storage = [new StorageBand { UpTo = 500, Price = new(0.02) }, new StorageBand { Price = new(0.01) }],
            Writes = default,
            Reads = new(read),
            MovesIn = default,
            RecallRequests = new(0.5),
            Recall = new(recall),
            RecallSpeeds = speeds,
        };

    private static Tier Tier(string id, double wait) =>
        new()
        {
            Id = id,
            Name = id,
            MinimumStayDays = 0,
            MinimumObjectBytes = 0,
            OverheadBytes = 0,
            IndexBytes = 0,
            WaitHours = wait,
        };

    private static readonly RecallSpeed Quick = new()
    {
        Id = "quick",
        Name = "quick",
        WaitHours = 1,
        Recall = new(0.1),
        RecallRequests = new(2),
    };

    private static readonly PriceBook Prices = new()
    {
        Currency = "EUR",
        Unit = SizeUnit.GB,
        Month = BillingMonth.ThirtyDays,
        Tiers = [Tier("warm", 0), Tier("cold", 10)],
        Schemes = [],
        Regions =
        [
            new Region
            {
                Id = "near",
                Name = "Near",
                Prices = [Price("warm", 1, 0), Price("cold", 2, 0.03, Quick)],
                TransferOut = [new StorageBand { UpTo = 100, Price = new(0.09) }, new StorageBand { Price = new(0.05) }],
            },
            new Region
            {
                Id = "far",
                Name = "Far",
                Prices = [Price("warm", 1, 0), Price("cold", 2, 0.03)],
            },
        ],
        Transfers =
        [
            new Transfer
            {
                From = "near",
                To = "far",
                Price = new(0.02),
                MegabitsPerSecond = 80,
            },
        ],
    };

    private static readonly Resting[] There = [new("near", "warm", 1000, 720e9), new("near", "cold", 10, 36e9)];

    /// <summary>80 Mbit/s are 36 GB an hour: 720 GB take 20 hours, in which the cold tier's 36 GB (there after 10 hours) wait their turn.</summary>
    [Fact]
    public void To_a_region_it_costs_and_takes_what_hands_work_out()
    {
        var restore = FullRestore.Of(There, Prices, "far");
        Assert.Equal(["ordinary", "quick"], restore.Speeds.Select(s => s.Name));
        var (ordinary, quick) = (restore.Speeds[0], restore.Speeds[1]);
        Assert.Equal((36 * 0.03) + (1010 * 0.5 / 1000), ordinary.Recall, 1e-12);
        Assert.Equal((36 * 0.1) + (1000 * 0.5 / 1000) + (10 * 2 / 1000.0), quick.Recall, 1e-12);
        Assert.Equal((1000 * 1 / 1000.0) + (10 * 2 / 1000.0), ordinary.Reads, 1e-12);
        Assert.Equal(756 * 0.02, ordinary.Transfer, 1e-12);
        Assert.Equal(ordinary.Recall + ordinary.Reads + ordinary.Transfer, ordinary.Total);
        Assert.Equal(
            [
                new(Charge.Recall, "near", "warm", "recall requests", 1000, "request", 0.5, 1000),
                new(Charge.Reads, "near", "warm", "reads", 1000, "request", 1, 1000),
                new(Charge.Recall, "near", "cold", "recalled", 36, "GB", 0.1, 1),
                new(Charge.Recall, "near", "cold", "recall requests", 10, "request", 2, 1000),
                new(Charge.Reads, "near", "cold", "reads", 10, "request", 2, 1000),
                new(Charge.Transfer, "near", null, "carried", 756, "GB", 0.02, 1),
            ],
            quick.Terms
        );
        Assert.Equal((10.0, 1.0), (ordinary.WaitHours, quick.WaitHours));
        Assert.Equal(21, ordinary.Hours, 1e-9);
        // 756 GB a year in the warm tier: 500 at 0.02 and 256 at 0.01, twelve times.
        Assert.Equal(((500 * 0.02) + (256 * 0.01)) * 12, restore.WarmCopyAYear!.Value, 1e-12);
        Assert.True(restore.HasPriceOut);
    }

    [Fact]
    public void Out_goes_through_the_bands_over_one_line_and_says_where_no_price_is()
    {
        var restore = FullRestore.Of(There, Prices, null, 10e6);
        Assert.Equal((100 * 0.09) + (656 * 0.05), restore.Speeds[0].Transfer, 1e-12);
        Assert.Equal(
            [("going out, the first 100", 100.0, 9.0), ("going out, above 100", 656, 32.8)],
            restore.Speeds[0].Terms.Where(t => t.Charge == Charge.Transfer).Select(t => (t.What, t.Quantity, Math.Round(t.Amount, 9)))
        );
        Assert.Equal(756e9 / 10e6 / 3600, restore.Speeds[0].Hours, 1e-9);
        Assert.Equal((true, null), (restore.HasPriceOut, restore.WarmCopyAYear));
        var far = FullRestore.Of([.. There, new("far", "warm", 1, 1e9)], Prices, null);
        Assert.False(far.HasPriceOut);
        Assert.Equal([new(0, 0), new(0, 721e9), new(10, 721e9), new(10, 757e9)], far.Speeds[0].Curve);
        Assert.Throws<RefusalException>(() => FullRestore.Of(There, Prices, "attic"));
        Assert.DoesNotContain(FullRestore.Of([], Prices, null).Speeds[0].Curve, c => c.Bytes > 0);
    }

    [Fact]
    public void The_curve_is_what_a_ticking_clock_sees()
    {
        var random = new Random(20261127);
        for (var times = 0; times < 200; times++)
        {
            Resting[] there =
            [
                .. Enumerable
                    .Range(0, random.Next(1, 5))
                    .Select(_ => new Resting(
                        random.Next(2) == 0 ? "near" : "far",
                        random.Next(2) == 0 ? "warm" : "cold",
                        1,
                        random.Next(1, 900) * 1e9
                    )),
            ];
            var line = random.Next(1, 60) * 1e6;
            var out1 = FullRestore.Of(there, Prices, null, line).Speeds[^1];
            var near = there.Any(r => r.Region == "near" && r.Tier == "cold");
            double Wait(Resting r) =>
                r.Tier == "warm" ? 0
                : near && r.Region == "near" ? 1
                : 10;
            const double Step = 1 / 400.0;
            var sent = 0.0;
            for (var tick = 0; tick * Step < out1.Hours; tick++)
            {
                var hour = tick * Step;
                Assert.Equal(sent, On(out1.Curve, hour), line * 3600 * Step * 1.01);
                var ready = there.Where(r => Wait(r) <= hour + 1e-9).Sum(r => r.Bytes);
                sent = Math.Min(ready, sent + (line * 3600 * Step));
            }
            Assert.Equal(there.Sum(r => r.Bytes), out1.Curve[^1].Bytes, 1);
            Assert.Equal(out1.Curve.OrderBy(c => c.Hour).ThenBy(c => c.Bytes), out1.Curve);
        }

        static double On(IReadOnlyList<BackBy> curve, double hour)
        {
            for (var i = curve.Count - 1; i > 0; i--)
            {
                if (curve[i - 1].Hour <= hour && hour <= curve[i].Hour)
                    return curve[i].Hour == curve[i - 1].Hour
                        ? curve[i].Bytes
                        : curve[i - 1].Bytes
                            + ((curve[i].Bytes - curve[i - 1].Bytes) * (hour - curve[i - 1].Hour) / (curve[i].Hour - curve[i - 1].Hour));
            }
            return curve[^1].Bytes;
        }
    }
}
