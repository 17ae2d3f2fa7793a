using System.Globalization;
using System.Text.Json.Nodes;
using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Tests;

/// <summary>Backup plans: their points, what these need, what it costs.</summary>
public sealed class PlanTests
{
    private static Estate Example => EstateDocument.Read(File.ReadAllText("Examples/ferry-backups.json")).Value;

    /// <summary>Source: the worked example beside this file, computed elsewhere.</summary>
    [Fact]
    public void The_worked_example_agrees_row_for_row() =>
        Compare.AgreesWith("Examples/ferry-backups.24-months.csv", Projection.Of(Example, 24).Rows());

    [Fact]
    public void Its_points_agree()
    {
        var expected = File.ReadAllLines("Examples/ferry-backups.points.2027-06-30.csv").Skip(1).Where(l => l.Length > 0).ToList();
        var actual = RestorePoints.On(Example, new DateOnly(2027, 6, 30));
        Assert.Equal(expected.Count, actual.Count);
        foreach (var (line, p) in expected.Zip(actual))
        {
            var parts = line.Split(',');
            Assert.Equal(string.Join(',', parts[..5]), $"{p.Plan},{p.Target},{p.Workload},{p.Taken:yyyy-MM-dd},{p.KeptUntil:yyyy-MM-dd}");
            Assert.True(Close(parts[5], p.LogicalBytes) && Close(parts[6], p.AddedBytes), $"{line} is not {p}");
            Assert.Equal(parts[7].Length == 0, p.FreedBytes is null);
            Assert.True(p.FreedBytes is null || Close(parts[7], p.FreedBytes.Value), $"{line} is not {p}");
        }
    }

    [Fact]
    public void Its_restores_agree()
    {
        foreach (var one in JsonNode.Parse(File.ReadAllText("Examples/ferry-backups.restores.2027-06-30.json"))!.AsArray())
        {
            var (asked, expected) = (one!["arguments"]!, one["estimate"]!);
            var said = RestoreEstimate.Of(
                Example,
                new RestoreQuestion
                {
                    Plan = (string)asked["plan"]!,
                    Workload = (string)asked["workload"]!,
                    Target = (string)asked["target"]!,
                    Taken = DateOnly.Parse((string)asked["taken"]!, CultureInfo.InvariantCulture),
                    On = DateOnly.Parse((string)asked["on"]!, CultureInfo.InvariantCulture),
                    Speed = (string?)asked["speed"],
                    To = (string?)asked["to"],
                    LineBytesPerSecond = (double?)asked["line"],
                }
            );
            (string Name, double Value)[] figures =
            [
                ("contentBytes", said.ContentBytes),
                ("readBytes", said.ReadBytes),
                ("waitHours", said.WaitHours),
                ("transferHours", said.TransferHours),
                ("hours", said.Hours),
                ("money", said.Money),
            ];
            Assert.All(figures, f => Assert.True(Compare.Close((double)expected[f.Name]!, f.Value), $"{asked.ToJsonString()}: {f}"));
        }
    }

    [Fact]
    public void The_fast_method_equals_the_day_loop_on_random_plans() =>
        RandomPlans.Check(
            120,
            estate =>
            {
                var months = RandomEstates.Months(estate, 5);
                return Compare.Difference(Something(DayLoop.Rows(estate, months)), Something(Projection.Of(estate, months).Rows()));
            }
        );

    /// <summary>300 GB a week over a line that takes nine days for them: what arrives when its original is gone, and is held by then, stays.
    /// Only before the hold did anything leave early.</summary>
    [Fact]
    public void A_copy_that_comes_when_its_original_is_gone_is_kept_by_the_hold_that_it_finds()
    {
        var estate = EstateDocument
            .Read(
                $$"""
                {
                  "ripen": 1, "name": "Late copies", "today": "2023-04-11",
                  "priceBook": {{TwoRegions.PriceBook(megabitsPerSecond: 3, minimumStayDays: 30)}},
                  "buckets": [
                    { "name": "far-shelf", "region": "far", "scheme": "plain", "tier": "counter", "versioning": true,
                      "holds": [{ "id": "storm", "prefix": "", "reason": "Claim", "placed": "2023-04-20" }] },
                    { "name": "near-shelf", "region": "near", "scheme": "plain", "tier": "counter", "versioning": true,
                      "copyTo": [{ "bucket": "far-shelf", "followDeletions": true }] }
                  ],
                  "workloads": [{ "id": "ledgers", "name": "Ledgers", "bytes": 300000000000, "region": "near" }],
                  "targets": [{ "id": "vault", "name": "Vault", "kind": "bucket", "bucket": "near-shelf", "prefix": "a/", "deduplicates": false }],
                  "plans": [{ "id": "weekly", "workloads": ["ledgers"], "target": "vault", "every": { "days": 7 }, "keep": { "days": 0 } }]
                }
                """
            )
            .Value;
        var rows = Projection.Of(estate, 4).Rows().ToList();
        Assert.Null(Compare.Difference(Something(DayLoop.Rows(estate, 4)), Something(rows)));
        Assert.DoesNotContain(rows, r => r is { Bucket: "far-shelf", Charge: Charge.EarlyLeave, Month.Number: > 4 });
    }

    /// <summary>Without rows of what the plain way leaves as the rounding of two large numbers, where there is nothing.</summary>
    private static List<ForecastRow> Something(IEnumerable<ForecastRow> rows) =>
        [.. rows.Where(r => !Compare.Close(r.Quantity, 0) || !Compare.Close(r.Amount, 0))];

    [Fact]
    public void What_points_need_on_a_day_equals_the_plain_way_on_random_plans() =>
        RandomPlans.Check(
            60,
            estate =>
            {
                var day = estate.Today.AddDays(97);
                var plain = new PlainPlans(estate);
                _ = plain.Begin().ToList();
                for (var d = estate.Today; d <= day; d = d.AddDays(1))
                    plain.RunOn(d);
                foreach (var (branch, same) in Branch.All(estate, day.AddDays(1)).Zip(plain.Branches))
                {
                    var points = PlainPlans.Points(same, day);
                    var needed = branch.NeededOn(day).ToDictionary(n => branch.Runs[n.Run].Day, n => n.Share);
                    foreach (var run in same.Runs)
                    {
                        var share = plain.Need(same, run, points);
                        // Of a run that stored nothing no share is needed, or all of it.
                        if (run.Cold + run.Hot > 0 && !Compare.Close(share, needed.GetValueOrDefault(run.Day)))
                            return $"{branch.Target.Id} {run.Day}: {needed.GetValueOrDefault(run.Day)}, not {share}";
                    }
                    if (branch.PointsOn(day) != points.Count)
                        return $"{branch.Target.Id} has {branch.PointsOn(day)} points, not {points.Count}";
                }
                return null;
            }
        );

    /// <summary>Worked by hand: Tuesdays and Fridays against 26 hours; the newest of a Friday is too old on Sunday and Monday.</summary>
    [Fact]
    public void Gaps_are_the_days_on_which_the_newest_point_is_too_old()
    {
        var estate = Example with
        {
            Today = new DateOnly(2026, 11, 2),
            Workloads = [.. Example.Workloads.Take(1).Select(w => w with { RpoHours = 26 })],
            Plans =
            [
                new BackupPlan
                {
                    Id = "twice",
                    Workloads = [Example.Workloads[0].Id],
                    Target = Example.Targets[0].Id,
                    Every = new Cadence { Weekdays = [DayOfWeek.Tuesday, DayOfWeek.Friday] },
                    Keep = new PointRetention { Days = 30 },
                },
            ],
        };
        var end = new DateOnly(2026, 11, 11);
        Assert.Equal(
            [("2026-11-04", "2026-11-06"), ("2026-11-07", "2026-11-10")],
            PointGap.All(estate, Branch.All(estate, end), end).Select(g => ($"{g.From:yyyy-MM-dd}", $"{g.To:yyyy-MM-dd}"))
        );
        var daily = estate with { Plans = [estate.Plans[0] with { Every = new Cadence { Days = 1 } }] };
        Assert.Empty(PointGap.All(daily, Branch.All(daily, end), end));
        // A plan that is paused leaves its last point to grow old.
        var paused = daily with
        {
            Plans =
            [
                daily.Plans[0] with
                {
                    Paused = true,
                    Runs = [new PastRuns { Workload = estate.Workloads[0].Id, Days = [new DateOnly(2026, 11, 1)] }],
                },
            ],
        };
        Assert.Equal(
            new PointGap(estate.Workloads[0].Id, new DateOnly(2026, 11, 2), end),
            Assert.Single(PointGap.All(paused, Branch.All(paused, end), end))
        );
    }

    [Fact]
    public void Points_and_restores_equal_the_plain_ones_on_random_plans() =>
        RandomPlans.Check(
            100,
            estate =>
            {
                var plain = new PlainPlans(estate);
                _ = plain.Begin().ToList();
                for (var day = estate.Today; day < estate.Today.AddDays(150); day = day.AddDays(1))
                {
                    plain.RunOn(day);
                    if (day.DayNumber % 29 == 0 && Differs(estate, plain, day) is { } difference)
                        return difference;
                }
                return null;
            }
        );

    /// <summary>Worked by hand: 28 February 2028 is a Monday, and 2028 a leap year.</summary>
    [Theory]
    [InlineData("2028-02-29", "monthly", 1, "2028-03-29")]
    [InlineData("2028-01-31", "monthly", 1, "2028-02-29")]
    [InlineData("2027-01-31", "monthly", 13, "2028-02-29")]
    [InlineData("2028-02-29", "yearly", 1, "2029-02-28")]
    [InlineData("2028-02-29", "yearly", 4, "2032-02-29")]
    [InlineData("2026-12-31", "weekly", 2, "2027-01-14")]
    [InlineData("9999-01-01", "yearly", 7, "9999-12-31")]
    public void Months_and_years_end_on_days_that_exist(string taken, string by, int count, string until)
    {
        var keep = by switch
        {
            "monthly" => new PointRetention { Monthly = count },
            "yearly" => new PointRetention { Yearly = count },
            _ => new PointRetention { Weekly = count },
        };
        Assert.Equal(Day(until), keep.KeptUntil(Day(taken), null));
    }

    /// <summary>ISO 8601: 31 December 2026 to 3 January 2027 are of week 53 of 2026; 4 January begins week 1 of 2027.</summary>
    [Theory]
    [InlineData("2026-12-31", "2027-01-01", false)]
    [InlineData("2026-12-27", "2026-12-28", true)]
    [InlineData("2026-12-28", "2027-01-03", false)]
    [InlineData("2027-01-03", "2027-01-04", true)]
    public void A_week_begins_on_monday_over_the_turn_of_the_year(string before, string taken, bool isNew) =>
        Assert.Equal(isNew ? Day(taken).AddDays(70) : Day(taken), new PointRetention { Weekly = 10 }.KeptUntil(Day(taken), Day(before)));

    /// <summary>Common practice: one point a week for fourteen years is 730 or 731 points.</summary>
    [Fact]
    public void A_point_a_week_for_fourteen_years_is_about_730_points()
    {
        var estate = Example;
        estate = estate with
        {
            Plans =
            [
                new BackupPlan
                {
                    Id = "weeks",
                    Workloads = ["crew-files"],
                    Target = "hall",
                    Every = new Cadence { Weekdays = [DayOfWeek.Sunday] },
                    Keep = new PointRetention
                    {
                        Yearly = 0,
                        Weekly = 0,
                        Days = (14 * 365) + 4,
                    },
                },
            ],
        };
        Assert.InRange(RestorePoints.On(estate, estate.Today.AddYears(16)).Count, 730, 731);
    }

    /// <summary>A second run stores less than the first; unchanged content is stored once, however many points there are.</summary>
    [Fact]
    public void What_never_changes_is_stored_once()
    {
        var estate = Example;
        estate = estate with
        {
            Buckets = [.. estate.Buckets.Select(b => b with { Streams = [], Stock = [], CopyTo = [], Rules = [], Keep = null })],
            Workloads = [.. estate.Workloads.Select(w => w with { YearlyGrowth = 0, DailyChange = 0, Unique = 1, Compression = 1 })],
            Plans =
            [
                new BackupPlan
                {
                    Id = "daily",
                    Workloads = ["crew-files"],
                    Target = "vault",
                    Every = new Cadence { Days = 1 },
                    Keep = new PointRetention { Days = 10 },
                },
            ],
        };
        var points = RestorePoints.On(estate, estate.Today.AddDays(40));
        Assert.Equal(10, points.Count);
        Assert.All(points, p => Assert.Equal((0, 0), (p.AddedBytes, p.FreedBytes ?? 0)));
        var storage = Projection.Of(estate, 3).Rows().Where(r => r.Charge == Billing.Charge.Storage).ToList();
        Assert.Equal(3, storage.Count);
        Assert.All(storage, r => Assert.Equal(600, r.Quantity, 1e-6));
    }

    public static TheoryData<string, string, string> Broken() =>
        new()
        {
            { "$.plans[0].workloads[0]", "unknown-reference", """{ "workloads": ["nobody"] }""" },
            { "$.plans[0].workloads", "no-workload", """{ "workloads": [] }""" },
            { "$.plans[0].workloads[1]", "twice-in-a-target", """{ "workloads": ["crew-files", "crew-files"] }""" },
            { "$.plans[0].target", "unknown-reference", """{ "target": "nowhere" }""" },
            { "$.plans[0].every", "one-of", """{ "every": { "days": 1, "monthDay": 1 } }""" },
            { "$.plans[0].every", "one-of", """{ "every": {} }""" },
            { "$.plans[0].every.weekdays[0]", "unknown-choice", """{ "every": { "weekdays": ["washday"] } }""" },
            { "$.plans[0].every.monthDay", "out-of-range", """{ "every": { "monthDay": 32 } }""" },
            { "$.plans[0].keep", "one-of", """{ "keep": { "days": 3, "daily": 1 } }""" },
            { "$.plans[0].keep", "keeps-nothing", """{ "keep": { "daily": 0 } }""" },
            { "$.plans[0].full.every", "out-of-range", """{ "full": { "every": 0 } }""" },
            {
                "$.plans[0].runs[0].days[1]",
                "date-order",
                """{ "runs": [{ "workload": "crew-files", "days": ["2026-10-02", "2026-10-01"] }] }"""
            },
            { "$.plans[0].runs[0].days[0]", "date-order", """{ "runs": [{ "workload": "crew-files", "days": ["2026-11-01"] }] }""" },
            { "$.plans[0].runs[0].workload", "unknown-reference", """{ "runs": [{ "workload": "ticket-db", "days": [] }] }""" },
            { "$.plans[0].copies[0].target", "copy-to-itself", """{ "copies": [{ "target": "vault", "keep": { "days": 1 } }] }""" },
            {
                "$.plans[0].copies[0].workloads[0]",
                "not-of-the-plan",
                """{ "copies": [{ "target": "hall", "workloads": ["ticket-db"], "keep": { "days": 1 } }] }"""
            },
            {
                "$.plans[0].copies[1].target",
                "twice-in-a-target",
                """{ "copies": [{ "target": "hall", "keep": { "days": 1 } }, { "target": "hall", "keep": { "days": 2 } }] }"""
            },
            { "$.plans[0].colour", "unknown-property", """{ "colour": "red" }""" },
        };

    [Theory]
    [MemberData(nameof(Broken))]
    public void What_is_wrong_with_a_plan_is_said_at_its_place(string path, string code, string change)
    {
        var document = JsonNode.Parse(File.ReadAllText("Examples/ferry-backups.json"))!;
        var plan = JsonNode
            .Parse("""{ "id": "one", "workloads": ["crew-files"], "target": "vault", "every": { "days": 1 }, "keep": { "days": 9 } }""")!
            .AsObject();
        foreach (var (name, value) in JsonNode.Parse(change)!.AsObject())
            plan[name] = value!.DeepClone();
        document["plans"] = new JsonArray(plan);
        var read = EstateDocument.Read(document.ToJsonString());
        Assert.Contains((path, code), read.Problems.Select(p => (p.Path, p.Code)));
    }

    [Fact]
    public void A_document_with_plans_is_written_as_it_was_read()
    {
        var once = EstateDocument.Write(Example);
        Assert.Equal(once, EstateDocument.Write(EstateDocument.Read(once).Value));
        Assert.Contains("\"tuesday\"", once, StringComparison.Ordinal);
    }

    private static string? Differs(Estate estate, PlainPlans plain, DateOnly day)
    {
        var points = RestorePoints.On(estate, day);
        var at = 0;
        foreach (
            var branch in plain
                .Branches.OrderBy(b => b.Plan.Id, StringComparer.Ordinal)
                .ThenBy(b => b.Target.Id, StringComparer.Ordinal)
                .ThenBy(b => b.Workload.Id, StringComparer.Ordinal)
        )
        {
            var there = PlainPlans.Points(branch, day);
            foreach (var run in there)
            {
                if (points.ElementAtOrDefault(at++) is not { } point)
                    return $"A point of {run.Day} is missing on {day}.";
                double? freed =
                    run == there[^1]
                        ? null
                        : branch
                            .Runs.Where(r => r.Day <= run.Day && !plain.IsKept(r, day))
                            .Sum(r =>
                                (r.Cold + r.Hot) * (plain.Need(branch, r, there) - plain.Need(branch, r, [.. there.Where(t => t != run)]))
                            );
                if (
                    (point.Plan, point.Target, point.Workload, point.Taken, point.KeptUntil)
                        != (branch.Plan.Id, branch.Target.Id, branch.Workload.Id, run.Day, run.KeptUntil)
                    || !Near(point.AddedBytes, run.Cold + run.Hot, point.LogicalBytes)
                    || (freed is null) != (point.FreedBytes is null)
                    || (freed is { } f && !Near(f, point.FreedBytes!.Value, point.LogicalBytes))
                )
                    return $"{point} on {day} should free {freed}, and is of {run.Day}, kept until {run.KeptUntil}.";
                var read = PlainPlans.Deduplicates(branch)
                    ? branch.Runs.Where(r => r.Day <= run.Day).Sum(r => (r.Cold + r.Hot) * plain.Share(branch, r, run.Day))
                    : PlainPlans.Chain(branch, run).Sum(r => r.Cold + r.Hot);
                var said = RestoreEstimate.Of(
                    estate,
                    new RestoreQuestion
                    {
                        Plan = point.Plan,
                        Workload = point.Workload,
                        Target = point.Target,
                        Taken = point.Taken,
                        On = day,
                    }
                );
                if (!Near(read, said.ReadBytes, point.LogicalBytes))
                    return $"Restoring {point} reads {read}, and {said.ReadBytes} is said.";
            }
        }
        return at == points.Count ? null : $"{points.Count} points on {day}, and {at} are right.";
    }

    /// <summary>To 1e-9 of what the point holds: differences of large numbers have no more digits than these.</summary>
    private static bool Near(double a, double b, double of) => Math.Abs(a - b) <= 1e-9 * (1 + of);

    private static bool Close(string expected, double actual) =>
        Compare.Close(double.Parse(expected, CultureInfo.InvariantCulture), actual);

    private static DateOnly Day(string text) => DateOnly.ParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture);
}
