using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Retention;

namespace Ripen.Core.Tests;

/// <summary>What may go and what goes by month, worked by hand; and what does not fit together, with drafts that mend it.</summary>
public sealed class KeepingTests
{
    private static Estate Estate(string bucket, string more = "") =>
        EstateDocument
            .Read(
                $$"""
                { "ripen": 1, "name": "Kept", "today": "2026-11-01", "priceBook": {{TwoRegions.PriceBook()}},
                  "buckets": [{ "name": "logs", "region": "near", "scheme": "plain", "tier": "counter", {{bucket}} }{{more}}] }
                """
            )
            .Value;

    private const string Lot =
        """{ "prefix": "a/", "created": "2026-10-29", "tier": "counter", "inTierSince": "2026-10-29", "objects": 5, "bytesPerObject": 1000 }""";

    /// <summary>Kept for 10 days and gone at 20: of two a day those of the first 20 days are free within November's 30, and those of the next 31
    /// in December; the lot on its own tenth day.</summary>
    [Fact]
    public void Months_are_those_worked_by_hand()
    {
        var estate = Estate(
            $$"""
            "stock": [{{Lot}}], "streams": [{ "prefix": "a/", "objectsPerDay": 2, "bytesPerObject": 1000 }],
            "rules": [{ "id": "go", "expireAt": 20 }], "keep": { "days": 10, "strength": "sealed" }
            """
        );
        var calendar = KeepingCalendar.Of(estate, 2);
        Assert.Equal([45, 62], calendar.Months.Select(m => m.FreedObjects));
        Assert.Equal([45_000, 62_000], calendar.Months.Select(m => m.FreedBytes));
        Assert.Equal([25, 62], calendar.Months.Select(m => m.ExpiringObjects), (a, b) => Math.Abs(a - b) < 1e-9);
        var free = Assert.Single(calendar.Events);
        Assert.Equal((new DateOnly(2026, 11, 8), KeepingEventKind.BucketFree, 5.0), (free.Day, free.Kind, free.Objects));
        Assert.Equal(0, calendar.EndlessObjects);
    }

    [Fact]
    public void Holds_and_retention_until_a_day_have_their_days_and_what_has_none_is_told_apart()
    {
        var estate = Estate(
            $$"""
            "stock": [{{Lot}}], "keep": { "until": "2027-01-15", "strength": "sealed" },
            "holds": [
              { "id": "ninth", "prefix": "a/", "reason": "asked for", "placed": "2026-10-30", "released": "2027-03-01" },
              { "id": "over", "reason": "asked for", "placed": "2026-10-01", "released": "2026-10-20" }
            ]
            """
        );
        var calendar = KeepingCalendar.Of(estate, 6);
        Assert.Equal(
            [
                (KeepingEventKind.RetentionEnds, new DateOnly(2027, 1, 15)),
                (KeepingEventKind.HoldEnds, new DateOnly(2027, 3, 1)),
                (KeepingEventKind.BucketFree, new DateOnly(2027, 3, 1)),
            ],
            calendar.Events.Select(e => (e.Kind, e.Day))
        );
        Assert.Equal([0, 0, 0, 0, 5, 0], calendar.Months.Select(m => m.FreedObjects));
        var endless = estate.Buckets[0] with { Holds = [estate.Buckets[0].Holds[0] with { Released = null }] };
        var without = KeepingCalendar.Of(estate with { Buckets = [endless] }, 6);
        Assert.Equal((5.0, 5000.0), (without.EndlessObjects, without.EndlessBytes));
        // Five kilobytes of a month's gigabytes at the first price.
        var term = Assert.Single(without.EndlessTerms);
        Assert.Equal(5e-6, term.Quantity, 1e-18);
        Assert.Equal(estate.PriceBook.Regions[0].Prices[0].Storage[0].Price.PerUnit, term.Price);
        Assert.Equal(term.Quantity * term.Price, without.EndlessMonthly, 1e-15);
        Assert.Equal(without.EndlessMonthly, calendar.Months[4].FreedMonthly, 1e-15);
        Assert.Equal(0, without.Months.Sum(m => m.FreedObjects));
        Assert.Contains(KeepingConflicts.Of(estate with { Buckets = [endless] }), c => c.Code == "kept-without-end");
    }

    private const string Far =
        """, { "name": "far", "region": "far", "scheme": "plain", "tier": "counter", "rules": [{ "id": "go", "expireAt": 5 }] }""";

    [Theory]
    [InlineData("expires-while-kept", """ "keep": { "days": 40, "strength": "sealed" }, "rules": [{ "id": "go", "expireAt": 20 }] """, "")]
    [InlineData("versions-never-go", """ "versioning": true """, "")]
    [InlineData(
        "copy-goes-first",
        """ "versioning": true, "copyTo": [{ "bucket": "far", "catchUp": false }], "rules": [{ "id": "go", "expireAt": 9 }] """,
        Far
    )]
    [InlineData("copy-goes-first", """ "versioning": true, "copyTo": [{ "bucket": "far", "catchUp": false }] """, Far)]
    [InlineData(
        "copy-kept-less",
        """ "versioning": true, "copyTo": [{ "bucket": "far", "catchUp": false }], "keep": { "days": 3, "strength": "liftable" } """,
        Far
    )]
    [InlineData("finds-nothing", """ "rules": [{ "id": "go", "prefix": "b/", "expireAt": 20 }] """, "")]
    public void What_does_not_fit_is_told_and_its_draft_mends_it(string code, string bucket, string more)
    {
        var estate = Estate($$"""{{bucket}}, "stock": [{{Lot}}] """, more);
        var conflict = Assert.Single(KeepingConflicts.Of(estate), c => c.Code == code);
        Assert.Equal("logs", conflict.Bucket);
        var draft = conflict.Draft!;
        var mended = estate.With(draft with { Stock = estate.Find(draft.Name)!.Stock }, draft.Name);
        Assert.DoesNotContain(KeepingConflicts.Of(mended), c => (c.Code, c.Sentence) == (conflict.Code, conflict.Sentence));
        Assert.True(EstateDocument.Read(EstateDocument.Write(mended)).Ok);
    }

    [Fact]
    public void A_step_that_nothing_lives_to_see_is_told_and_left_out_by_its_draft()
    {
        var example = EstateDocument.Read(File.ReadAllText("Examples/ferry-small.json")).Value;
        var rule = new LifecycleRule
        {
            Id = "go",
            ExpireAt = 20,
            Steps = [new Step { Age = 30, Tier = example.PriceBook.Tiers[^1].Id }],
        };
        var bucket = example.Buckets[0] with { Rules = [rule], Keep = null, Versioning = false, CopyTo = [] };
        var conflict = Assert.Single(KeepingConflicts.Of(example.With(bucket, bucket.Name)), c => c.Code == "step-never-comes");
        Assert.Empty(Assert.Single(conflict.Draft!.Rules).Steps);
        // What is kept so long lives to see it.
        var kept = bucket with
        {
            Keep = new KeepRule { Days = 40, Strength = KeepStrength.Sealed },
        };
        Assert.DoesNotContain(KeepingConflicts.Of(example.With(kept, bucket.Name)), c => c.Code == "step-never-comes");
    }

    /// <summary>Whatever an estate is like: a draft is one that can be applied, and its conflict is gone with it.</summary>
    [Fact]
    public void Every_draft_mends_its_conflict_and_leaves_an_estate_that_is_whole() =>
        RandomEstates.Check(
            80,
            estate =>
            {
                foreach (var conflict in KeepingConflicts.Of(estate).Where(c => c.Draft is not null))
                {
                    var before = estate.Find(conflict.Draft!.Name)!;
                    var copies = conflict.Draft.CopyTo.Zip(before.CopyTo, (c, b) => c with { Waiting = b.Waiting });
                    var mended = estate.With(conflict.Draft with { Stock = before.Stock, CopyTo = [.. copies] }, before.Name);
                    if (
                        KeepingConflicts
                            .Of(mended)
                            .Any(c => (c.Code, c.Bucket, c.Sentence) == (conflict.Code, conflict.Bucket, conflict.Sentence))
                    )
                        return $"{conflict.Code} of {conflict.Bucket} is not mended: {conflict.Sentence}";
                    if (EstateDocument.Read(EstateDocument.Write(mended)).Problems is [var problem, ..])
                        return $"{conflict.Code} of {conflict.Bucket}: {problem.Path} {problem.Message}";
                }
                return null;
            }
        );

    /// <summary>Sums are of all rows, however few are told; a row has a figure for each month.</summary>
    [Fact]
    public void Months_ahead_are_summed_over_all_rows()
    {
        var estate = Samples.Demo();
        var deeds = RulesAhead.Of(estate, 5);
        var (all, one) = (
            RulesAheadReading.Of(deeds, estate.Today, 5, int.MaxValue),
            RulesAheadReading.Of(deeds, estate.Today, 5, most: 1)
        );
        Assert.Equal(5, all.Months.Count);
        Assert.Equal((all.InAll, 1), (one.InAll, one.Rows.Count));
        Assert.Equal(all.Rows.Count, all.InAll);
        for (var m = 0; m < 5; m++)
        {
            Assert.Equal(all.Rows.Sum(r => r.Charges[m]), one.Charges[m], 9);
            Assert.Equal(deeds.Where(d => d.Month == all.Months[m]).Sum(d => d.Bytes), one.Bytes[m], 1e-3);
        }
        Assert.True(one.Objects.Sum() > 1000);
    }
}
