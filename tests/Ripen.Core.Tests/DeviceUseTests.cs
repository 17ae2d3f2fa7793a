using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Redundancy;

namespace Ripen.Core.Tests;

/// <summary>How full devices are, and when: against arithmetic by hand.</summary>
public sealed class DeviceUseTests
{
    private const double Terabyte = 1e12;

    /// <summary>In Aldmouth 10 disks of 1 TB and 4 flash devices; one bucket in two copies on disk, one in 2 + 1 fragments on flash.</summary>
    private static Estate Estate(double perDay)
    {
        var small = Samples.Around(Samples.Bucket([Samples.Steady(perDay, 1_000_000_000)], [], null));
        var prices = small.PriceBook;
        var twice = prices.Schemes[0] with { Id = "twice", Copies = 2, DeviceClass = "disk" };
        var coded = prices.Schemes[0] with
        {
            Id = "coded",
            Copies = 1,
            Coded = new Coding { Data = 2, Parity = 1 },
            DeviceClass = "flash",
        };
        var lot = new Lot
        {
            Created = small.Today,
            InTierSince = small.Today,
            Tier = "counter",
            Objects = 2000,
            BytesPerObject = 1_000_000_000,
        };
        return small with
        {
            PriceBook = prices with
            {
                Schemes = [.. prices.Schemes, twice, coded],
                Regions =
                [
                    .. prices.Regions.Select(r =>
                        r.Id == "aldmouth"
                            ? r with
                            {
                                Devices =
                                [
                                    new DeviceClass
                                    {
                                        Id = "disk",
                                        Count = 10,
                                        BytesEach = (long)Terabyte,
                                    },
                                    new DeviceClass
                                    {
                                        Id = "flash",
                                        Count = 4,
                                        BytesEach = (long)Terabyte,
                                    },
                                ],
                            }
                            : r
                    ),
                ],
            },
            Buckets =
            [
                small.Buckets[0] with
                {
                    Scheme = "twice",
                    Stock = [lot],
                },
                small.Buckets[0] with
                {
                    Name = "coded-bucket",
                    Scheme = "coded",
                    Streams = [],
                    Stock = [lot],
                },
            ],
        };
    }

    [Fact]
    public void What_is_taken_is_what_is_stored_times_the_fragments()
    {
        var uses = DeviceUse.Of(Projection.Of(Estate(0), 12));
        Assert.Equal(["disk", "flash"], uses.Select(u => u.Class));
        // 2 TB in two copies take 4 of 10 TB: 5 could be stored. In 2 + 1 fragments they take 3 of 4: 8/3 could.
        Assert.Equal((10 * Terabyte, 4 * Terabyte, 2 * Terabyte), (uses[0].RawBytes, uses[0].UsedRawBytes, uses[0].StoredBytes));
        Assert.Equal(5 * Terabyte, uses[0].UsableBytes!.Value, 1);
        Assert.Equal(3 * Terabyte, uses[1].UsedRawBytes, 1);
        Assert.Equal(8 * Terabyte / 3, uses[1].UsableBytes!.Value, 1);
        Assert.All(uses, u => Assert.Null(u.FullOn));
    }

    /// <summary>3 TB more fit, at 10 GB a day, each twice: 300 days of arrivals. The first arrives today.</summary>
    [Fact]
    public void They_are_full_on_the_day_on_which_arithmetic_has_them_full()
    {
        var estate = Estate(10);
        var full = DeviceUse.Of(Projection.Of(estate, 24))[0].FullOn!.Value;
        Assert.InRange(full.DayNumber - estate.Today.DayNumber, 299, 301);
        Assert.Null(DeviceUse.Of(Projection.Of(estate, 9))[0].FullOn);
        var over = estate with { Buckets = [.. estate.Buckets.Select(b => b with { Stock = [.. b.Stock, .. b.Stock, .. b.Stock] })] };
        Assert.All(DeviceUse.Of(Projection.Of(over, 9)), u => Assert.Equal(estate.Today, u.FullOn));
    }

    [Fact]
    public void A_bucket_cannot_lie_on_devices_that_its_region_has_not()
    {
        var estate = Estate(0);
        var prices = estate.PriceBook;
        var wrong = estate with
        {
            PriceBook = prices with { Schemes = [.. prices.Schemes.Select(s => s.Id == "twice" ? s with { DeviceClass = "drum" } : s)] },
        };
        Assert.Equal(
            ("no-such-devices", "$.buckets[0].scheme"),
            EstateDocument.Read(EstateDocument.Write(wrong)).Problems.Select(p => (p.Code, p.Path)).Single()
        );
        var again = EstateDocument.Read(EstateDocument.Write(estate)).Value;
        Assert.Equal(estate.PriceBook.Regions[0].Devices, again.PriceBook.Regions[0].Devices);
    }
}
