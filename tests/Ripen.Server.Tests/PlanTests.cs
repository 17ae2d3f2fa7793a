using System.Net;
using System.Text.Json.Nodes;
using Ical.Net;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Server.Tests;

/// <summary>Backup plans over HTTP: drafted, run by the clock, judged, given up; their points cannot be shortened from behind.</summary>
public sealed class PlanTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private const string Nightly = """
        { "id": "nightly", "name": "Every night", "workloads": ["ticket-db"], "target": "night", "every": { "days": 1 }, "keep": { "days": 5 } }
        """;

    private async Task Target(string id = "night", string prefix = "planned/") =>
        await server.Did(
            HttpMethod.Put,
            $"/api/targets/{id}",
            $$"""{ "id": "{{id}}", "name": "Night", "kind": "bucket", "bucket": "ticketing-backups", "prefix": "{{prefix}}", "bytesPerSecond": 200000000 }""",
            await Tag()
        );

    private async Task<string> Tag() => (await server.Get("/api/targets")).Tag;

    private async Task Put(string plan, string query = "") =>
        await server.Did(HttpMethod.Put, $"/api/plans/{JsonNode.Parse(plan)!["id"]}{query}", plan, await Tag());

    private Task Pass(int days) => server.Pass(TimeSpan.FromDays(days));

    private async Task<JsonArray> Points() => (await server.Get("/api/plans/points")).Body.AsArray();

    [Fact]
    public async Task A_plan_that_is_assumed_costs_what_it_then_does_and_comes_back_as_a_draft()
    {
        await Target();
        var scenario = $$"""{ "id": "s", "name": "S", "assumptions": [{ "plan": {{Nightly}} }] }""";
        var added = (double)
            (await server.Did(HttpMethod.Post, "/api/scenarios/difference?months=24", scenario))["difference"]!["changes"]![0]!;
        Assert.True(added > 0);
        var parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", scenario);
        Assert.Equal(["nightly"], parts["newPlans"]!.AsArray().Select(id => (string)id!));
        var before = await Money();
        await Put(parts["plans"]![0]!.ToJsonString());
        Assert.Equal(before + added, await Money(), before * 1e-11);
        var other = scenario.Replace("\"days\": 5", "\"days\": 9", StringComparison.Ordinal);
        parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", other);
        Assert.Empty(parts["newPlans"]!.AsArray());
        Assert.Equal(9, (int)parts["plans"]![0]!["keep"]!["days"]!);

        async Task<double> Money() => (await server.Get("/api/forecast?months=24")).Body["money"]!.AsArray().Sum(m => (double)m!);
    }

    [Fact]
    public async Task A_draft_says_what_the_plan_then_does()
    {
        await Target();
        var draft = (await server.Did(HttpMethod.Post, "/api/plans/draft", Nightly))["outlook"]!;
        var branch = draft["branches"]![0]!;
        Assert.Equal(366, (int)branch["pointsAYear"]!);
        Assert.Equal(5, (int)branch["pointsThen"]!);
        // 640 GB, 0.92 of it unique, compressed to a half, at 200 MB/s.
        Assert.Equal(640e9 * 0.92 * 0.5, (double)branch["firstRunBytes"]!, 1);
        Assert.Equal(640e9 * 0.92 * 0.5 / 200e6, (double)branch["firstRunSeconds"]!, 6);
        Assert.All(draft["cost"]!.AsArray(), year => Assert.True((double)year!["estateAfter"]! > (double)year["estateBefore"]!));
        Assert.Equal("missed", (string)draft["judgedBefore"]![0]!["rpo"]!);
        Assert.Equal("met", (string)draft["judgedAfter"]![0]!["rpo"]!);

        await Put(Nightly);
        Assert.Empty(await Points());
        await Pass(8);
        var runs = (await server.Get("/api/plans/runs?plan=nightly")).Body.AsArray();
        Assert.Equal(8, runs.Count);
        Assert.Equal((double)branch["firstRunBytes"]!, (double)runs[^1]!["storedBytes"]!, 1e-3);
        // Taken from 1 to 8 November; on the 9th those of the 5th and later are kept.
        Assert.Equal(["2026-11-05", "2026-11-06", "2026-11-07", "2026-11-08"], (await Points()).Select(p => (string)p!["taken"]!));
        var workload = (await server.Get("/api/workloads")).Body["judgements"]![0]!;
        Assert.Equal(
            (24.0, "met", "missed"),
            ((double)workload["newestHours"]!, (string)workload["rpo"]!, (string)workload["threeTwoOne"]!)
        );

        // The document has the runs, and says the same points by itself.
        var document = (await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative)));
        var estate = EstateDocument.Read(document).Value;
        Assert.Equal(8, Assert.Single(estate.Plans.Single().Runs).Days.Count);
        Assert.Equal(4, RestorePoints.Now(estate).Count);
    }

    [Fact]
    public async Task A_rehearsal_is_charged_as_it_was_estimated_and_proves_the_workload_for_ninety_days()
    {
        await Target();
        await Put(Nightly);
        await Pass(3);
        var point = """{ "plan": "nightly", "workload": "ticket-db", "target": "night", "taken": "2026-11-02" }""";
        var estimate = (await server.Did(HttpMethod.Post, "/api/plans/restore-estimates", point))[0]!["estimate"]!;
        Assert.Equal("missed", (string)(await server.Get("/api/workloads")).Body["proofs"]![0]!["verdict"]!);
        var before = await Charged();
        var record = await server.Did(HttpMethod.Post, "/api/rehearsals", point);
        Assert.True((double)estimate["money"]! > 0);
        Assert.Equal((double)estimate["money"]!, (double)record["money"]!, 1e-9);
        Assert.Equal((double)estimate["money"]!, await Charged() - before, 1e-9);
        Assert.Equal((double)estimate["hours"]! * 3600, (double)record["seconds"]!, 1e-6);
        Assert.Equal("met", (string)(await server.Get("/api/workloads")).Body["proofs"]![0]!["verdict"]!);
        Assert.Equal("met", (string)(await server.Get("/api/workloads?on=2027-02-02")).Body["proofs"]![0]!["verdict"]!);
        Assert.Equal("missed", (string)(await server.Get("/api/workloads?on=2027-02-03")).Body["proofs"]![0]!["verdict"]!);
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-point"),
            await server.Refused(HttpMethod.Post, "/api/rehearsals", point.Replace("11-02", "11-04", StringComparison.Ordinal))
        );

        var locked = (await server.Get("/api/targets/night")).Body["target"]!.AsObject();
        locked["access"] = "locked";
        await server.Did(HttpMethod.Put, "/api/targets/night", locked.ToJsonString(), await Tag());
        var charged = await Charged();
        Assert.Equal((HttpStatusCode.Forbidden, "target-locked"), await server.Refused(HttpMethod.Post, "/api/rehearsals", point));
        Assert.Equal(charged, await Charged());
        Assert.Single((await server.Get("/api/restore-records")).Body.AsArray());
    }

    /// <summary>For reading and recalling from the target, until now.</summary>
    private async Task<double> Charged() =>
        (await server.Get("/api/targets/night/use?from=2026-11-01&to=2026-12-01")).Body["parts"]!
            .AsArray()
            .Where(p => (string)p!["charge"]! is "reads" or "recall")
            .Sum(p => (double)p!["amount"]!);

    [Fact]
    public async Task A_point_keeps_what_it_was_promised_whatever_becomes_of_the_plan()
    {
        await Target();
        await Put(Nightly.Replace("\"days\": 5", "\"days\": 40", StringComparison.Ordinal));
        await Pass(3);
        await Put(Nightly.Replace("\"days\": 5", "\"days\": 1", StringComparison.Ordinal));
        await Pass(3);
        var points = await Points();
        Assert.Equal(["2026-11-01", "2026-11-02", "2026-11-03", "2026-11-06"], points.Select(p => (string)p!["taken"]!));
        Assert.Equal("2026-12-11", (string)points[0]!["keptUntil"]!);
        server.Restart();
        Assert.Equal(4, (await Points()).Count);
    }

    [Fact]
    public async Task Points_are_given_up_only_by_saying_so_and_never_what_a_bucket_keeps()
    {
        await Target();
        await server.Did(
            HttpMethod.Put,
            "/api/workloads/mail",
            """{ "id": "mail", "name": "Mail", "bytes": 1000000000, "region": "aldmouth" }""",
            await Tag()
        );
        await Put(Nightly);
        await Pass(2);
        Assert.Equal(
            (HttpStatusCode.Conflict, "points-would-go"),
            await server.Refused(HttpMethod.Delete, "/api/plans/nightly", tag: await Tag())
        );
        Assert.Equal(
            (HttpStatusCode.Conflict, "points-would-go"),
            await server.Refused(
                HttpMethod.Put,
                "/api/plans/nightly",
                Nightly.Replace("ticket-db", "mail", StringComparison.Ordinal),
                await Tag()
            )
        );
        Assert.Equal((HttpStatusCode.Conflict, "planned"), await server.Refused(HttpMethod.Delete, "/api/targets/night", tag: await Tag()));
        Assert.Equal(
            (HttpStatusCode.Conflict, "planned"),
            await server.Refused(HttpMethod.Delete, "/api/workloads/ticket-db", tag: await Tag())
        );
        Assert.Equal(2, (await Points()).Count);

        // Sealed for 300 days: the plan may go, and its packs stay until then.
        var bucket = await server.Get("/api/buckets/ticketing-backups");
        var sealing = bucket.Body;
        sealing["keep"] = new JsonObject { ["days"] = 300, ["strength"] = "sealed" };
        await server.Did(HttpMethod.Put, "/api/buckets/ticketing-backups", sealing.ToJsonString(), bucket.Tag);
        var before = await Packs();
        Assert.True(before > 0);
        await server.Did(HttpMethod.Delete, "/api/plans/nightly?discardPoints=true", tag: await Tag());
        Assert.Empty(await Points());
        Assert.Equal(before, await Packs());
        await Pass(20);
        Assert.Equal(before, await Packs());
    }

    /// <summary>Simulated objects below the target's prefix.</summary>
    private async Task<double> Packs() =>
        (await server.Get("/api/buckets/ticketing-backups/objects?most=100&prefix=planned/")).Body["batches"]!
            .AsArray()
            .Sum(b => (double)b!["count"]!);

    /// <summary>Points that lie in a place nobody looks at any more, or that rules may take, would be lost without a word.</summary>
    [Fact]
    public async Task The_ground_is_not_taken_from_under_points()
    {
        await Target();
        await Put(Nightly);
        await Pass(2);
        foreach (var wrong in new[] { "\"prefix\": \"elsewhere/\"", "\"prefix\": \"planned/\", \"packBytes\": 1000000" })
        {
            var moved = $$"""{ "id": "night", "name": "Night", "kind": "bucket", "bucket": "ticketing-backups", {{wrong}} }""";
            Assert.Equal(
                (HttpStatusCode.Conflict, "holds-points"),
                await server.Refused(HttpMethod.Put, "/api/targets/night", moved, await Tag())
            );
        }
        var workload = (await server.Get("/api/workloads")).Body["workloads"]!.AsArray().Single(w => (string)w!["id"]! == "ticket-db")!;
        workload["encryptedAtSource"] = true;
        Assert.Equal(
            (HttpStatusCode.Conflict, "holds-points"),
            await server.Refused(HttpMethod.Put, "/api/workloads/ticket-db", workload.ToJsonString(), await Tag())
        );
        var bucket = await server.Get("/api/buckets/ticketing-backups");
        bucket.Body["rules"]!
            .AsArray()
            .Add(
                new JsonObject
                {
                    ["id"] = "gone",
                    ["prefix"] = "planned/",
                    ["expireAt"] = 3,
                }
            );
        Assert.Equal(
            "expires-backups",
            (await server.Refused(HttpMethod.Put, "/api/buckets/ticketing-backups", bucket.Body.ToJsonString(), bucket.Tag)).Code
        );
        Assert.Equal(2, (await Points()).Count);
    }

    /// <summary>A run is full or not for life: how often the plan takes a full one later changes nothing of it.</summary>
    [Fact]
    public async Task Another_rhythm_of_full_runs_leaves_chains_whole()
    {
        await server.Did(
            HttpMethod.Put,
            "/api/targets/plain",
            """{ "id": "plain", "name": "Plain", "kind": "bucket", "bucket": "ticketing-backups", "prefix": "plain/", "deduplicates": false }""",
            await Tag()
        );
        string Plan(int every) =>
            $$"""
                { "id": "chains", "workloads": ["ticket-db"], "target": "plain", "every": { "days": 1 }, "full": { "every": {{every}} },
                  "keep": { "days": 3 } }
                """;
        await Put(Plan(4));
        await Pass(3);
        await Put(Plan(2));
        await Pass(1);
        var runs = (await server.Get("/api/plans/runs?plan=chains")).Body.AsArray().Reverse().ToList();
        // The fourth run is three after the full one: it is the next.
        Assert.Equal([true, false, false, true], runs.Select(r => (bool)r!["isFull"]!));
        Assert.Equal(["2026-11-03", "2026-11-04"], (await Points()).Select(p => (string)p!["taken"]!));
        // The first is no point any more, and the third, which follows it, needs it.
        Assert.Equal(1, (double)(await server.Get("/api/plans/runs?plan=chains")).Body[3]!["share"]!);
        await Pass(2);
        Assert.Equal(0, (double)(await server.Get("/api/plans/runs?plan=chains")).Body[5]!["share"]!);
    }

    [Fact]
    public async Task A_paused_plan_takes_nothing_and_a_locked_target_is_missed_out_loud()
    {
        await Target();
        await Put(Nightly);
        await Pass(1);
        await server.Did(
            HttpMethod.Put,
            "/api/targets/night",
            """{ "id": "night", "name": "Night", "kind": "bucket", "bucket": "ticketing-backups", "prefix": "planned/", "access": "read-only" }""",
            await Tag()
        );
        await Pass(1);
        var missed = (await server.Get("/api/plans/runs?plan=nightly")).Body[0]!;
        Assert.Equal(("2026-11-02", "The target takes no writes at present."), ((string)missed["day"]!, (string)missed["missed"]!));
        Assert.Equal(1, (int)(await server.Get("/api/plans")).Body["plans"]![0]!["missed"]!);
        await Target();
        await Put(Nightly.Replace("\"id\"", "\"paused\": true, \"id\"", StringComparison.Ordinal));
        await Pass(3);
        Assert.Equal(["2026-11-01"], (await Points()).Select(p => (string)p!["taken"]!));
        await Put(Nightly);
        await Pass(1);
        // The one of the 1st was there as the newest; kept until the 6th, it is relieved.
        Assert.Equal(["2026-11-06"], (await Points()).Select(p => (string)p!["taken"]!));
    }

    [Fact]
    public async Task The_calendar_and_its_file_say_when_points_go()
    {
        await Target();
        await Put(Nightly);
        await Pass(2);
        var row = (await server.Get("/api/plans/calendar?from=2026-11-02")).Body["rows"]![0]!;
        var first = row["points"]![0]!;
        Assert.Equal(("2026-11-01", "2026-11-06", true), ((string)first["taken"]!, (string)first["gone"]!, (bool)first["isDone"]!));
        Assert.Equal(365, row["points"]!.AsArray().Count - 2);
        // Source: read back by Ical.Net's parser (RFC 5545).
        var calendar = Calendar.Load(await server.Http.GetStringAsync(new Uri("/api/plans/calendar.ics", UriKind.Relative)))!;
        var going = calendar.Events.Single(e => e.Uid == "nightly.night.ticket-db.2026-11-01@ripen");
        Assert.Equal(new DateOnly(2026, 11, 6), going.Start!.Date);
        Assert.StartsWith(
            "plan,target,workload,taken,",
            await server.Http.GetStringAsync(new Uri("/api/plans/points.csv", UriKind.Relative)),
            StringComparison.Ordinal
        );
        var estimates = await server.Did(
            HttpMethod.Post,
            "/api/plans/restore-estimates",
            new
            {
                plan = "nightly",
                workload = "ticket-db",
                target = "night",
                taken = "2026-11-02",
            }
        );
        Assert.Equal((double)estimates[0]!["estimate"]!["readBytes"]! / 200e6 / 3600, (double)estimates[0]!["estimate"]!["hours"]!, 9);
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-point"),
            await server.Refused(
                HttpMethod.Post,
                "/api/plans/restore-estimates",
                new
                {
                    plan = "nightly",
                    workload = "ticket-db",
                    target = "night",
                    taken = "2026-10-02",
                }
            )
        );
    }

    private async Task<JsonArray> Rules() => (await server.Get("/api/buckets/ticketing-backups?stock=false")).Body["rules"]!.AsArray();

    [Fact]
    public async Task When_packs_age_is_written_with_the_plan_and_its_consequences_are_shown_with_it()
    {
        await Target();
        string With(string steps) => Nightly.TrimEnd()[..^1] + $$""", "packsAge": {{steps}} }""";
        var deep = With("""[{ "age": 3, "tier": "cave" }]""");
        var outlook = (await server.Did(HttpMethod.Post, "/api/plans/draft", deep))["outlook"]!;
        // The newest point needs what lies where a restore waits 18 hours, and 8 were agreed.
        Assert.Equal("missed", (string)outlook["judgedAfter"]![0]!["rto"]!);
        Assert.Contains(outlook["doubts"]!.AsArray(), d => (string)d!["code"]! == "rto-missed");
        var before = await Rules();
        await Put(deep);
        Assert.Equal(before.Count + 1, (await Rules()).Count);
        var rule = (await Rules())[^1]!;
        Assert.Equal(("packs-of-night", "planned/"), ((string)rule["id"]!, (string)rule["prefix"]!));
        Assert.Equal("cave", (string)(await server.Get("/api/plans")).Body["packsAge"]!["night"]![0]!["tier"]!);
        // A plan that says nothing of it leaves it as it is, and one that says none takes it away.
        await Put(Nightly.Replace("\"days\": 5", "\"days\": 6", StringComparison.Ordinal));
        Assert.Equal(before.Count + 1, (await Rules()).Count);
        await Put(With("[]"));
        Assert.Equal(before.Count, (await Rules()).Count);
        Assert.Null((await server.Get("/api/plans")).Body["packsAge"]!["night"]);

        foreach (
            var (steps, path) in new[]
            {
                ("""[{ "age": 3, "tier": "attic" }]""", "$.packsAge[0].tier"),
                ("""[{ "age": -3, "tier": "cave" }]""", "$.packsAge[0].age"),
                ("""[{ "age": 9, "tier": "cave" }, { "age": 3, "tier": "cave" }]""", "$.packsAge[0].tier"),
                ("\"soon\"", "$.packsAge"),
            }
        )
        {
            var draft = await server.Did(HttpMethod.Post, "/api/plans/draft", With(steps));
            Assert.Equal(path, (string)draft["problems"]![0]!["path"]!);
            Assert.Equal(
                HttpStatusCode.BadRequest,
                (await server.Refused(HttpMethod.Put, "/api/plans/nightly", With(steps), await Tag())).Status
            );
        }
        Assert.Equal(before.Count, (await Rules()).Count);
    }

    [Fact]
    public async Task A_what_if_of_a_plan_with_how_its_packs_age_costs_what_the_plans_draft_says()
    {
        await Target();
        const string steps = """[{ "age": 3, "tier": "pantry" }, { "age": 40, "tier": "cave" }]""";
        var draft = await server.Did(HttpMethod.Post, "/api/plans/draft", $$"""{{Nightly.TrimEnd()[..^1]}}, "packsAge": {{steps}} }""");
        async Task<JsonNode> WhatIf(string assumptions) =>
            await server.Did(
                HttpMethod.Post,
                "/api/scenarios/difference?months=120&count=12",
                $$"""{ "id": "mine", "name": "Mine", "assumptions": [{{assumptions}}] }"""
            );
        var age = $$"""{ "packsAge": { "target": "night", "steps": {{steps}} } }""";
        var with = await WhatIf($$"""{ "plan": {{Nightly}} }, {{age}}""");
        var cost = draft["outlook"]!["cost"]!.AsArray();
        Assert.Equal([1, 3, 10], cost.Select(c => (int)c!["year"]!));
        foreach (var year in cost)
        {
            var told = with["outlook"]!["years"]![(int)year!["year"]! - 1]!["money"]!;
            Assert.Equal((double)year["estateAfter"]!, (double)told, 1e-6);
        }
        var without = await WhatIf($$"""{ "plan": {{Nightly}} }""");
        Assert.NotEqual((double)with["outlook"]!["years"]![9]!["money"]!, (double)without["outlook"]!["years"]![9]!["money"]!, 1.0);
        foreach (
            var (wrong, code, path) in new[]
            {
                (age.Replace("night", "none", StringComparison.Ordinal), "unknown-reference", "$.assumptions[0].packsAge.target"),
                (age.Replace("night", "winter-disk", StringComparison.Ordinal), "no-bucket", "$.assumptions[0].packsAge.target"),
                (age.Replace("pantry", "attic", StringComparison.Ordinal), "unknown-reference", "$.assumptions[0]"),
            }
        )
        {
            var problem = (await WhatIf(wrong))["problems"]![0]!;
            Assert.Equal((code, path), ((string)problem["code"]!, (string)problem["path"]!));
        }
        // What is stored reads back, and its drafts are the plan and the bucket with the rule.
        var stored = $$"""{ "scenarios": [{ "id": "mine", "name": "Mine", "assumptions": [{ "plan": {{Nightly}} }, {{age}}] }] }""";
        await server.Did(HttpMethod.Put, "/api/scenarios", stored, (await server.Get("/api/scenarios")).Tag);
        var back = (await server.Get("/api/scenarios")).Body["scenarios"]![0]!;
        Assert.Equal("cave", (string)back["assumptions"]![1]!["packsAge"]!["steps"]![1]!["tier"]!);
        var parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", back.ToJsonString());
        Assert.Contains(parts["buckets"]![0]!["rules"]!.AsArray(), r => (string)r!["id"]! == "packs-of-night");
    }

    [Fact]
    public async Task Lists_are_read_and_written_whole_and_a_machine_that_a_plan_names_stays()
    {
        await Target();
        async Task List(string name, string list) => await server.Did(HttpMethod.Put, $"/api/{name}", list, await Tag());
        var periods = """{ "retentionPeriods": [{ "name": "Accounts", "months": 120, "because": "our own rule" }] }""";
        await List("retention-periods", periods);
        Assert.Equal("Accounts", (string)(await server.Get("/api/retention-periods")).Body["retentionPeriods"]![0]!["name"]!);
        var twice = """{ "retentionPeriods": [{ "name": "A", "days": 1, "months": 1 }] }""";
        Assert.Equal("one-of", (await server.Refused(HttpMethod.Put, "/api/retention-periods", twice, await Tag())).Code);

        await List("carriers", """{ "carriers": [{ "id": "cart", "name": "Cart", "region": "aldmouth", "bytesPerSecond": 50000000 }] }""");
        await Put(Nightly.TrimEnd()[..^1] + """, "carrier": "cart" }""");
        await Pass(1);
        var run = (await server.Get("/api/plans/runs?plan=nightly")).Body[0]!;
        Assert.Equal((double)run["storedBytes"]! / 50e6, (double)run["seconds"]!, 6);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "unknown-reference"),
            await server.Refused(HttpMethod.Put, "/api/carriers", """{ "carriers": [] }""", await Tag())
        );
        server.Restart();
        Assert.Equal("cart", (string)(await server.Get("/api/carriers")).Body["carriers"]![0]!["id"]!);
        Assert.Equal(120, (int)(await server.Get("/api/retention-periods")).Body["retentionPeriods"]![0]!["months"]!);
    }

    [Theory]
    [InlineData("\"every\": { \"days\": 1 }", "\"every\": { }", "$.every")]
    [InlineData("\"ticket-db\"", "\"nobody\"", "$.workloads[0]")]
    [InlineData("\"target\": \"night\"", "\"target\": \"purser\"", "$.target")]
    [InlineData("\"days\": 5", "\"days\": 5, \"until\": \"2030-01-01\"", "$.keep")]
    public async Task What_is_wrong_with_a_plan_is_said_at_its_place_before_and_on_storing(string right, string wrong, string path)
    {
        await Target();
        var plan = Nightly.Replace(right, wrong, StringComparison.Ordinal);
        var draft = await server.Did(HttpMethod.Post, "/api/plans/draft", plan);
        Assert.Equal(path, (string)draft["problems"]![0]!["path"]!);
        Assert.Equal(HttpStatusCode.BadRequest, (await server.Refused(HttpMethod.Put, "/api/plans/nightly", plan, await Tag())).Status);
        Assert.Empty((await server.Get("/api/plans")).Body["plans"]!.AsArray());
    }

    [Fact]
    public async Task A_workload_keeps_its_size_of_today_when_days_have_gone_by()
    {
        await Pass(3);
        var workload =
            """{ "id": "mail", "name": "Mail", "bytes": 1000000000, "yearlyGrowth": 0.5, "region": "aldmouth", "rpoHours": 26 }""";
        await server.Did(HttpMethod.Put, "/api/workloads/mail", workload, await Tag());
        Assert.Equal(1e9, await Bytes(), 1e-3);
        await Pass(73);
        Assert.Equal(1e9 * Math.Pow(1.5, 0.2), await Bytes(), 1e-2);
        await server.Did(HttpMethod.Delete, "/api/workloads/mail", tag: await Tag());
        Assert.DoesNotContain((await server.Get("/api/workloads")).Body["workloads"]!.AsArray(), w => (string)w!["id"]! == "mail");

        async Task<double> Bytes() =>
            (double)(await server.Get("/api/workloads")).Body["workloads"]!.AsArray().Single(w => (string)w!["id"]! == "mail")!["bytes"]!;
    }
}
