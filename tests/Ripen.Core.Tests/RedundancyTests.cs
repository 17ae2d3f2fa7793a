using FsCheck;
using FsCheck.Fluent;
using MathNet.Numerics.LinearAlgebra;
using Ripen.Core.Pricing;
using Ripen.Core.Redundancy;

namespace Ripen.Core.Tests;

public sealed class RedundancyTests
{
    /// <summary>
    /// Patterson, Gibson and Katz, "A Case for Redundant Arrays of Inexpensive Disks" (1988): disks with a mean time to failure of 30,000
    /// h, repaired in 1 h. The system fails when any of its groups does. The paper rounds to two or three digits and leaves out terms that
    /// are small beside μ/λ.
    /// </summary>
    [Theory]
    [InlineData(2, 100, 4_500_000)] // 100 mirrored pairs
    [InlineData(11, 10, 820_000)] // 100 data disks in groups of 10, one check disk each
    [InlineData(26, 4, 346_000)] // the same in groups of 25
    public void The_published_table_of_disk_arrays_is_met(int disksInGroup, int groups, double publishedHours)
    {
        var group = Durability.MeanHoursToLoss(disksInGroup, 1, 1 / 30_000.0, 1, oneRepairAtATime: false);
        Assert.InRange(group / groups / publishedHours, 0.99, 1.01);
    }

    [Fact]
    public void A_pair_is_the_textbooks_closed_form()
    {
        // Two devices, one repair: (3λ + μ) / 2λ². From memory; every textbook on repairable systems has it.
        var (lambda, mu) = (0.002, 0.25);
        Assert.Equal(((3 * lambda) + mu) / (2 * lambda * lambda), Durability.MeanHoursToLoss(2, 1, lambda, 1 / mu, false), 9);
        // Without a spare: the first failure of n.
        Assert.Equal(1 / (5 * lambda), Durability.MeanHoursToLoss(5, 0, lambda, 1 / mu, false), 9);
    }

    [Fact]
    public void Any_chain_is_what_its_matrix_says()
    {
        // Expected times to absorption t solve −Q t = 1 over the transient states: solved by a reference library. Rates are not too far
        // apart here, since elimination loses the digits that the sum of positive terms keeps.
        var chains =
            from spare in Gen.Choose(0, 6)
            from needed in Gen.Choose(1, 12)
            from one in Gen.Elements(true, false)
            from lambda in Gen.Elements(0.5, 0.2, 0.1)
            from repair in Gen.Elements(0.5, 3.0, 20)
            select (n: spare + needed, spare, one, lambda, repair);
        Prop.ForAll(
                Arb.From(chains),
                c =>
                {
                    var q = Matrix<double>.Build.Dense(c.spare + 1, c.spare + 1);
                    for (var i = 0; i <= c.spare; i++)
                    {
                        var (up, down) = ((c.n - i) * c.lambda, (c.one ? Math.Min(i, 1) : i) / c.repair);
                        q[i, i] = up + down;
                        if (i < c.spare)
                            q[i, i + 1] = -up;
                        if (i > 0)
                            q[i, i - 1] = -down;
                    }
                    var expected = q.Solve(Vector<double>.Build.Dense(c.spare + 1, 1))[0];
                    Assert.InRange(Durability.MeanHoursToLoss(c.n, c.spare, c.lambda, c.repair, c.one) / expected, 1 - 1e-6, 1 + 1e-6);
                }
            )
            .Check(Randomly.Draws(300));
    }

    [Fact]
    public void Eleven_nines_over_ten_million_objects_is_one_in_ten_thousand_years()
    {
        // Common practice: what "eleven nines" is said to mean.
        var hours = Durability.HoursPerYear / 1e-11;
        Assert.Equal(11, Durability.Nines(hours), 9);
        Assert.Equal(1, 1e7 * Durability.LossInAYear(hours) * 10_000, 6);
    }

    [Fact]
    public void A_failure_rate_gives_its_yearly_share_back()
    {
        var rate = Durability.FailureRate(0.02);
        Assert.Equal(0.02, 1 - Math.Exp(-rate * Durability.HoursPerYear), 12);
    }

    private static Gen<Scheme> Schemes { get; } =
        from data in Gen.Choose(1, 5)
        from parity in Gen.Choose(0, 4)
        from regions in Gen.Choose(1, 3)
        from zones in Gen.Choose(1, 3)
        from racks in Gen.Choose(1, 3)
        select new Scheme
        {
            Id = "any",
            Name = "Any",
            Copies = data == 1 ? parity + 1 : 1,
            Spread = Spread.Zone,
            StorageFactor = 1,
            Coded = data == 1 ? null : new Coding { Data = data, Parity = parity },
            Over = new Places
            {
                Regions = regions,
                Zones = zones,
                Racks = racks,
            },
        };

    [Fact]
    public void What_a_scheme_survives_is_what_trying_every_loss_says() =>
        Prop.ForAll(
                Arb.From(Schemes),
                scheme =>
                {
                    var placement = Placement.Of(scheme);
                    Assert.Equal(Tried(placement, f => f.Region), placement.RegionsSurvived);
                    Assert.Equal(Tried(placement, f => (f.Region, f.Zone)), placement.ZonesSurvived);
                    Assert.Equal(Tried(placement, f => f), placement.RacksSurvived);
                }
            )
            .Check(Randomly.Draws(200));

    [Fact]
    public void The_readable_share_is_what_trying_every_state_of_every_part_says() =>
        Prop.ForAll(
                Arb.From(Schemes),
                scheme =>
                {
                    var hazards = new Hazards
                    {
                        DeviceFailuresPerYear = 0.4,
                        RepairHours = 900,
                        ZoneOutagesPerYear = 9,
                        ZoneOutageHours = 70,
                        RegionOutagesPerYear = 3,
                        RegionOutageHours = 200,
                    };
                    var placement = Placement.Of(scheme);
                    Assert.Equal(Enumerated(placement, hazards), Readability.ShareOfTime(placement, hazards), 10);
                }
            )
            .Check(Randomly.Draws(60));

    [Fact]
    public void A_copy_across_a_long_line_is_slower_than_two_next_door()
    {
        var far = new Scheme
        {
            Id = "far",
            Name = "Far",
            Copies = 2,
            Spread = Spread.Region,
            StorageFactor = 1,
        };
        var near = new Scheme
        {
            Id = "near",
            Name = "Near",
            Copies = 3,
            Spread = Spread.Zone,
            StorageFactor = 1,
        };
        var lines = new Lines(new Line(1_000, 1), new Line(10_000, 1), new Line(100, 80));
        Assert.True(WriteTime.OneAfterAnother(Placement.Of(far), 1e9, lines) > WriteTime.OneAfterAnother(Placement.Of(near), 1e9, lines));
        // By hand: 1 GB at 1 Gbit/s is 8 s, the copy at 100 Mbit/s 80 s, and the round trips.
        Assert.Equal(8 + 0.001 + 80 + 0.081, WriteTime.OneAfterAnother(Placement.Of(far), 1e9, lines), 9);
        Assert.Equal(8 + 0.001 + 80 + 0.08, WriteTime.FannedOut(Placement.Of(far), 1e9, lines), 9);
        // Six of nine fragments' worth: 1.5 times the bytes leave the writer.
        var coded = new Scheme
        {
            Id = "c",
            Name = "C",
            Copies = 1,
            Spread = Spread.Device,
            StorageFactor = 1,
            Coded = new Coding { Data = 6, Parity = 3 },
        };
        Assert.Equal(12 + (9 * 0.001), WriteTime.OneAfterAnother(Placement.Of(coded), 1e9, lines), 9);
    }

    [Fact]
    public void A_scheme_whose_name_says_more_than_its_spread_does_is_doubted()
    {
        var demo = Samples.Demo().PriceBook;
        SchemePromise Of(string id) => SchemePromise.Of(demo.FindScheme(id)!, 1e9, Lines.Ordinary);
        Assert.Equal("spread-too-narrow", Assert.Single(Of("ten-and-four").Doubts).Code);
        Assert.Empty(Of("six-and-three").Doubts);
        Assert.Empty(Of("three-zones").Doubts);
        Assert.Equal((1, 1.5), (Of("six-and-three").ZonesSurvived, Of("six-and-three").RawBytesPerByte));
        Assert.Equal(1, Of("two-regions").RegionsSurvived);
        var lone = new Scheme
        {
            Id = "lone",
            Name = "Lone",
            Copies = 1,
            Spread = Spread.Device,
            StorageFactor = 1,
        };
        Assert.Equal("no-spare", Assert.Single(SchemePromise.Of(lone, 0, Lines.Ordinary).Doubts).Code);
    }

    [Fact]
    public void Any_valid_number_of_copies_has_its_nines()
    {
        var last = 0.0;
        foreach (var copies in new[] { 1, 2, 3, 10, 70, 71, 72, 300, 1000 })
        {
            var promise = SchemePromise.Of(
                new Scheme
                {
                    Id = "many",
                    Name = "Many",
                    Copies = copies,
                    Spread = Spread.Device,
                    StorageFactor = 1,
                },
                1e9,
                Lines.Ordinary
            );
            Assert.True(double.IsFinite(promise.NinesAYear) && promise.NinesAYear > last, $"{copies} copies: {promise.NinesAYear} nines");
            Assert.True(double.IsFinite(promise.LossInAYear) && promise.MeanYearsToLoss is null or > 0);
            last = promise.NinesAYear;
            // However many copies one building holds: it burns down once in ten thousand years, the region with it or not.
            if (copies >= 10)
                Assert.Equal(-Math.Log10(1.1e-4), promise.NinesAYearWithPlaces, 3);
        }
    }

    [Fact]
    public void Small_numbers_beside_one_keep_their_digits()
    {
        // The series: ln(1 + x) = x - x²/2 + x³/3, e^x - 1 = x + x²/2 + x³/6.
        foreach (var x in new[] { 1e-3, -1e-6, 1e-9, 1e-17, -1e-300 })
        {
            Assert.Equal(1, (x - (x * x / 2) + (x * x * x / 3)) / Tiny.LogOnePlus(x), 9);
            Assert.Equal(1, (x + (x * x / 2) + (x * x * x / 6)) / Tiny.ExpLessOne(x), 9);
        }
        Assert.Equal(0.5e-12 / 8766, Durability.FailureRate(0.5e-12), 1e-28);
    }

    [Fact]
    public void Three_buildings_outlast_three_copies_in_one()
    {
        SchemePromise Of(Spread spread) =>
            SchemePromise.Of(
                new Scheme
                {
                    Id = "three",
                    Name = "Three",
                    Copies = 3,
                    Spread = spread,
                    StorageFactor = 1,
                },
                1e9,
                Lines.Ordinary
            );
        var (one, three, far) = (Of(Spread.Rack), Of(Spread.Zone), Of(Spread.Region));
        Assert.Equal(one.NinesAYear, three.NinesAYear, 12);
        // In closed form: three copies go with their building, or with its region, whichever it is: 1 − e^−(0.0001 + 0.00001); losses to a
        // place when only one copy is left hardly count.
        Assert.Equal(-Math.Log10(1 - Math.Exp(-1.1e-4)), one.NinesAYearWithPlaces, 3);
        // Over buildings of one region it is the region that counts.
        Assert.Equal(5, three.NinesAYearWithPlaces, 3);
        Assert.True(far.NinesAYearWithPlaces > 9 && far.NinesAYearWithPlaces <= far.NinesAYear);
        // Nothing is ever destroyed: with and without places is the same.
        var safe = SchemePromise.Of(
            one.Scheme with
            {
                Hazards = new Hazards { ZonesDestroyedPerYear = 0, RegionsDestroyedPerYear = 0 },
            },
            1e9,
            Lines.Ordinary
        );
        Assert.Equal(safe.NinesAYear, safe.NinesAYearWithPlaces, 12);
    }

    [Fact]
    public void Losses_to_places_are_what_trying_every_state_and_every_event_says() =>
        Prop.ForAll(
                Arb.From(Schemes),
                scheme =>
                {
                    var hazards = new Hazards
                    {
                        DeviceFailuresPerYear = 0.4,
                        RepairHours = 900,
                        ZonesDestroyedPerYear = 0.3,
                        RegionsDestroyedPerYear = 0.2,
                    };
                    var placement = Placement.Of(scheme);
                    Assert.Equal(1, EventsThatLose(placement, hazards) / PlaceLosses.PerYear(placement, hazards), 9);
                }
            )
            .Check(Randomly.Draws(60));

    /// <summary>Every part whole or gone, by its chance; from every state that has enough fragments, every event that takes the one too
    /// many, but for devices that fail while no place is gone.</summary>
    private static double EventsThatLose(Placement placement, Hazards h)
    {
        var regions = placement.Fragments.Select(f => f.Region).Distinct().ToList();
        var zones = placement.Fragments.Select(f => (f.Region, f.Zone)).Distinct().ToList();
        var places = regions.Count + zones.Count;
        double[] rates =
        [
            .. regions.Select(_ => h.RegionsDestroyedPerYear),
            .. zones.Select(_ => h.ZonesDestroyedPerYear),
            .. placement.Fragments.Select(_ => -Math.Log(1 - h.DeviceFailuresPerYear)),
        ];
        var up = rates.Select(r => 1 / (1 + (r * h.RepairHours / 8766))).ToArray();
        var total = 0.0;
        for (var state = 0; state < 1 << up.Length; state++)
        {
            if (Left(state) < placement.Needed)
                continue;
            var chance = Enumerable.Range(0, up.Length).Aggregate(1.0, (p, i) => p * ((state >> i & 1) == 1 ? up[i] : 1 - up[i]));
            var everyPlace = (state & ((1 << places) - 1)) == (1 << places) - 1;
            for (var part = everyPlace ? places - 1 : up.Length - 1; part >= 0; part--)
            {
                if ((state >> part & 1) == 1 && Left(state & ~(1 << part)) < placement.Needed)
                    total += chance * rates[part];
            }
        }
        return total;

        int Left(int state)
        {
            var left = 0;
            for (var i = 0; i < placement.Fragments.Count; i++)
            {
                var f = placement.Fragments[i];
                if (IsUp(regions.IndexOf(f.Region)) && IsUp(regions.Count + zones.IndexOf((f.Region, f.Zone))) && IsUp(places + i))
                    left++;
            }
            return left;

            bool IsUp(int part) => (state >> part & 1) == 1;
        }
    }

    /// <summary>The largest number of places all of whose combinations can be lost.</summary>
    private static int Tried<T>(Placement placement, Func<FragmentPlace, T> place)
    {
        var places = placement.Fragments.Select(place).Distinct().ToList();
        var survived = places.Count;
        for (var lost = 0; lost < 1 << places.Count; lost++)
        {
            var left = placement.Fragments.Count(f => (lost >> places.IndexOf(place(f)) & 1) == 0);
            if (left < placement.Needed)
                survived = Math.Min(survived, System.Numerics.BitOperations.PopCount((uint)lost) - 1);
        }
        return survived;
    }

    private static double Enumerated(Placement placement, Hazards h)
    {
        var device = 1 / (1 + (Durability.FailureRate(h.DeviceFailuresPerYear) * h.RepairHours));
        var regions = placement.Fragments.Select(f => f.Region).Distinct().ToList();
        var zones = placement.Fragments.Select(f => (f.Region, f.Zone)).Distinct().ToList();
        double[] up =
        [
            .. regions.Select(_ => 1 - (h.RegionOutagesPerYear * h.RegionOutageHours / 8766)),
            .. zones.Select(_ => 1 - (h.ZoneOutagesPerYear * h.ZoneOutageHours / 8766)),
            .. placement.Fragments.Select(_ => device),
        ];
        var readable = 0.0;
        for (var state = 0; state < 1 << up.Length; state++)
        {
            var reachable = 0;
            for (var i = 0; i < placement.Fragments.Count; i++)
            {
                var f = placement.Fragments[i];
                if (
                    IsUp(regions.IndexOf(f.Region))
                    && IsUp(regions.Count + zones.IndexOf((f.Region, f.Zone)))
                    && IsUp(regions.Count + zones.Count + i)
                )
                    reachable++;
            }
            if (reachable < placement.Needed)
                continue;
            readable += Enumerable.Range(0, up.Length).Aggregate(1.0, (p, i) => p * (IsUp(i) ? up[i] : 1 - up[i]));

            bool IsUp(int part) => (state >> part & 1) == 1;
        }
        return readable;
    }
}
