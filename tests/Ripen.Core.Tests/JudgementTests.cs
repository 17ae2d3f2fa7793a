using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

/// <summary>What workloads are judged by, on a fortnight that was worked by hand: a point every second day, kept for six, and every third of
/// them copied into a sealed bucket of another region, kept for eight.</summary>
public sealed class JudgementTests
{
    private static Estate Fortnight =>
        EstateDocument
            .Read(
                $$"""
                {
                  "ripen": 1, "name": "Fortnight", "today": "2026-11-01",
                  "priceBook": {{TwoRegions.PriceBook()}},
                  "buckets": [
                    { "name": "near-shelf", "region": "near", "scheme": "plain", "tier": "counter" },
                    { "name": "far-shelf", "region": "far", "scheme": "plain", "tier": "counter", "keep": { "days": 10, "strength": "sealed" } }
                  ],
                  "workloads": [{ "id": "ledgers", "name": "Ledgers", "bytes": 360000000000, "region": "near", "rpoHours": 26, "rtoHours": 8 }],
                  "targets": [
                    { "id": "vault", "name": "Vault", "kind": "bucket", "bucket": "near-shelf", "prefix": "v/", "deduplicates": false, "bytesPerSecond": 100000000 },
                    { "id": "far-vault", "name": "Far vault", "kind": "bucket", "bucket": "far-shelf", "prefix": "v/", "deduplicates": false, "bytesPerSecond": 50000000 }
                  ],
                  "plans": [{ "id": "second-days", "workloads": ["ledgers"], "target": "vault", "every": { "days": 2 }, "keep": { "days": 6 },
                    "copies": [{ "target": "far-vault", "every": { "days": 6 }, "keep": { "days": 8 } }] }]
                }
                """
            )
            .Value;

    /// <summary>Every six hours, all of them kept for six days: at most six hours are lost, and seven with one of them left out. Whoever keeps
    /// the first of each day longer has a day between two.</summary>
    [Theory]
    [InlineData("[\"00:00\", \"06:00\", \"12:00\", \"18:00\"]", "\"days\": 6", 6)]
    [InlineData("[\"01:00\", \"06:00\", \"13:00\", \"18:00\"]", "\"months\": 1", 7)]
    [InlineData("[\"08:00\", \"20:00\"]", "\"days\": 6", 12)]
    [InlineData("[\"00:00\", \"06:00\", \"12:00\", \"18:00\"]", "\"daily\": 6", 24)]
    [InlineData("[]", "\"days\": 6", 24)]
    public void What_runs_several_times_a_day_is_judged_by_the_hours_between(string at, string keep, double hours)
    {
        var document = System.Text.Json.Nodes.JsonNode.Parse(EstateDocument.Write(Fortnight))!;
        document["workloads"]![0]!["source"] = new System.Text.Json.Nodes.JsonObject { ["folder"] = "ledgers" };
        document["workloads"]![0]!["rpoHours"] = 8;
        document["plans"]![0] = System.Text.Json.Nodes.JsonNode.Parse(
            $$"""{ "id": "often", "workloads": ["ledgers"], "target": "vault", "every": { "days": 1 }, "at": {{at}}, "keep": { {{keep}} } }"""
        );
        var estate = EstateDocument.Read(document.ToJsonString()).Value;
        var judged = Assert.Single(WorkloadJudgement.On(estate, Eleventh));
        Assert.Equal(hours, judged.LargestGapHours);
        Assert.Equal(hours <= 8 ? Verdict.Met : Verdict.Missed, judged.Rpo);
        var gaps = PointGap.All(estate, Branch.All(estate, Eleventh), Eleventh).ToList();
        Assert.Equal(hours <= 8, gaps.Count == 0);
    }

    private static readonly DateOnly Eleventh = new(2026, 11, 11);

    /// <summary>Of 1, 3, 5, 7, 9 and 11 November the last three are kept on the 11th, and of the copies of the 1st and 7th the second, which
    /// the rule keeps until the 17th. 360 GB at 100 MB/s are an hour.</summary>
    [Fact]
    public void Marks_and_their_evidence_are_those_worked_by_hand()
    {
        var judged = Assert.Single(WorkloadJudgement.On(Fortnight, Eleventh));
        Assert.Equal((4, 1), (judged.Points, judged.Sealed));
        Assert.Equal((Verdict.Missed, 48.0, 0.0), (judged.Rpo, judged.LargestGapHours, judged.NewestHours));
        Assert.Equal((Verdict.Met, "vault"), (judged.Rto, judged.RestoreFrom));
        Assert.Equal(1.0, judged.RestoreHours!.Value, 1e-9);
        Assert.Equal((Verdict.Met, 3, 2, 1), (judged.ThreeTwoOne, judged.Copies, judged.Kinds, judged.Elsewhere));
        Assert.Equal(["vault", "far-vault"], judged.Targets);
        Assert.Null(judged.OnlyRegion);
        // On the 17th the rule lets go of the copy of the 7th; that of the 13th is there and sealed.
        Assert.Equal(1, WorkloadJudgement.On(Fortnight, new DateOnly(2026, 11, 17))[0].Sealed);
    }

    /// <summary>Where equal content is stored once, every point needs the first run, which the rule keeps until the 11th: from then on somebody
    /// could delete what the younger points are made of.</summary>
    [Fact]
    public void A_point_is_sealed_while_the_oldest_run_that_it_needs_is()
    {
        var estate = Fortnight;
        var once = estate with
        {
            Targets = [.. estate.Targets.Select(t => t with { Deduplicates = true })],
            Workloads = [estate.Workloads[0] with { Changing = 0.5, DailyChange = 0.01 }],
        };
        Assert.Equal(2, WorkloadJudgement.On(once, new DateOnly(2026, 11, 8))[0].Sealed);
        Assert.Equal(1, WorkloadJudgement.On(once, new DateOnly(2026, 11, 10))[0].Sealed);
        Assert.Equal(0, WorkloadJudgement.On(once, Eleventh)[0].Sealed);
        Assert.Equal(1, WorkloadJudgement.On(estate, Eleventh)[0].Sealed);
    }

    [Fact]
    public void Before_the_first_run_everything_is_missed_and_without_a_copy_one_region_takes_all()
    {
        var none = Assert.Single(WorkloadJudgement.Now(Fortnight));
        Assert.Equal(
            (0, 0, Verdict.Missed, Verdict.Missed, Verdict.Missed),
            (none.Points, none.Sealed, none.Rpo, none.Rto, none.ThreeTwoOne)
        );
        Assert.Null(none.OnlyRegion);
        var estate = Fortnight;
        var alone = estate with
        {
            Plans = [estate.Plans[0] with { Copies = [] }],
            Workloads = [estate.Workloads[0] with { RpoHours = null }],
        };
        var judged = Assert.Single(WorkloadJudgement.On(alone, Eleventh));
        Assert.Equal((0, "near", 0), (judged.Elsewhere, judged.OnlyRegion, judged.Sealed));
        Assert.Equal((Verdict.Missed, Verdict.NotAgreed), (judged.ThreeTwoOne, judged.Rpo));
    }
}
