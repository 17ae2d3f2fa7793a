using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

/// <summary>What plans take from lists: periods in calendar months, and the machines that carry.</summary>
public sealed class PlanListTests
{
    /// <summary>Worked by hand; a month that lacks the day ends on its last.</summary>
    [Theory]
    [InlineData("2027-01-31", 1, "2027-02-28")]
    [InlineData("2028-01-31", 1, "2028-02-29")]
    [InlineData("2028-02-29", 12, "2029-02-28")]
    [InlineData("2026-11-01", 120, "2036-11-01")]
    [InlineData("2026-08-31", 6, "2027-02-28")]
    public void A_point_is_kept_for_calendar_months(string taken, int months, string until) =>
        Assert.Equal(
            DateOnly.Parse(until, null),
            new PointRetention { Months = months }.KeptUntil(DateOnly.Parse(taken, null), DateOnly.Parse("2026-07-01", null))
        );

    private static Estate Estate(string carriers, string plan = "", string copy = "", double window = 2) =>
        EstateDocument
            .Read(
                $$"""
                {
                  "ripen": 1, "name": "Two machines", "today": "2026-11-01",
                  "priceBook": {{TwoRegions.PriceBook()}},
                  "buckets": [
                    { "name": "near-shelf", "region": "near", "scheme": "plain", "tier": "counter" },
                    { "name": "far-shelf", "region": "far", "scheme": "plain", "tier": "counter" }
                  ],
                  "workloads": [
                    { "id": "ledgers", "name": "Ledgers", "bytes": 360000000000, "dailyChange": 0.1, "region": "near" },
                    { "id": "letters", "name": "Letters", "bytes": 360000000000, "dailyChange": 0.1, "region": "near" }
                  ],
                  "targets": [
                    { "id": "vault", "name": "Vault", "kind": "bucket", "bucket": "near-shelf", "prefix": "v/", "bytesPerSecond": 100000000 },
                    { "id": "far-vault", "name": "Far vault", "kind": "bucket", "bucket": "far-shelf", "prefix": "v/" }
                  ],
                  "carriers": {{carriers}},
                  "plans": [{ "id": "nightly", "workloads": ["ledgers", "letters"], "target": "vault", "every": { "days": 1 }, "windowHours": {{window}},
                    "keep": { "months": 1 }{{plan}}, "copies": [{ "target": "far-vault", "keep": { "days": 8 }{{copy}} }] }]
                }
                """
            )
            .Value;

    private const string Both = """
        [{ "id": "slow", "name": "Slow", "region": "near", "bytesPerSecond": 20000000 },
         { "id": "quick", "name": "Quick", "region": "near", "bytesPerSecond": 50000000 },
         { "id": "far", "name": "Far", "region": "far", "bytesPerSecond": 400000000 }]
        """;

    private static (string?, double?)[] Of(Estate estate) =>
        [.. Branch.All(estate, estate.Today.AddDays(1)).Select(b => (b.Carrier?.Id, b.Seconds(b.Runs[0].Stored.Total)))];

    /// <summary>360 GB: an hour at 100 MB/s, two at 50, five at 20.</summary>
    [Fact]
    public void The_nearest_and_fastest_carries_unless_one_was_chosen_and_the_slower_of_it_and_the_target_counts()
    {
        Assert.Equal([(null, 3600), (null, 3600), (null, null), (null, null)], Of(Estate("[]")));
        Assert.Equal([("quick", 7200), ("quick", 7200), ("quick", 7200), ("quick", 7200)], Of(Estate(Both)));
        Assert.Equal(
            [("far", 3600), ("far", 3600), ("slow", 18000), ("slow", 18000)],
            Of(Estate(Both, """, "carrier": "far" """, """, "carrier": "slow" """))
        );
        // None stands where the workload is: the one where the target is.
        var farOnly = """[{ "id": "far", "name": "Far", "region": "far", "bytesPerSecond": 10000000 }]""";
        Assert.Equal([(null, 3600), (null, 3600), ("far", 36000), ("far", 36000)], Of(Estate(farOnly)));
    }

    /// <summary>Four first loads of two hours, one after the other, by one machine; then a tenth of each.</summary>
    [Fact]
    public void Runs_of_a_day_that_take_longer_than_they_may_are_told_beforehand()
    {
        string? Late(double window)
        {
            var estate = Estate(Both, window: window);
            var outlook = PlanOutlook.Of(
                Ripen.Core.Forecasting.Projection.Of(estate, Ripen.Core.Forecasting.Consequences.Months),
                estate,
                estate.Plans[0]
            );
            return outlook.Doubts.SingleOrDefault(d => d.Code == "longer-than-window")?.Sentence;
        }
        Assert.Contains("Quick takes 8 hours for the runs of 2026-11-01, and 2 are allowed. ", Late(2), StringComparison.Ordinal);
        Assert.Contains("and 0.5 are allowed; so on ", Late(0.5), StringComparison.Ordinal);
        Assert.Null(Late(8));
    }

    [Theory]
    [InlineData("carriers", """[{ "id": "a", "name": "A", "region": "nowhere", "bytesPerSecond": 1 }]""", "$.carriers[0].region")]
    [InlineData("carriers", """[{ "id": "a", "name": "A", "region": "near", "bytesPerSecond": 0 }]""", "$.carriers[0].bytesPerSecond")]
    [InlineData(
        "carriers",
        """[{ "id": "a", "name": "A", "region": "near", "bytesPerSecond": 1 }, { "id": "a", "name": "B", "region": "near", "bytesPerSecond": 1 }]""",
        "$.carriers[1].id"
    )]
    [InlineData("retentionPeriods", """[{ "name": "Accounts" }]""", "$.retentionPeriods[0]")]
    [InlineData("retentionPeriods", """[{ "name": "Accounts", "days": 1, "months": 1 }]""", "$.retentionPeriods[0]")]
    [InlineData("retentionPeriods", """[{ "name": "A", "days": 1 }, { "name": "A", "days": 2 }]""", "$.retentionPeriods[1].name")]
    [InlineData("retentionPeriods", """[{ "name": "", "days": 1 }]""", "$.retentionPeriods[0].name")]
    public void What_is_wrong_in_a_list_is_said_at_its_place(string list, string wrong, string path)
    {
        var document = System.Text.Json.Nodes.JsonNode.Parse(EstateDocument.Write(Estate(Both)))!;
        document[list] = System.Text.Json.Nodes.JsonNode.Parse(wrong);
        Assert.Equal(path, EstateDocument.Read(document.ToJsonString()).Problems[0].Path);
    }

    [Fact]
    public void A_plan_names_a_machine_that_is_there()
    {
        var document = System.Text.Json.Nodes.JsonNode.Parse(EstateDocument.Write(Estate(Both)))!;
        document["plans"]![0]!["copies"]![0]!["carrier"] = "nobody";
        var problem = Assert.Single(EstateDocument.Read(document.ToJsonString()).Problems);
        Assert.Equal(("unknown-reference", "$.plans[0].copies[0].carrier"), (problem.Code, problem.Path));
    }

    [Fact]
    public void Both_lists_come_back_from_a_document()
    {
        var estate = Estate(Both) with
        {
            RetentionPeriods =
            [
                new RetentionPeriod
                {
                    Name = "Accounts",
                    Months = 120,
                    Because = "our own rule",
                },
            ],
        };
        var back = EstateDocument.Read(EstateDocument.Write(estate)).Value;
        Assert.Equal(estate.Carriers, back.Carriers);
        Assert.Equal(estate.RetentionPeriods, back.RetentionPeriods);
    }
}
