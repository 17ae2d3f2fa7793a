using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Server.Tests;

/// <summary>Plans whose workloads have a source really run while time passes: into pools, at their times, kept and thinned as they bear.</summary>
public sealed class RealPlanTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private string Office => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders", "office");

    private string Note => Path.Combine(Office, "note.txt");

    private async Task<string> Tag() => (await server.Get("/api/targets")).Tag;

    private async Task<JsonNode> Workload(object source) =>
        await server.Did(
            HttpMethod.Put,
            "/api/workloads/office",
            JsonSerializer.Serialize(
                new
                {
                    id = "office",
                    name = "Office",
                    bytes = 2e6,
                    dailyChange = 0.01,
                    region = "aldmouth",
                    source,
                }
            ),
            await Tag()
        );

    private async Task Plan(object parts)
    {
        var plan = JsonSerializer.SerializeToNode(parts)!.AsObject();
        plan["id"] = "files";
        plan["workloads"] = new JsonArray("office");
        plan["target"] ??= "office-vault";
        await server.Did(HttpMethod.Put, "/api/plans/files", plan.ToJsonString(), await Tag());
    }

    private async Task Ready()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "the ferry leaves at nine" }""");
        await Workload(new { folder = "office" });
    }

    private Task Pass(double hours) => server.Pass(TimeSpan.FromHours(hours));

    private async Task<List<JsonNode>> Points(string target = Vault) =>
        [.. (await server.Get($"{target}/points")).Body["points"]!.AsArray().Reverse().Select(p => p!)];

    private async Task<string[]> Taken(string target = Vault) =>
        [.. (await Points(target)).Select(p => $"{DateTimeOffset.Parse((string)p["taken"]!, null).UtcDateTime:MM-dd HH:mm}")];

    private async Task<List<JsonNode>> Runs() => [.. (await server.Get("/api/plans/runs?plan=files")).Body.AsArray().Select(r => r!)];

    private Task<string> Content(JsonNode point, string path) =>
        server.Http.GetStringAsync(new Uri($"{Vault}/points/{point["id"]}/file?path={Uri.EscapeDataString(path)}", UriKind.Relative));

    [Fact]
    public async Task It_takes_points_at_its_times_and_thins_them_as_they_bear()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "02:00" },
                zone = "Europe/Berlin",
                keep = new { days = 3 },
            }
        );
        for (var day = 1; day <= 6; day++)
        {
            await File.WriteAllTextAsync(Note, $"day {day}");
            await Pass(24);
        }
        // 02:00 is UTC+1 in November; on the 6th those of the 4th and later are kept.
        Assert.Equal(["11-04 01:00", "11-05 01:00", "11-06 01:00"], await Taken());
        var points = await Points();
        Assert.Equal(["day 4", "day 5", "day 6"], await Task.WhenAll(points.Select(p => Content(p, "note.txt"))));

        // What the pool has is what the plans' points say, with the bytes that were really read and stored.
        var planned = (await server.Get("/api/plans/points")).Body.AsArray().Where(p => (string)p!["plan"]! == "files").ToList();
        Assert.Equal(["2026-11-05", "2026-11-06"], planned.Select(p => (string)p!["taken"]!));
        Assert.Equal((double)points[^1]["logicalBytes"]!, (double)planned[^1]!["logicalBytes"]!);
        // Shared out among what changes and what does not, and summed up again.
        Assert.Equal((double)points[^1]["storedBytes"]!, (double)planned[^1]!["addedBytes"]!, 1e-6);
        var runs = await Runs();
        Assert.Equal(6, runs.Count(r => r["missed"] is null));
        Assert.Equal((string)points[^1]["id"]!, (string)runs[0]["point"]!);
        Assert.True((double)runs[^1]["storedBytes"]! > 10 * (double)runs[0]["storedBytes"]!);

        // What it stored lies in the bucket: the projection counts it once, and only runs to come besides.
        var estate = EstateDocument.Read(await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative))).Value;
        Assert.Equal(6, estate.Plans.Single(p => p.Id == "files").Runs.Single().Days.Count);
        var packs = PlannedRuns.Of(estate, 30).Into("ticketing-backups").Single(b => b.Plan.Id == "files").AllPacks.ToList();
        Assert.NotEmpty(packs);
        Assert.All(packs, p => Assert.True(p.Created >= 0));
    }

    [Fact]
    public async Task Twice_a_day_the_first_is_kept_by_the_calendar_and_the_other_for_days()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "06:00", "18:00" },
                keep = new { daily = 1, weekly = 4 },
            }
        );
        await Pass(7 * 24);
        // 1 November is a Sunday: its first point and Monday's are the first of their weeks; the newest two days have theirs.
        Assert.Equal(["11-01 06:00", "11-02 06:00", "11-07 06:00", "11-07 18:00"], await Taken());
        var rows = (await server.Get("/api/plans/calendar")).Body["rows"]!.AsArray().Single(r => (string)r!["plan"]! == "files")!;
        var done = rows["points"]!.AsArray().Where(p => (bool)p!["isDone"]!).Select(p => (string)p!["taken"]!).ToList();
        Assert.Equal(["2026-11-01", "2026-11-02", "2026-11-03", "2026-11-04", "2026-11-05", "2026-11-06", "2026-11-07"], done);
    }

    [Fact]
    public async Task A_second_copy_has_days_and_a_retention_of_its_own()
    {
        await Ready();
        await server.Did(
            HttpMethod.Put,
            "/api/targets/shed",
            """{ "id": "shed", "name": "Shed", "kind": "directory", "folder": "shed", "operatedBy": "own", "capacityBytes": 100000000 }""",
            await Tag()
        );
        await server.Did(HttpMethod.Post, "/api/targets/shed/pool", """{ "passphrase": "the shed is dry" }""");
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "03:00" },
                keep = new { days = 1 },
                copies = new[]
                {
                    new
                    {
                        target = "shed",
                        every = new { weekdays = new[] { "monday", "thursday" } },
                        keep = new { days = 30 },
                    },
                },
            }
        );
        await File.WriteAllTextAsync(Note, "the first week");
        await Pass(7 * 24);
        Assert.Equal(["11-07 03:00"], await Taken());
        Assert.Equal(["11-02 03:00", "11-05 03:00"], await Taken("/api/targets/shed"));
        var copy = (await Points("/api/targets/shed"))[0];
        Assert.Equal(
            "the first week",
            await server.Http.GetStringAsync(new Uri($"/api/targets/shed/points/{copy["id"]}/file?path=note.txt", UriKind.Relative))
        );
    }

    [Fact]
    public async Task What_cannot_be_read_is_tried_again_and_then_missed_with_its_reason()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "02:00" },
                keep = new { days = 30 },
            }
        );
        await Pass(24);
        Directory.Move(Office, Office + "-gone");
        await Pass(24);
        // One that waits to be tried again waits no more when its plan is paused.
        await Pass(2.0625);
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "02:00" },
                keep = new { days = 30 },
                paused = true,
            }
        );
        Directory.Move(Office + "-gone", Office);
        await Pass(1);
        Assert.Equal(["11-01 02:00"], await Taken());
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "02:00" },
                keep = new { days = 30 },
            }
        );
        await Pass(24 - 3.0625);
        Assert.Equal(["11-01 02:00", "11-03 03:03"], await Taken());
        var missed = (await Runs()).Single(r => r["missed"] is not null);
        Assert.Equal("2026-11-02", (string)missed["day"]!);
        Assert.Contains("4 times", (string)missed["missed"]!, StringComparison.Ordinal);
        // The fourth try is 5 + 15 + 45 minutes after the first.
        Assert.Equal("2026-11-02T03:05:00", $"{DateTimeOffset.Parse((string)missed["at"]!, null).UtcDateTime:s}");

        // It is back in time for a later try.
        Directory.Move(Office, Office + "-gone");
        await Pass(2.2);
        Directory.Move(Office + "-gone", Office);
        await Pass(1);
        Assert.Equal("11-04 02:20", (await Taken())[^1]);
    }

    [Fact]
    public async Task A_window_that_is_over_before_a_run_could_begin_makes_it_missed()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "02:00" },
                windowHours = 0.1,
                keep = new { days = 30 },
            }
        );
        Directory.Move(Office, Office + "-gone");
        await Pass(3);
        Directory.Move(Office + "-gone", Office);
        var missed = Assert.Single(await Runs());
        Assert.Contains("2 times", (string)missed["missed"]!, StringComparison.Ordinal);
        await Pass(21);
        Assert.Empty(await Points());
    }

    [Fact]
    public async Task A_point_of_a_plan_that_somebody_removes_is_no_point_any_more()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "12:00" },
                keep = new { days = 30 },
            }
        );
        await Pass(48);
        var points = await Points();
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{points[0]["id"]}");
        var planned = (await server.Get("/api/plans/points")).Body.AsArray().Where(p => (string)p!["plan"]! == "files").ToList();
        Assert.Equal((string)points[1]["id"]!, (string)(await Runs()).Single(r => r["missed"] is null)["point"]!);
        Assert.Single(planned);
        Assert.Contains("removed it", (string)(await Runs()).Single(r => r["missed"] is not null)["missed"]!, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_run_now_keeps_its_own_day_and_does_not_take_the_place_of_the_plans()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "22:00" },
                keep = new { daily = 1, yearly = 7 },
            }
        );
        await server.Did(HttpMethod.Post, "/api/plans/files/runs", """{ "workload": "office", "keptUntil": "2026-11-03" }""");
        while ((bool)(await server.Get(Vault)).Body["job"]!["running"]!)
            await Task.Delay(20);
        await Pass(24);
        var run = Assert.Single(await Runs());
        Assert.Equal(("2033-11-01", 2), ((string)run["keptUntil"]!, (await Points()).Count));
        await Pass(72);
        Assert.Equal(["11-01 22:00", "11-04 22:00"], await Taken());

        const string RunsAddress = "/api/plans/files/runs";
        Assert.Equal("no-source", (await server.Refused(HttpMethod.Post, RunsAddress, new { workload = "ticket-db" })).Code);
        Assert.Equal(
            "out-of-range",
            (await server.Refused(HttpMethod.Post, RunsAddress, new { workload = "office", keptUntil = "2026-11-05" })).Code
        );
    }

    [Fact]
    public async Task Objects_of_a_bucket_are_a_source_and_what_would_store_itself_is_refused()
    {
        await Ready();
        await Workload(new { bucket = "ticketing-backups", prefix = "vau" });
        const string Files =
            """{ "id": "files", "workloads": ["office"], "target": "office-vault", "every": { "days": 1 }, "at": ["01:00"], "keep": { "days": 3 } }""";
        Assert.Equal("holds-the-pool", (await server.Refused(HttpMethod.Put, "/api/plans/files", Files, await Tag())).Code);

        using var cars = new StringContent("forty cars");
        var manifest = new Uri("/api/buckets/ticketing-backups/objects/manifests/7.txt", UriKind.Relative);
        (await server.Http.PutAsync(manifest, cars)).EnsureSuccessStatusCode();
        await Workload(new { bucket = "ticketing-backups", prefix = "manifests/" });
        await server.Did(HttpMethod.Put, "/api/plans/files", Files, await Tag());
        await Pass(24);
        Assert.Equal("forty cars", await Content(Assert.Single(await Points()), "7.txt"));

        // With points there, it stays what it is; and nothing lets it read its own pool, or takes its bucket away.
        async Task<string> Refused(object? source) =>
            (
                await server.Refused(
                    HttpMethod.Put,
                    "/api/workloads/office",
                    new
                    {
                        id = "office",
                        name = "Office",
                        bytes = 2e6,
                        region = "aldmouth",
                        source,
                    },
                    await Tag()
                )
            ).Code;
        Assert.Equal("holds-points", await Refused(null));
        Assert.Equal("holds-the-pool", await Refused(new { bucket = "ticketing-backups" }));
        Assert.Equal("one-of", await Refused(new { folder = "office", bucket = "ticketing-backups" }));
        Assert.Equal("unknown-reference", await Refused(new { bucket = "no-such-bucket" }));
    }

    /// <summary>A program in the server's folder of them.</summary>
    private void Program(string name, string script)
    {
        var folder = Directory.CreateDirectory(Path.Combine(Path.GetDirectoryName(server.Database)!, "programs")).FullName;
        File.WriteAllText(Path.Combine(folder, name), $"#!/bin/sh\n{script}\n");
        if (!OperatingSystem.IsWindows())
            File.SetUnixFileMode(Path.Combine(folder, name), UnixFileMode.UserRead | UnixFileMode.UserExecute);
    }

    [Fact]
    public async Task Programs_before_and_after_make_what_is_read_consistent()
    {
        var frozen = Path.Combine(Office, "frozen");
        Program("freeze", $"echo $RIPEN_WORKLOAD > '{frozen}'");
        Program("thaw", $"rm '{frozen}'");
        Program("broken", "echo the books are open >&2; exit 3");
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "12:00" },
                windowHours = 0.05,
                keep = new { days = 30 },
            }
        );
        await Workload(
            new
            {
                folder = "office",
                before = "freeze",
                after = "thaw",
            }
        );
        await Pass(24);
        Assert.Equal("office\n", await Content(Assert.Single(await Points()), "frozen"));
        Assert.False(File.Exists(frozen));

        // One that fails makes no point, and what the other one stopped goes on all the same.
        await File.WriteAllTextAsync(frozen, "by hand");
        await Workload(
            new
            {
                folder = "office",
                before = "broken",
                after = "thaw",
            }
        );
        await Pass(24);
        Assert.Single(await Points());
        Assert.False(File.Exists(frozen));
        Assert.Contains("ended with 3. the books are open", (string)(await Runs())[0]["missed"]!, StringComparison.Ordinal);

        await Workload(new { folder = "office", after = "broken" });
        await Pass(24);
        var problem = (await server.Get(Vault)).Body["job"]!["problems"]!.AsArray().Single()!;
        Assert.Equal("broken", (string)problem["path"]!);

        // No path leads out of the folder.
        foreach (var program in new[] { "../programs/freeze", "/bin/true", ".." })
        {
            var (_, code) = await server.Refused(
                HttpMethod.Put,
                "/api/workloads/office",
                new
                {
                    id = "office",
                    name = "Office",
                    bytes = 2e6,
                    region = "aldmouth",
                    source = new { folder = "office", before = program },
                },
                await Tag()
            );
            Assert.Equal("invalid-program", code);
        }
    }

    [Fact]
    public async Task Rehearsals_are_done_when_the_last_is_so_many_days_ago()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "00:00" },
                keep = new { days = 30 },
                rehearseEveryDays = 3,
            }
        );
        await Pass(8 * 24);
        // The first point is of the 2nd, so that the first rehearsal is of the 3rd's beginning: the run of that moment is done by then.
        var records = (await server.Get("/api/restore-records?workload=office")).Body.AsArray().Select(r => r!).ToList();
        Assert.Equal(["2026-11-09", "2026-11-06", "2026-11-03"], records.Select(r => (string)r["day"]!));
        Assert.All(records, r => Assert.Equal(("the plan 'files'", "office-vault"), ((string)r["by"]!, (string)r["target"]!)));
        Assert.Equal("met", Proof(await server.Get("/api/workloads")));

        // While its target is locked it cannot be proved: what is not proved is tried every day, and counts again when it can be.
        await Access("locked");
        await Pass(4 * 24);
        Assert.Equal(3, (await server.Get("/api/restore-records?workload=office")).Body.AsArray().Count);
        await Access("read-write");
        await Pass(24);
        Assert.Equal("2026-11-14", (string)(await server.Get("/api/restore-records?workload=office")).Body[0]!["day"]!);
    }

    [Fact]
    public async Task Nobody_can_remove_a_sealed_point_before_its_time()
    {
        await Ready();
        var keep = new { days = 10, @sealed = true };
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "12:00" },
                keep,
            }
        );
        await Pass(48);
        var points = await Points();
        Assert.Equal(2, points.Count);

        // Every way that somebody has: the point, each object and each version below the pool's prefix, over the top, by prune, with the plan.
        foreach (var point in points)
            Assert.Equal("kept", (await server.Refused(HttpMethod.Delete, $"{Vault}/points/{point["id"]}")).Code);
        const string Bucket = "/api/buckets/ticketing-backups";
        var listed = (await server.Get($"{Bucket}/objects?prefix=vault/")).Body["objects"]!
            .AsArray()
            .Select(o => (string)o!["key"]!)
            .ToList();
        Assert.Contains(listed, k => k.Contains("/packs/", StringComparison.Ordinal));
        var refused = 0;
        foreach (var key in listed)
        {
            var address = $"{Bucket}/objects/{key}";
            using var other = new StringContent("not a pack");
            var over = await server.Http.PutAsync(new Uri(address, UriKind.Relative), other);
            var gone = await server.Send(HttpMethod.Delete, address);
            refused += over.StatusCode == HttpStatusCode.Conflict && gone.StatusCode == HttpStatusCode.Conflict ? 1 : 0;
        }
        // The index may be made anew from the packs; all else stayed.
        Assert.Equal(listed.Count(k => !k.Contains("/index", StringComparison.Ordinal)), refused);
        foreach (var weaker in new object[] { new { days = 0 }, new { days = 0, @sealed = true } })
            await Plan(
                new
                {
                    every = new { days = 1 },
                    at = new[] { "12:00" },
                    keep = weaker,
                    paused = true,
                }
            );
        await server.Did(HttpMethod.Post, $"{Vault}/prunes", new { });
        await Idle();
        await server.Did(HttpMethod.Delete, "/api/plans/files?discardPoints=true", tag: await Tag());
        await server.Did(HttpMethod.Delete, Vault, tag: await Tag());
        await server.Did(HttpMethod.Delete, "/api/targets/purser", tag: await Tag());
        Assert.Equal("kept", (await server.Refused(HttpMethod.Delete, Bucket, tag: await Version(Bucket))).Code);
        await server.Did(
            HttpMethod.Put,
            Vault,
            """{ "id": "office-vault", "name": "Office vault", "kind": "bucket", "bucket": "ticketing-backups", "prefix": "vault/" }""",
            await Tag()
        );
        await Pass(5 * 24);
        Assert.Equal(points.Select(p => (string)p["id"]!), (await Points()).Select(p => (string)p["id"]!));
        foreach (var point in points)
        {
            await server.Did(HttpMethod.Post, $"{Vault}/rehearsals", new { point = (string)point["id"]! });
            var job = await Idle();
            Assert.Equal(((string?)null, 0), ((string?)job["error"], job["problems"]!.AsArray().Count));
            Assert.Equal((long)point["files"]!, (long)job["files"]!);
        }

        // When it is kept no more, it can be removed.
        await Pass(3 * 24);
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{points[0]["id"]}");
        Assert.Equal("kept", (await server.Refused(HttpMethod.Delete, $"{Vault}/points/{points[1]["id"]}")).Code);
    }

    [Fact]
    public async Task Sealed_points_are_judged_go_in_time_and_are_offered_only_where_they_can_be()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "12:00" },
                keep = new { days = 3, @sealed = true },
            }
        );
        await Pass(7 * 24);
        Assert.Equal(["11-05 12:00", "11-06 12:00", "11-07 12:00"], await Taken());
        var judged = (await server.Get("/api/workloads")).Body["judgements"]!.AsArray().Single(j => (string)j!["workload"]! == "office")!;
        Assert.Equal((2, 2), ((int)judged["points"]!, (int)judged["sealed"]!));

        async Task<string> Refused(string plan) => (await server.Refused(HttpMethod.Put, "/api/plans/other", plan, await Tag())).Code;
        Assert.Equal(
            "cannot-seal",
            await Refused(
                """{ "id": "other", "workloads": ["ticket-db"], "target": "office-vault", "every": { "days": 1 }, "keep": { "days": 3, "sealed": true } }"""
            )
        );
        Assert.Equal(
            "cannot-seal",
            await Refused(
                """{ "id": "other", "workloads": ["office"], "target": "harbour-shelf", "every": { "days": 1 }, "keep": { "days": 3, "sealed": true } }"""
            )
        );
    }

    [Fact]
    public async Task What_a_plan_seals_cannot_become_what_bears_no_seal()
    {
        await Ready();
        await Plan(
            new
            {
                every = new { days = 1 },
                at = new[] { "12:00" },
                keep = new { days = 3, @sealed = true },
            }
        );
        var computed = """{ "id": "office", "name": "Office", "bytes": 2000000, "region": "aldmouth" }""";
        Assert.Equal("cannot-seal", (await server.Refused(HttpMethod.Put, "/api/workloads/office", computed, await Tag())).Code);
        var directory =
            """{ "id": "office-vault", "name": "Office vault", "kind": "directory", "folder": "elsewhere", "operatedBy": "own" }""";
        Assert.Equal("cannot-seal", (await server.Refused(HttpMethod.Put, Vault, directory, await Tag())).Code);
    }

    private async Task<JsonNode> Idle()
    {
        while (true)
        {
            var job = (await server.Get(Vault)).Body["job"]!;
            if (!(bool)job["running"]!)
                return job;
            await Task.Delay(20);
        }
    }

    private async Task<string> Version(string path) => (await server.Get(path)).Tag;

    private async Task Access(string access)
    {
        var target = (await server.Get(Vault)).Body["target"]!.AsObject();
        target["access"] = access;
        await server.Did(HttpMethod.Put, Vault, target.ToJsonString(), await Tag());
    }

    private static string Proof((JsonNode Body, string Tag) workloads) =>
        (string)workloads.Body["proofs"]!.AsArray().Single(p => (string)p!["workload"]! == "office")!["verdict"]!;
}
