using System.Globalization;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Tests;

public sealed class ScenarioTests
{
    private const int Months = 5;

    private static Estate Assume(Estate estate, params Assumption[] assumptions)
    {
        var (estates, problems) = Assuming.Of(Of(assumptions), estate);
        Assert.Empty(problems);
        return estates[^1];
    }

    private static Scenario Of(params IReadOnlyList<Assumption> assumptions) =>
        new()
        {
            Id = "what-if",
            Name = "What if",
            Assumptions = assumptions,
        };

    /// <summary>Arrivals of day d are 10 × 1.5 × 1.21^(d/365), a geometric series: model.md, section 3.1.</summary>
    [Fact]
    public void More_arrives_as_the_closed_form_says()
    {
        var estate = Samples.Single(Samples.Steady(10, 1000) with { YearlyGrowth = 0.01 }, [], null);
        var grown = Assume(
            estate,
            new Assumption
            {
                Growth = new() { Arrivals = 1.5, YearlyGrowth = 0.2 },
            }
        );
        var writes = Projection.Of(grown, 24).Rows().Where(r => r.Charge == Charge.Writes).Sum(r => r.Quantity);
        var days = new DateOnly(estate.Today.Year, estate.Today.Month, 1).AddMonths(24).DayNumber - estate.Today.DayNumber;
        var daily = Math.Pow(1.21, 1 / 365.0);
        Assert.Equal(15 * (Math.Pow(daily, days) - 1) / (daily - 1), writes, 1e-6);
    }

    [Fact]
    public void Growth_of_a_prefix_leaves_other_streams_and_of_everything_takes_workloads_along()
    {
        var estate = Samples.Demo();
        var bucket = estate.Buckets.First(b => b.Streams.Count > 1 && b.Streams.Select(s => s.Prefix).Distinct().Count() > 1);
        var prefix = bucket.Streams.First(s => s.Prefix.Length > 0).Prefix;
        var one = Assume(
            estate,
            new Assumption
            {
                Growth = new()
                {
                    Bucket = bucket.Name,
                    Prefix = prefix,
                    Arrivals = 2,
                },
            }
        );
        Assert.All(
            bucket.Streams.Zip(one.Find(bucket.Name)!.Streams),
            p =>
                Assert.Equal(
                    p.First.ObjectsPerDay * (p.First.Prefix.StartsWith(prefix, StringComparison.Ordinal) ? 2 : 1),
                    p.Second.ObjectsPerDay
                )
        );
        Assert.Same(estate.Workloads, one.Workloads);
        Assert.All(estate.Buckets.Where(b => b != bucket), b => Assert.Same(b, one.Find(b.Name)));
        var all = Assume(estate, new Assumption { Growth = new() { YearlyGrowth = 0.1 } });
        Assert.NotEmpty(estate.Workloads);
        Assert.All(estate.Workloads.Zip(all.Workloads), w => Assert.Equal(w.First.YearlyGrowth + 0.1, w.Second.YearlyGrowth, 1e-12));
    }

    [Fact]
    public void Reading_more_often_reads_and_recalls_so_many_times_as_much()
    {
        var read = 0;
        RandomEstates.Check(
            40,
            estate =>
            {
                // A rule by reading moves other objects when more are read; what is bundled is read for that.
                if (estate.Buckets.Any(b => b.Rules.Any(r => r.WatchesReading || r.Steps.Any(s => s.BundleTo is not null))))
                    return null;
                read += estate.Buckets.Sum(b => b.Reads.Count);
                var often = Assume(estate, new Assumption { Reading = new() { Times = 0.25 } });
                return Compare.Difference(
                    [
                        .. Used(Projection.Of(estate, Months))
                            .Select(r =>
                                r.Charge is Charge.Reads or Charge.Recall ? r with { Quantity = r.Quantity / 4, Amount = r.Amount / 4 } : r
                            ),
                    ],
                    [.. Used(Projection.Of(often, Months))]
                );
            }
        );
        Assert.True(read > 10, $"{read} habits of reading");
    }

    /// <summary>What buckets are charged, without what is agreed for all of them.</summary>
    private static IEnumerable<ForecastRow> Used(Projection projection) => projection.Rows().Where(r => !r.Charge.IsAgreed());

    [Fact]
    public void Prices_multiply_what_they_price_from_their_day_on_and_nothing_else()
    {
        var (draw, touched) = (0, 0);
        var charges = Enum.GetValues<Charge>()
            .Where(c => c != Charge.EarlyLeave && !c.IsAgreed())
            .Select(c => (Charge?)c)
            .Append(null)
            .ToArray();
        RandomEstates.Check(
            60,
            estate =>
            {
                draw++;
                var charge = charges[draw % charges.Length];
                var from = draw % 2 == 0 ? estate.Today : estate.Today.AddDays(draw * 7 % 120);
                var raised = Assume(
                    estate,
                    new Assumption
                    {
                        Prices = new()
                        {
                            From = from,
                            Charge = charge,
                            Times = 1.75,
                        },
                    }
                );
                var (before, after) = (Projection.Of(estate, Months), Projection.Of(raised, Months));
                var rows = after.Rows().ToList();
                if (Compare.Difference(rows, [.. before.With(raised).Rows()]) is { } otherwise)
                    return $"prices of {from}, taken over: {otherwise}";
                foreach (var (was, will) in Used(before).Zip(Used(after)))
                {
                    var meant = charge is null || charge == (was.Charge == Charge.EarlyLeave ? Charge.Storage : was.Charge);
                    var (begins, ends) = (First(was.Month), First(was.Month).AddMonths(1));
                    var (least, most) = (meant && from <= begins ? 1.75 : 1, meant && from < ends ? 1.75 : 1);
                    touched += least > 1 ? 1 : 0;
                    if (
                        was with { Amount = 0 } != will with { Amount = 0, Quantity = was.Quantity }
                        || !Compare.Close(was.Quantity, will.Quantity)
                    )
                        return $"{was} became {will}";
                    // A first month that began before today has only the days from today on.
                    if (
                        from <= estate.Today && meant
                            ? !Compare.Close(was.Amount * 1.75, will.Amount)
                            : !Within(was.Amount, will.Amount, least, most)
                    )
                        return $"{charge} from {from}: {was} became {will}";
                }
                return null;
            }
        );
        Assert.True(touched > 100, $"{touched} rows were raised");

        static DateOnly First(Month month) => new(month.Year, month.Number, 1);
        static bool Within(double was, double will, double least, double most) =>
            will >= (was * least) - Compare.Tolerance - (was * Compare.Tolerance)
            && will <= (was * most) + Compare.Tolerance + (was * most * Compare.Tolerance);
    }

    [Fact]
    public void A_price_book_of_its_own_holds_from_today_on_and_its_days_pass_as_those_of_the_one_in_force()
    {
        var estate = Samples.Small();
        var day = estate.Today.AddDays(40);
        var region = estate.PriceBook.Regions[0];
        var dear = region.Prices[0] with { Writes = new(7) };
        var book = estate.PriceBook with { Changes = [new() { From = day, Regions = [new() { Id = region.Id, Prices = [dear] }] }] };
        var (before, after) = (
            Assume(estate, Assumption.Of(book)).PriceBook,
            Assume(estate with { Today = day }, Assumption.Of(book)).PriceBook
        );
        Assert.Equal(region.Prices[0].Writes, before.Regions[0].Prices[0].Writes);
        Assert.Single(before.Changes);
        Assert.Equal(7, after.Regions[0].Prices[0].Writes.PerThousand);
        Assert.Empty(after.Changes);
        Assert.Empty(after.Earlier);
    }

    [Fact]
    public void A_price_of_one_tier_in_one_region_leaves_all_others()
    {
        var estate = Samples.Demo();
        var region = estate.PriceBook.Regions.First(r => r.Prices.Count > 1);
        var tier = region.Prices[1].Tier;
        var raised = Assume(
            estate,
            new Assumption
            {
                Prices = new()
                {
                    Region = region.Id,
                    Tier = tier,
                    Times = 3,
                },
            }
        );
        var (sawOne, sawOthers) = (0, 0);
        foreach (var (was, will) in Projection.Of(estate, 12).Rows().Zip(Projection.Of(raised, 12).Rows()))
        {
            var meant = was.Region == region.Id && was.Tier == tier && was.Charge != Charge.Transfer;
            Assert.True(Compare.Close(was.Amount * (meant ? 3 : 1), will.Amount), $"{was} became {will}");
            (sawOne, sawOthers) = (sawOne + (meant ? 1 : 0), sawOthers + (meant ? 0 : 1));
        }
        Assert.True(sawOne > 0 && sawOthers > 0);
    }

    /// <summary>The whole estate is projected anew from nothing for the totals; the parts come from what was taken over.</summary>
    [Fact]
    public void Differences_add_up_both_ways()
    {
        var draw = 0;
        RandomEstates.Check(
            40,
            estate =>
            {
                draw++;
                var bucket = estate.Buckets[draw % estate.Buckets.Count];
                var region = estate.PriceBook.Regions[draw % estate.PriceBook.Regions.Count].Id;
                List<Assumption> wanted =
                [
                    new()
                    {
                        Place = new() { Bucket = bucket.Name, Region = region },
                    },
                    new()
                    {
                        Growth = new() { Bucket = bucket.Name, Arrivals = 3 },
                    },
                    new()
                    {
                        Prices = new() { Charge = Charge.Storage, Times = 0.5 },
                    },
                    new() { Reading = new() { Times = 2 } },
                    new()
                    {
                        Bucket = new() { Stated = estate.Today, As = bucket with { Rules = [], CopyTo = [] } },
                    },
                ];
                // Not every region takes every bucket.
                var fitting = wanted.Where(a => Assuming.Of(Of(a), estate).Problems.Count == 0).ToList();
                var (estates, problems) = Assuming.Of(Of(fitting), estate);
                if (problems.Count > 0)
                    return null;
                var chain = new List<Projection> { Projection.Of(estate, Months) };
                foreach (var after in estates)
                    chain.Add(chain[^1].With(after));
                var (first, count) = (draw % 2, Months - 1);
                var totals = new[] { estate }
                    .Concat(estates)
                    .Select(e => Projection.Of(e, Months).Rows().Sum(r => In(r.Month, chain[0], first, count) ? r.Amount : 0))
                    .ToList();
                foreach (var by in Enum.GetValues<TellBy>())
                {
                    var told = Difference.Of([.. chain.Select(ProjectedMoney.Of)], first, count, by);
                    if (!Compare.Close(totals[0], told.Totals[0]) || !Compare.Close(totals[^1], told.Totals[^1]))
                        return $"by {by}: from {told.Totals[0]} to {told.Totals[^1]}, and not from {totals[0]} to {totals[^1]}";
                    for (var i = 0; i < fitting.Count; i++)
                    {
                        if (!Compare.Close(totals[i + 1] - totals[i], told.Changes[i]))
                            return $"by {by}: assumption {i} adds {told.Changes[i]}, and not {totals[i + 1] - totals[i]}";
                        if (!Compare.Close(told.Lines.Sum(l => l.Changes[i]), told.Changes[i]))
                            return $"by {by}: the lines of assumption {i} do not make {told.Changes[i]}";
                    }
                    foreach (var line in told.Lines.Append(new("", "", told.Totals[0], told.Changes, told.Totals[^1], told.From, told.To)))
                    {
                        if (!Compare.Close(line.Before + line.Changes.Sum(), line.After))
                            return $"by {by}: {line.Key} does not lead from {line.Before} to {line.After}";
                    }
                }
                return null;
            }
        );

        static bool In(Month month, Projection of, int first, int count) =>
            new DateOnly(month.Year, month.Number, 1) is var day && day >= First(of, first) && day < First(of, first + count);

        static DateOnly First(Projection of, int month) => new DateOnly(of.Estate.Today.Year, of.Estate.Today.Month, 1).AddMonths(month);
    }

    /// <summary>Month by month, everything else as it was: what is agreed rises in whole months from the day on, in the region that is meant.</summary>
    [Theory]
    [InlineData(Charge.Fixed, "2027-03-10", null, "2027-04")]
    [InlineData(Charge.Fixed, "2027-03-01", null, "2027-03")]
    [InlineData(Charge.Fixed, null, "aldmouth", "2026-11")]
    [InlineData(Charge.Fixed, null, "quarrydown", null)]
    [InlineData(Charge.Devices, null, "quarrydown", "2026-11")]
    [InlineData(Charge.Devices, null, "aldmouth", null)]
    public void What_is_agreed_rises_where_it_is_named(Charge charge, string? from, string? region, string? first)
    {
        var estate = Samples.Demo();
        var assumed = Assume(
            estate,
            new Assumption
            {
                Prices = new()
                {
                    Charge = charge,
                    From = from is null ? null : DateOnly.Parse(from, CultureInfo.InvariantCulture),
                    Region = region,
                    Times = 1.5,
                },
            }
        );
        var (before, after) = (Projection.Of(estate, 12).Rows().ToList(), Projection.Of(assumed, 12).Rows().ToList());
        var risen = 0;
        foreach (var row in before)
        {
            var now = after.Single(r =>
                (r.Month, r.Bucket, r.Region, r.Tier, r.Charge) == (row.Month, row.Bucket, row.Region, row.Tier, row.Charge)
            );
            var rises =
                row.Charge == charge
                && first is not null
                && string.CompareOrdinal(row.Month.ToString(), first) >= 0
                && (region is null || row.Region == region);
            // What devices cost is no use that a commitment counts; everything but the rising stays.
            Assert.Equal(rises ? row.Amount * 1.5 : row.Amount, now.Amount, 1e-9);
            risen += rises ? 1 : 0;
        }
        Assert.Equal(before.Count, after.Count);
        Assert.Equal(first is null, risen == 0);
    }

    [Fact]
    public void What_a_commitment_promises_rises_from_a_month_on_and_its_days_before_stay()
    {
        var estate = Samples.Demo();
        var day = new DateOnly(2027, 2, 1);
        var assumed = Assume(
            estate,
            new Assumption
            {
                Prices = new()
                {
                    Charge = Charge.Commitment,
                    From = day,
                    Times = 3,
                },
            }
        );
        foreach (var commitment in estate.PriceBook.Agreements.Commitments)
        {
            var month = new Month(2027, 1);
            var (now, then) = (In(assumed, month), In(assumed, month.Plus(1)));
            Assert.Equal((commitment.Amount, commitment.Discount), (now.Amount, now.Discount));
            Assert.Equal((commitment.Amount * 3, commitment.Discount), (then.Amount, then.Discount));

            Commitment In(Estate of, Month at) => of.PriceBook.Agreements.Commitments.Single(c => c.Name == commitment.Name && c.Holds(at));
        }
        var twice = Assume(
            assumed,
            new Assumption
            {
                Prices = new()
                {
                    Charge = Charge.Commitment,
                    From = day,
                    Times = 2,
                },
            }
        );
        Assert.Equal(assumed.PriceBook.Agreements.Commitments.Count, twice.PriceBook.Agreements.Commitments.Count);
    }

    [Theory]
    [InlineData("""{ "charge": "devices", "times": 2, "from": "2027-03-01" }""", "no-day", "$.assumptions[0].prices.from")]
    [InlineData("""{ "charge": "fixed", "times": 2, "tier": "cave" }""", "no-tier", "$.assumptions[0].prices.tier")]
    public void What_an_agreement_does_not_know_cannot_be_assumed_of_it(string prices, string code, string path)
    {
        var scenario = EstateDocument.ReadScenario($$"""{ "id": "a", "name": "A", "assumptions": [ { "prices": {{prices}} } ] }""").Value;
        var problem = Assert.Single(Assuming.Of(scenario, Samples.Demo()).Problems);
        Assert.Equal((code, path), (problem.Code, problem.Path));
    }

    [Fact]
    public void Many_small_changes_are_told_together_and_lose_nothing()
    {
        var estate = Samples.Small();
        estate = estate with
        {
            Buckets =
            [
                .. Enumerable
                    .Range(0, 40)
                    .Select(i => Samples.Bucket([Samples.Steady(1 + i, 1_000_000)], [], null) with { Name = $"bucket-{i}" }),
            ],
        };
        var before = Projection.Of(estate, 12);
        var told = Difference.Of(
            [ProjectedMoney.Of(before), ProjectedMoney.Of(before.With(Assume(estate, new Assumption { Growth = new() { Arrivals = 2 } })))],
            0,
            12,
            TellBy.Bucket
        );
        Assert.Equal((ForecastSeries.MostLines, "29 others"), (told.Lines.Count, told.Lines[^1].Name));
        Assert.Equal("bucket-39", told.Lines[0].Key);
        Assert.Equal(told.Changes[0], told.Lines.Sum(l => l.Changes[0]), 1e-9);
        Assert.Equal(told.Totals[^1], told.Lines.Sum(l => l.After), 1e-9);
    }

    [Fact]
    public void Another_bucket_has_what_the_one_in_its_place_holds_and_arrivals_go_on_growing()
    {
        var estate = Samples.Small();
        var bucket = estate.Buckets.First(b => b.Stock.Count > 0);
        var stated = estate.Today.AddDays(-365);
        var draft = bucket with { Stock = [], Rules = [], Streams = [Samples.Steady(10, 5) with { YearlyGrowth = 0.5 }] };
        var after = Assume(
                estate,
                new Assumption
                {
                    Bucket = new() { Stated = stated, As = draft },
                }
            )
            .Find(bucket.Name)!;
        Assert.Equal(bucket.Stock, after.Stock);
        Assert.Equal(15, after.Streams[0].ObjectsPerDay, 1e-9);
        var other = Assume(
            estate,
            new Assumption
            {
                Bucket = new() { Stated = estate.Today, As = draft with { Name = "one-more" } },
            }
        );
        Assert.Equal(estate.Buckets.Count + 1, other.Buckets.Count);
        var parts = ScenarioParts.Of(estate, other);
        Assert.Equal(("one-more", true), (Assert.Single(parts.Buckets).Name, parts.Prices is null));
    }

    [Fact]
    public void What_does_not_fit_any_more_is_said_with_its_place_and_ends_the_scenario()
    {
        var estate = Samples.Small();
        var fits = new Assumption { Reading = new() { Times = 2 } };
        foreach (
            var (wrong, code, path) in new (Assumption, string, string)[]
            {
                (new() { Growth = new() { Bucket = "long-gone" } }, "unknown-reference", "$.assumptions[1].growth.bucket"),
                (new() { Growth = new() { YearlyGrowth = -1 } }, "shrinks-to-nothing", "$.assumptions[1].growth.yearlyGrowth"),
                (
                    new()
                    {
                        Prices = new() { Tier = "nowhere", Times = 1 },
                    },
                    "unknown-reference",
                    "$.assumptions[1].prices.tier"
                ),
                (new() { Place = new() { Region = "nowhere" } }, "unknown-reference", "$.assumptions[1]"),
            }
        )
        {
            var (estates, problems) = Assuming.Of(Of(fits, wrong, fits), estate);
            Assert.Single(estates);
            Assert.Contains(problems, p => (p.Code, p.Path) == (code, path));
        }
    }

    [Fact]
    public void A_document_keeps_its_scenarios()
    {
        var estate = Samples.Small() with
        {
            Scenarios =
            [
                Of(
                    new Assumption
                    {
                        Growth = new()
                        {
                            Bucket = "deck-cameras",
                            Prefix = "bow/",
                            Arrivals = 2,
                            YearlyGrowth = -0.1,
                        },
                    },
                    new Assumption { Reading = new() { Times = 3 } },
                    new Assumption
                    {
                        Prices = new()
                        {
                            From = new(2027, 1, 1),
                            Region = "aldmouth",
                            Tier = "cave",
                            Charge = Charge.Recall,
                            Times = 1.1,
                        },
                    },
                    new Assumption { Place = new() { Scheme = "one-site" } },
                    new Assumption
                    {
                        Bucket = new() { Stated = new(2026, 3, 1), As = Samples.Small().Buckets[0] with { Stock = [] } },
                    }
                ),
            ],
        };
        var document = EstateDocument.Write(estate);
        var read = EstateDocument.Read(document);
        Assert.True(read.Ok, string.Join('\n', read.Problems));
        Assert.Equal(document, EstateDocument.Write(read.Value));
        Assert.Equal(5, read.Value.Scenarios[0].Assumptions.Count);
        Assert.DoesNotContain("scenarios", EstateDocument.Write(Samples.Small()), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("""{ "id": "a", "name": "A", "assumptions": [ {} ] }""", "not-one-assumption", "$.assumptions[0]")]
    [InlineData(
        """{ "id": "a", "name": "A", "assumptions": [ { "reading": { "times": 1 }, "growth": {} } ] }""",
        "not-one-assumption",
        "$.assumptions[0]"
    )]
    [InlineData(
        """{ "id": "a", "name": "A", "assumptions": [ { "reading": { "times": -1 } } ] }""",
        "out-of-range",
        "$.assumptions[0].reading.times"
    )]
    [InlineData(
        """{ "id": "a", "name": "A", "assumptions": [ { "prices": { "times": 1, "charge": "early-leave" } } ] }""",
        "unknown-choice",
        "$.assumptions[0].prices.charge"
    )]
    [InlineData(
        """{ "id": "a", "name": "A", "assumptions": [ { "bucket": { "stated": "2026-03-01" } } ] }""",
        "missing-property",
        "$.assumptions[0].bucket.as"
    )]
    [InlineData(
        """{ "id": "a", "name": "A", "assumptions": [ { "reading": { "times": 1, "weekly": true } } ] }""",
        "unknown-property",
        "$.assumptions[0].reading.weekly"
    )]
    public void A_mistake_is_told_with_its_place(string json, string code, string path)
    {
        var read = EstateDocument.ReadScenario(json);
        Assert.Contains(read.Problems, p => (p.Code, p.Path) == (code, path));
        Assert.Contains(
            EstateDocument.ReadScenarios($$"""{ "scenarios": [ {{json}} ] }""").Problems,
            p => (p.Code, p.Path) == (code, path.Replace("$", "$.scenarios[0]", StringComparison.Ordinal))
        );
    }

    [Fact]
    public void Two_scenarios_have_two_ids()
    {
        const string twice = """{ "scenarios": [ { "id": "a", "name": "A" }, { "id": "a", "name": "B" } ] }""";
        Assert.Equal("$.scenarios[1].id", Assert.Single(EstateDocument.ReadScenarios(twice).Problems).Path);
    }
}
