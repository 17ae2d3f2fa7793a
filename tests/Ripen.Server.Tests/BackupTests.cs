using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Backup targets over HTTP: made, proved, backed up into, restored from; and what is refused.</summary>
public sealed class BackupTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";
    private const string Passphrase = """{ "passphrase": "the ferry leaves at nine" }""";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private string Root => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders");

    private string Office => Path.Combine(Root, "office");

    private async Task<JsonNode> Job(string what, object order, string target = Vault)
    {
        await server.Did(HttpMethod.Post, $"{target}/{what}", JsonSerializer.Serialize(order));
        while (true)
        {
            var job = (await server.Get($"{target}/job?wait=true")).Body;
            if (!(bool)job["running"]!)
                return job;
        }
    }

    private Task<JsonNode> Run() => Job("runs", new { folder = Office, workload = "office" });

    private async Task<string> Tag() => (await server.Get("/api/targets")).Tag;

    [Fact]
    public async Task A_folder_goes_into_a_bucket_twice_and_comes_back_after_a_restart()
    {
        var steps = (await server.Did(HttpMethod.Post, $"{Vault}/tests"))["steps"]!.AsArray();
        Assert.Equal(9, steps.Count);
        Assert.All(steps, s => Assert.True((bool)s!["worked"]!, s.ToJsonString()));
        Assert.Equal(0, (long)(await server.Get(Vault)).Body["storedObjects"]!);

        Assert.Equal((HttpStatusCode.NotFound, "no-pool"), await server.Refused(HttpMethod.Get, $"{Vault}/points"));
        Assert.Equal(
            (HttpStatusCode.BadRequest, "short-passphrase"),
            await server.Refused(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "short" }""")
        );
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        Assert.Equal((HttpStatusCode.NotFound, "no-job"), await server.Refused(HttpMethod.Get, $"{Vault}/job?wait=true"));
        var first = (await Run())["point"]!;
        var second = (await Run())["point"]!;
        Assert.True((long)first["newBytes"]! > 0.9 * (long)first["logicalBytes"]!, first.ToJsonString());
        Assert.Equal((0, 0), ((long)second["newBytes"]!, (long)second["storedBytes"]!));
        await PacksAreKnownByTheSumOfTheirBlocks();

        var use = (await server.Get($"{Vault}/use")).Body;
        var written = use["parts"]!.AsArray().Single(p => (string)p!["charge"]! == "writes")!;
        Assert.True((long)written["bytes"]! >= (long)first["storedBytes"]!, written.ToJsonString());
        Assert.True((double)use["tenthYear"]! > 0);
        Assert.Equal((double)use["tenthYear"]!, Sum(use["tenthYearTerms"]!), 1e-11);
        var stands = (await server.Get(Vault)).Body;
        Assert.True((double)stands["monthMoney"]! > 0);
        Assert.Equal((double)stands["monthMoney"]!, Sum(stands["monthTerms"]!), 1e-11);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "date-order"),
            await server.Refused(HttpMethod.Get, $"{Vault}/use?from=2026-11-02&to=2026-11-02")
        );

        // The secret is kept, and nothing of it in clear; the pool is metered like everything else.
        server.Restart();
        var points = (await server.Get($"{Vault}/points")).Body["points"]!.AsArray();
        Assert.Equal(2, points.Count);
        var id = (string)points[0]!["id"]!;
        var file = Directory.GetFiles(Office, "*", SearchOption.AllDirectories)[3];
        var name = Uri.EscapeDataString(Path.GetRelativePath(Office, file));
        Assert.Equal(
            await File.ReadAllBytesAsync(file),
            await server.Http.GetByteArrayAsync(new Uri($"{Vault}/points/{id}/file?path={name}", UriKind.Relative))
        );
        var folders = (await server.Get($"{Vault}/points/{id}/names")).Body.AsArray();
        Assert.Equal(
            Directory.GetDirectories(Office).Select(Path.GetFileName).Order(StringComparer.Ordinal),
            folders.Select(f => (string)f!["path"]!)
        );
        var found = (await server.Get($"{Vault}/points/{id}/names?find={name}")).Body.AsArray();
        Assert.Equal("file", (string)found.Single()!["kind"]!);

        var job = await Job(
            "restores",
            new
            {
                point = id,
                under = "",
                folder = Path.Combine(Root, "back"),
            }
        );
        Assert.Equal((0, (long)points[0]!["files"]!), (job["problems"]!.AsArray().Count, (long)job["files"]!));
        foreach (var original in Directory.GetFiles(Office, "*", SearchOption.AllDirectories))
        {
            var back = Path.Combine(Root, "back", Path.GetRelativePath(Office, original));
            Assert.Equal(await File.ReadAllBytesAsync(original), await File.ReadAllBytesAsync(back));
        }
        Assert.Empty((await Job("checks", new { }))["problems"]!.AsArray());
        var stored = (await server.Get(Vault)).Body;
        Assert.True((long)stored["storedObjects"]! >= 4 && (long)stored["storedBytes"]! > 0);
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{id}");
        Assert.Single((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());
        Assert.Null((string?)(await Job("prunes", new { }))["error"]);
        stored = (await server.Get(Vault)).Body;
        var page = (await server.Get("/api/buckets/ticketing-backups/objects?prefix=vault/&most=100")).Body["objects"]!.AsArray();
        Assert.Equal((long)stored["storedObjects"]!, page.Count);
    }

    /// <summary>What quantities at prices come to, reckoned here.</summary>
    private static double Sum(JsonNode terms) =>
        terms.AsArray().Sum(t => (double)t!["quantity"]! / (int)t["per"]! * (double)t["price"]! * (double)t["factor"]!);

    /// <summary>No client can compare such a sum with its own of all bytes, so that none is announced as one.</summary>
    private async Task PacksAreKnownByTheSumOfTheirBlocks()
    {
        var largest = (await server.Get("/api/buckets/ticketing-backups/objects?prefix=vault/")).Body["objects"]!
            .AsArray()
            .MaxBy(o => (long)o!["bytes"]!)!;
        var got = await server.Http.GetAsync(new Uri($"/api/buckets/ticketing-backups/objects/{largest["key"]}", UriKind.Relative));
        var sums = (await got.Content.ReadAsByteArrayAsync()).Chunk(1 << 20).SelectMany(SHA256.HashData).ToArray();
        Assert.Equal(
            (null, Convert.ToHexStringLower(SHA256.HashData(sums))),
            ((string?)largest["sha256"], (string?)largest["blocksSha256"])
        );
        Assert.False(got.Headers.Contains("Repr-Digest"));
    }

    [Fact]
    public async Task A_restore_and_a_rehearsal_leave_records_that_outlive_their_target()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        var point = (await Run())["point"]!;
        var id = (string)point["id"]!;
        var rehearsed = await Job("rehearsals", new { point = id });
        Assert.Equal(
            ("rehearsal", (long)point["files"]!, (long)point["logicalBytes"]!, 0),
            ((string)rehearsed["kind"]!, (long)rehearsed["files"]!, (long)rehearsed["bytes"]!, rehearsed["problems"]!.AsArray().Count)
        );
        var (lost, changed) = (
            Directory.GetFiles(Office, "*", SearchOption.AllDirectories)[0],
            Directory.GetFiles(Office, "*", SearchOption.AllDirectories)[1]
        );
        var content = await File.ReadAllBytesAsync(lost);
        File.Delete(lost);
        await File.WriteAllTextAsync(changed, "written since");
        var order = new
        {
            point = id,
            under = "",
            folder = Office,
            existing = "kept",
        };
        var restored = await Job("restores", order);
        Assert.Equal((1, (long)point["files"]! - 1), ((long)restored["files"]!, (long)restored["left"]!));
        Assert.Equal(content, await File.ReadAllBytesAsync(lost));
        Assert.Equal("written since", await File.ReadAllTextAsync(changed));
        Assert.Equal(
            (HttpStatusCode.BadRequest, "invalid-json"),
            await server.Refused(
                HttpMethod.Post,
                $"{Vault}/restores",
                JsonSerializer.Serialize(order).Replace("kept", "eaten", StringComparison.Ordinal)
            )
        );
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-point"),
            await server.Refused(HttpMethod.Post, $"{Vault}/rehearsals", """{ "point": "none" }""")
        );

        // A pool's own directory is not restored over, whatever is said of what is there.
        foreach (var over in new[] { Root, Path.Combine(Root, "shelf"), Path.Combine(Root, "shelf", "packs") })
        {
            var into = JsonSerializer.Serialize(
                new
                {
                    point = id,
                    under = "",
                    folder = over,
                    existing = "replaced",
                }
            );
            Assert.Equal((HttpStatusCode.Conflict, "meets-a-pool"), await server.Refused(HttpMethod.Post, $"{Vault}/restores", into));
        }

        server.Restart();
        var records = (await server.Get("/api/restore-records?target=office-vault")).Body.AsArray();
        Assert.Equal(["restore", "rehearsal"], records.Select(r => (string)r!["kind"]!));
        Assert.Equal([false, true], records.Select(r => (bool)r!["proves"]!));
        var csv = await server.Http.GetStringAsync(new Uri("/api/restore-records.csv?workload=office", UriKind.Relative));
        Assert.Equal(3, csv.TrimEnd().Split('\n').Length);
        Assert.EndsWith(",yes", csv.TrimEnd(), StringComparison.Ordinal);
        Assert.Empty((await server.Get("/api/restore-records?workload=mail")).Body.AsArray());
    }

    [Fact]
    public async Task Only_what_the_settings_allow_is_read_or_written()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        foreach (var outside in new[] { "/etc", Root + "/../provider", Root + "-beside", "office" })
        {
            var order = JsonSerializer.Serialize(new { folder = outside, workload = "office" });
            Assert.Equal((HttpStatusCode.Forbidden, "outside-roots"), await server.Refused(HttpMethod.Post, $"{Vault}/runs", order));
        }
        Directory.CreateSymbolicLink(Path.Combine(Root, "door"), "/etc");
        var through = JsonSerializer.Serialize(new { folder = Path.Combine(Root, "door", "ssl"), workload = "office" });
        Assert.Equal((HttpStatusCode.Forbidden, "leads-elsewhere"), await server.Refused(HttpMethod.Post, $"{Vault}/runs", through));
        var gone = JsonSerializer.Serialize(new { folder = Path.Combine(Root, "gone"), workload = "office" });
        Assert.Equal((HttpStatusCode.NotFound, "no-source"), await server.Refused(HttpMethod.Post, $"{Vault}/runs", gone));
        var point = (string)(await Run())["point"]!["id"]!;
        var into = JsonSerializer.Serialize(
            new
            {
                point,
                under = "",
                folder = "/tmp",
            }
        );
        Assert.Equal((HttpStatusCode.Forbidden, "outside-roots"), await server.Refused(HttpMethod.Post, $"{Vault}/restores", into));
        into = JsonSerializer.Serialize(
            new
            {
                point,
                under = "",
                folder = Office,
            }
        );
        Assert.Equal((HttpStatusCode.Conflict, "not-empty"), await server.Refused(HttpMethod.Post, $"{Vault}/restores", into));
    }

    [Fact]
    public async Task A_target_is_made_changed_and_removed_and_its_bucket_keeps_what_it_needs()
    {
        const string Shelf = """{ "id": "shelf", "name": "Shelf", "kind": "bucket", "bucket": "port-sonar", "prefix": "shelf/" }""";
        await server.Did(HttpMethod.Put, "/api/targets/shelf", Shelf, await Tag());
        Assert.Contains((await server.Get("/api/targets")).Body["targets"]!.AsArray(), t => (string)t!["target"]!["id"]! == "shelf");
        Assert.Equal(
            (HttpStatusCode.PreconditionFailed, "changed-meanwhile"),
            await server.Refused(HttpMethod.Put, "/api/targets/shelf", Shelf, "\"1\"")
        );

        var bad = new Dictionary<string, string>
        {
            ["overlapping-targets"] = Shelf
                .Replace("\"shelf\"", "\"other\"", StringComparison.Ordinal)
                .Replace("shelf/", "shelf/in/", StringComparison.Ordinal),
            ["unknown-reference"] = Shelf
                .Replace("\"shelf\"", "\"other\"", StringComparison.Ordinal)
                .Replace("port-sonar", "nowhere", StringComparison.Ordinal),
            ["needs-encryption"] = Shelf
                .Replace("\"shelf\"", "\"other\"", StringComparison.Ordinal)
                .Replace("\"shelf/\"", "\"other/\", \"encrypts\": false", StringComparison.Ordinal),
            ["expires-backups"] = Shelf
                .Replace("\"shelf\"", "\"other\"", StringComparison.Ordinal)
                .Replace("port-sonar", "engine-telemetry", StringComparison.Ordinal),
            ["wrong-type"] = """
                { "id": "other", "name": "Other", "kind": "directory", "folder": "other", "capacityBytes": 9, "moreFolders": ["next"],
                  "makeRoom": { "above": 0.9, "downTo": 0.5, "by": "remove" } }
                """,
        };
        foreach (var (code, json) in bad)
            Assert.Equal((HttpStatusCode.BadRequest, code), await server.Refused(HttpMethod.Put, "/api/targets/other", json, await Tag()));

        // From the bucket's side, too: no rule that expires what the points need, and no deletion.
        var (bucket, tag) = await server.Get("/api/buckets/port-sonar?stock=false");
        bucket["rules"] = JsonNode.Parse("""[{ "id": "clean", "prefix": "shelf/packs/", "expireAt": 30, "steps": [] }]""");
        Assert.Equal(
            (HttpStatusCode.BadRequest, "expires-backups"),
            await server.Refused(HttpMethod.Put, "/api/buckets/port-sonar", bucket.ToJsonString(), tag)
        );
        var (_, vaultTag) = await server.Get("/api/buckets/ticketing-backups?stock=false");
        Assert.Equal(
            (HttpStatusCode.Conflict, "holds-target"),
            await server.Refused(HttpMethod.Delete, "/api/buckets/ticketing-backups", null, vaultTag)
        );

        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        Assert.Contains("\"shelf\"", document, StringComparison.Ordinal);
        using (var other = new TestServer(demo: false))
        {
            Assert.Equal(HttpStatusCode.OK, (await other.Send(HttpMethod.Put, "/api/estate/document", document)).StatusCode);
            var again = await other.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
            Assert.Equal(JsonNode.Parse(document)!["targets"]!.ToJsonString(), JsonNode.Parse(again)!["targets"]!.ToJsonString());
            Assert.Equal(JsonNode.Parse(document)!["workloads"]!.ToJsonString(), JsonNode.Parse(again)!["workloads"]!.ToJsonString());
        }

        var plain = Shelf.Replace("\"prefix\"", "\"deduplicates\": false, \"prefix\"", StringComparison.Ordinal);
        await server.Did(HttpMethod.Put, "/api/targets/shelf", plain, await Tag());
        await server.Did(HttpMethod.Post, "/api/targets/shelf/pool", Passphrase);
        Assert.False((bool)(await server.Get("/api/targets/shelf")).Body["pool"]!["deduplicates"]!);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "fixed-storing"),
            await server.Refused(HttpMethod.Put, "/api/targets/shelf", Shelf, await Tag())
        );
        foreach (var (full, stored) in new[] { (false, true), (false, false), (true, true) })
        {
            var point = (
                await Job(
                    "runs",
                    new
                    {
                        folder = Office,
                        workload = "office",
                        full,
                    },
                    "/api/targets/shelf"
                )
            )["point"]!;
            Assert.Equal(stored, (bool)point["isFull"]!);
            Assert.Equal(stored, (long)point["newBytes"]! >= (long)point["logicalBytes"]!);
        }

        await server.Did(HttpMethod.Delete, "/api/targets/shelf", null, await Tag());
        Assert.Equal((HttpStatusCode.NotFound, "no-target"), await server.Refused(HttpMethod.Get, "/api/targets/shelf"));
        var kinds = (await server.Get("/api/estate/changes"))
            .Body.AsArray()
            .Select(c => (string)c!["kind"]!)
            .Where(k => k.StartsWith("target", StringComparison.Ordinal));
        Assert.Equal(["target-removed", "target-changed", "target-made"], kinds);
    }

    [Fact]
    public async Task A_directory_takes_what_it_has_room_for_and_gives_everything_back()
    {
        const string Shelf = "/api/targets/harbour-shelf";
        Assert.Equal(
            (HttpStatusCode.Forbidden, "outside-roots"),
            await server.Refused(
                HttpMethod.Put,
                "/api/targets/attic",
                """{ "id": "attic", "name": "Attic", "kind": "directory", "folder": "/var" }""",
                await Tag()
            )
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "overlapping-targets"),
            await server.Refused(
                HttpMethod.Put,
                "/api/targets/attic",
                """{ "id": "attic", "name": "Attic", "kind": "directory", "folder": "shelf/inner/" }""",
                await Tag()
            )
        );
        await server.Did(HttpMethod.Post, $"{Shelf}/pool", "{}");
        Assert.Equal(
            (HttpStatusCode.Conflict, "holds-the-pool"),
            await server.Refused(HttpMethod.Post, $"{Shelf}/runs", JsonSerializer.Serialize(new { folder = Root, workload = "all" }))
        );
        var order = new { folder = Office, workload = "office" };
        var point = (await Job("runs", order, Shelf))["point"]!;
        Assert.True((long)point["storedBytes"]! > 0);

        // A file that does not fit any more: the run says so, what was there stays whole, and room can be made.
        var large = Path.Combine(Office, "large");
        var noise = new byte[20_000_000];
        new Random(1).NextBytes(noise);
        await File.WriteAllBytesAsync(large, noise);
        var full = await Job("runs", order, Shelf);
        Assert.Contains("full", (string)full["error"]!, StringComparison.Ordinal);
        Assert.Null((string?)(await Job("checks", new { }, Shelf))["error"]);
        Assert.Single((await server.Get($"{Shelf}/points")).Body["points"]!.AsArray());
        Assert.True((long)(await server.Get(Shelf)).Body["storedBytes"]! <= 18_200_000);
        await server.Did(HttpMethod.Delete, $"{Shelf}/points/{point["id"]}");
        Assert.Null((string?)(await Job("prunes", new { }, Shelf))["error"]);
        Assert.Null((string?)(await Job("prunes", new { }, Shelf))["error"]);
        File.Delete(large);
        Assert.Null((string?)(await Job("runs", order, Shelf))["error"]);
    }

    [Fact]
    public async Task What_is_read_only_or_locked_stays_as_it_is_on_every_path()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        var point = (string)(await Run())["point"]!["id"]!;
        async Task Access(string access)
        {
            var target = (await server.Get(Vault)).Body["target"]!;
            target["access"] = access;
            await server.Did(HttpMethod.Put, Vault, target.ToJsonString(), await Tag());
        }
        async Task<string> Objects() =>
            string.Join(
                ' ',
                (await server.Get("/api/buckets/ticketing-backups/objects?prefix=vault/&most=1000")).Body["objects"]!
                    .AsArray()
                    .Select(o => $"{o!["key"]} {o["version"]}")
            );
        var before = await Objects();
        var run = JsonSerializer.Serialize(new { folder = Office, workload = "office" });

        await Access("read-only");
        Assert.Contains("read-only", (string)(await Run())["error"]!, StringComparison.Ordinal);
        Assert.Contains("read-only", (string)(await Job("prunes", new { }))["error"]!, StringComparison.Ordinal);
        Assert.Equal((HttpStatusCode.Forbidden, "target-read-only"), await server.Refused(HttpMethod.Delete, $"{Vault}/points/{point}"));
        Assert.Single((await server.Did(HttpMethod.Post, $"{Vault}/tests"))["steps"]!.AsArray());
        Assert.Single((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());
        Assert.Null((string?)(await Job("checks", new { }))["error"]);

        await Access("locked");
        Assert.Equal((HttpStatusCode.Forbidden, "target-locked"), await server.Refused(HttpMethod.Post, $"{Vault}/runs", run));
        Assert.Equal((HttpStatusCode.Forbidden, "target-locked"), await server.Refused(HttpMethod.Post, $"{Vault}/checks"));
        Assert.Equal((HttpStatusCode.Forbidden, "target-locked"), await server.Refused(HttpMethod.Get, $"{Vault}/points"));
        Assert.Equal(
            (HttpStatusCode.Forbidden, "target-locked"),
            await server.Refused(HttpMethod.Get, $"{Vault}/points/{point}/file?path=x")
        );
        Assert.Equal(before, await Objects());

        await Access("read-write");
        Assert.Null((string?)(await Run())["error"]);
    }

    [Fact]
    public async Task A_whole_pool_is_copied_and_restores_by_itself()
    {
        const string Twin = """{ "id": "twin", "name": "Twin", "kind": "bucket", "bucket": "port-sonar", "prefix": "twin/" }""";
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        await Run();
        await server.Did(HttpMethod.Put, "/api/targets/twin", Twin, await Tag());
        var copied = await Job("copies", new { target = "twin" });
        Assert.Null((string?)copied["error"]);
        Assert.True((long)copied["bytes"]! > 0);
        Assert.Equal(0, (long)(await Job("copies", new { target = "twin" }))["files"]!);
        var (vault, twin) = ((await server.Get(Vault)).Body, (await server.Get("/api/targets/twin")).Body);
        Assert.Equal((string)vault["pool"]!["id"]!, (string)twin["pool"]!["id"]!);

        // What is removed at the source stays in the copy, which restores without it.
        var point = (string)(await server.Get($"{Vault}/points")).Body["points"]![0]!["id"]!;
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{point}");
        await Job("prunes", new { });
        await Job("prunes", new { });
        await Job("copies", new { target = "twin" });
        Assert.Null((string?)(await Job("checks", new { }, "/api/targets/twin"))["error"]);
        var job = await Job(
            "restores",
            new
            {
                point,
                under = "",
                folder = Path.Combine(Root, "twin"),
            },
            "/api/targets/twin"
        );
        Assert.Empty(job["problems"]!.AsArray());
        Assert.Equal(84, Directory.GetFiles(Path.Combine(Root, "twin"), "*", SearchOption.AllDirectories).Length);

        // A pool in clear stays in places of our own, on whatever way it is taken elsewhere.
        const string Shelf = "/api/targets/harbour-shelf";
        await server.Did(HttpMethod.Post, $"{Shelf}/pool", "{}");
        var needs = (HttpStatusCode.BadRequest, "needs-encryption");
        Assert.Equal(needs, await server.Refused(HttpMethod.Post, $"{Shelf}/copies", """{ "target": "twin" }"""));
        var shelf = (await server.Get(Shelf)).Body["target"]!;
        shelf["operatedBy"] = "provider";
        shelf["encrypts"] = true;
        Assert.Equal(needs, await server.Refused(HttpMethod.Put, Shelf, shelf.ToJsonString(), await Tag()));

        // A place that holds another pool, or none of Ripen's; and what refers to a target keeps it.
        Assert.Contains(
            "Another pool",
            (string)(await Job("copies", new { target = "harbour-shelf" }))["error"]!,
            StringComparison.Ordinal
        );
        var no = (HttpStatusCode.Conflict, "no-pool-here");
        Assert.Equal(no, await server.Refused(HttpMethod.Post, $"{Vault}/copies", """{ "target": "chart-room" }"""));
        var source = vault["target"]!;
        source["copyTo"] = JsonNode.Parse("""{ "target": "nobody", "everyHours": 24 }""");
        Assert.Equal(
            (HttpStatusCode.BadRequest, "unknown-reference"),
            await server.Refused(HttpMethod.Put, Vault, source.ToJsonString(), await Tag())
        );
        source["copyTo"]!["target"] = "twin";
        await server.Did(HttpMethod.Put, Vault, source.ToJsonString(), await Tag());
        Assert.Equal((HttpStatusCode.Conflict, "led-to"), await server.Refused(HttpMethod.Delete, "/api/targets/twin", null, await Tag()));
    }

    [Fact]
    public async Task Objects_of_a_bucket_are_backed_up_like_files_and_what_cannot_be_is_named()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        var large = new byte[3_000_000];
        new Random(5).NextBytes(large);
        var objects = new Dictionary<string, byte[]>
        {
            ["notes/a b.txt"] = [1, 2, 3],
            ["notes/ære/🚢"] = [],
            ["notes/large"] = large,
            ["notes/x"] = [4],
            ["notes/x/y"] = [5],
            ["notes/../up"] = [6],
            ["notes//twice"] = [7],
            ["other"] = [8],
        };
        foreach (var (key, content) in objects)
        {
            using var body = new ByteArrayContent(content);
            var path = string.Join('/', key.Split('/').Select(Uri.EscapeDataString)).Replace("..", "%2E%2E", StringComparison.Ordinal);
            await server.Http.PutAsync(new Uri($"/api/buckets/crew-records/objects/{path}", UriKind.Relative), body);
        }
        var there = (await server.Get("/api/buckets/crew-records/objects?prefix=notes/&most=1000")).Body["objects"]!
            .AsArray()
            .Select(o => (string)o!["key"]!)
            .ToHashSet();
        var order = new
        {
            bucket = "crew-records",
            prefix = "notes/",
            workload = "notes",
        };
        var first = await Job("runs", order);
        Assert.Null((string?)first["error"]);
        var problems = first["problems"]!.AsArray().Select(p => (string)p!["path"]!).ToHashSet();
        Assert.Contains("notes/x", problems);
        foreach (var odd in there.Where(k => k is "notes/../up" or "notes//twice"))
            Assert.Contains(problems, p => odd.StartsWith(p, StringComparison.Ordinal));
        Assert.Equal(0, (long)(await Job("runs", order))["point"]!["newBytes"]!);
        await Job(
            "restores",
            new
            {
                point = first["point"]!["id"],
                under = "",
                folder = Path.Combine(Root, "notes"),
            }
        );
        foreach (var key in (string[])["notes/a b.txt", "notes/ære/🚢", "notes/large", "notes/x/y"])
            Assert.Equal(objects[key], await File.ReadAllBytesAsync(Path.Combine(Root, key)));
        Assert.False(File.Exists(Path.Combine(Root, "other")));

        Assert.Equal(
            (HttpStatusCode.Conflict, "holds-the-pool"),
            await server.Refused(HttpMethod.Post, $"{Vault}/runs", """{ "bucket": "ticketing-backups", "workload": "all" }""")
        );
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-source"),
            await server.Refused(HttpMethod.Post, $"{Vault}/runs", """{ "bucket": "nowhere", "workload": "all" }""")
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "no-source"),
            await server.Refused(HttpMethod.Post, $"{Vault}/runs", """{ "workload": "all" }""")
        );
    }

    [Fact]
    public async Task A_run_that_finds_its_place_full_goes_on_in_the_next_that_takes_it()
    {
        const string Shelf = "/api/targets/harbour-shelf";
        const string Cupboard =
            """{ "id": "cupboard", "name": "Cupboard", "kind": "directory", "folder": "cupboard", "capacityBytes": 9000000, "encrypts": false, "operatedBy": "own" }""";
        await server.Did(HttpMethod.Put, "/api/targets/cupboard", Cupboard, await Tag());
        var shelf = (await server.Get(Shelf)).Body["target"]!;
        foreach (var wrong in (string[])["harbour-shelf", "nobody", "chart-room"])
        {
            shelf["spillTo"] = new JsonArray(wrong);
            Assert.Equal(
                (HttpStatusCode.BadRequest, "unknown-reference"),
                await server.Refused(HttpMethod.Put, Shelf, shelf.ToJsonString(), await Tag())
            );
        }
        shelf["spillTo"] = new JsonArray("cupboard", "office-vault");
        await server.Did(HttpMethod.Put, Shelf, shelf.ToJsonString(), await Tag());
        server.Restart();
        Assert.Equal(2, (await server.Get(Shelf)).Body["target"]!["spillTo"]!.AsArray().Count);
        foreach (var pool in (string[])[Shelf, "/api/targets/cupboard"])
            await server.Did(HttpMethod.Post, $"{pool}/pool", "{}");
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        var noise = new byte[20_000_000];
        new Random(3).NextBytes(noise);
        await File.WriteAllBytesAsync(Path.Combine(Office, "large"), noise);
        var job = await Job("runs", new { folder = Office, workload = "office" }, Shelf);
        Assert.Null((string?)job["error"]);
        Assert.Equal(["Shelf in the harbour office", "Cupboard"], job["problems"]!.AsArray().Select(p => (string)p!["path"]!));
        Assert.Empty((await server.Get($"{Shelf}/points")).Body["points"]!.AsArray());
        Assert.Equal(85, (long)(await server.Get($"{Vault}/points")).Body["points"]![0]!["files"]!);
        Assert.Equal(
            (HttpStatusCode.Conflict, "led-to"),
            await server.Refused(HttpMethod.Delete, "/api/targets/cupboard", null, await Tag())
        );
    }

    private static JsonObject Room(double above, double downTo, string by, string? to = null, int leave = 1)
    {
        var rule = new JsonObject
        {
            ["above"] = above,
            ["downTo"] = downTo,
            ["by"] = by,
            ["leave"] = leave,
        };
        if (to is not null)
            rule["to"] = to;
        return rule;
    }

    /// <summary>A run of 6 MB of noise that no earlier run had.</summary>
    private async Task<JsonNode> NoisyRun(int seed, string target)
    {
        var noise = new byte[6_000_000];
        new Random(seed).NextBytes(noise);
        await File.WriteAllBytesAsync(Path.Combine(Office, "noise"), noise);
        return await Job("runs", new { folder = Office, workload = "office" }, target);
    }

    [Fact]
    public async Task A_directory_that_fills_removes_its_oldest_points_or_moves_them_as_was_said()
    {
        const string Chest = "/api/targets/chest";
        const string Cupboard =
            """{ "id": "cupboard", "name": "Cupboard", "kind": "directory", "folder": "cupboard", "encrypts": false, "operatedBy": "own" }""";
        var chest = JsonNode.Parse(
            """{ "id": "chest", "name": "Chest", "kind": "directory", "folder": "chest", "capacityBytes": 20000000, "encrypts": false, "operatedBy": "own" }"""
        )!;
        await server.Did(HttpMethod.Put, "/api/targets/cupboard", Cupboard, await Tag());
        foreach (
            var (rule, code) in new (JsonObject, string)[]
            {
                (Room(0.5, 0.6, "remove"), "out-of-range"),
                (Room(1.2, 0.6, "remove"), "out-of-range"),
                (Room(0.8, 0.6, "move"), "unknown-reference"),
                (Room(0.8, 0.6, "move", "chest"), "unknown-reference"),
                (Room(0.8, 0.6, "remove", "cupboard"), "unknown-reference"),
                (Room(0.8, 0.6, "remove", leave: 0), "out-of-range"),
            }
        )
        {
            chest["makeRoom"] = rule;
            Assert.Equal((HttpStatusCode.BadRequest, code), await server.Refused(HttpMethod.Put, Chest, chest.ToJsonString(), await Tag()));
        }
        chest["makeRoom"] = Room(0.9, 0.7, "remove");
        await server.Did(HttpMethod.Put, Chest, chest.ToJsonString(), await Tag());
        server.Restart();
        Assert.Equal(0.7, (double)(await server.Get(Chest)).Body["target"]!["makeRoom"]!["downTo"]!);
        foreach (var pool in (string[])[Chest, "/api/targets/cupboard"])
            await server.Did(HttpMethod.Post, $"{pool}/pool", "{}");

        // Two fit; a third is above 90 %, and lets go of the first.
        var first = (string)(await NoisyRun(1, Chest))["point"]!["id"]!;
        Assert.Null((await NoisyRun(2, Chest))["room"]);
        var draft = (await server.Get($"{Chest}/room?downTo=0.5&leave=1")).Body;
        Assert.Equal([first], draft["points"]!.AsArray().Select(p => (string)p!["point"]!["id"]!));
        var third = await NoisyRun(3, Chest);
        Assert.Null((string?)third["error"]);
        Assert.Equal(first, (string)third["room"]!["points"]![0]!["id"]!);
        Assert.True((long)(await server.Get(Chest)).Body["storedBytes"]! < 0.9 * 20e6);

        // From now on they are moved, and nothing is lost: the cupboard has every point that went.
        chest["makeRoom"] = Room(0.6, 0.4, "move", "cupboard");
        await server.Did(HttpMethod.Put, Chest, chest.ToJsonString(), await Tag());
        Assert.Equal(
            (HttpStatusCode.Conflict, "led-to"),
            await server.Refused(HttpMethod.Delete, "/api/targets/cupboard", null, await Tag())
        );
        var here = (await server.Get($"{Chest}/points")).Body["points"]!.AsArray().Select(p => (string)p!["id"]!).ToList();
        var fourth = await NoisyRun(4, Chest);
        Assert.Empty(fourth["problems"]!.AsArray());
        var moved = (await server.Get("/api/targets/cupboard/points")).Body["points"]!.AsArray().Select(p => (string)p!["id"]!).ToList();
        Assert.Equal(here.Order(), moved.Order());
        Assert.Equal("cupboard", (string)fourth["room"]!["to"]!);
        var expected = new byte[6_000_000];
        new Random(2).NextBytes(expected);
        var second = moved.Min(StringComparer.Ordinal);
        Assert.Equal(
            expected,
            await server.Http.GetByteArrayAsync(new Uri($"/api/targets/cupboard/points/{second}/file?path=noise", UriKind.Relative))
        );
    }

    [Fact]
    public async Task A_pool_over_several_directories_notices_a_disk_that_is_not_there()
    {
        const string Chest = "/api/targets/chest";
        string Lies(params string[] more) =>
            $$"""
                { "id": "chest", "name": "Chest", "kind": "directory", "folder": "chest", "capacityBytes": 20000000, "encrypts": false,
                  "operatedBy": "own", "moreFolders": [{{string.Join(
                    ", ",
                    more.Select(m => $$"""{ "folder": "{{m}}", "capacityBytes": 90000000 }""")
                )}}] }
                """;
        foreach (
            var wrong in (string[][])
                [
                    ["chest"],
                    ["drawer", "drawer/inner"],
                ]
        )
            Assert.Equal(
                (HttpStatusCode.BadRequest, "overlapping-targets"),
                await server.Refused(HttpMethod.Put, Chest, Lies(wrong), await Tag())
            );
        Assert.Equal(
            (HttpStatusCode.Forbidden, "outside-roots"),
            await server.Refused(HttpMethod.Put, Chest, Lies("/etc/drawer"), await Tag())
        );
        await server.Did(HttpMethod.Put, Chest, Lies("drawer"), await Tag());
        await server.Did(HttpMethod.Post, $"{Chest}/pool", "{}");
        await NoisyRun(1, Chest);
        await NoisyRun(2, Chest);
        var read = (await server.Get(Chest)).Body;
        Assert.Equal(110_000_000, (long)read["capacityBytes"]!);
        Assert.Single(read["disks"]!.AsArray());
        Assert.True(
            new DirectoryInfo(Path.Combine(Root, "drawer")).EnumerateFiles("*", SearchOption.AllDirectories).Sum(f => f.Length) > 9e6
        );
        Assert.Equal((HttpStatusCode.Conflict, "holds-packs"), await server.Refused(HttpMethod.Put, Chest, Lies(), await Tag()));

        Directory.Move(Path.Combine(Root, "drawer"), Path.Combine(Root, "unplugged"));
        Directory.CreateDirectory(Path.Combine(Root, "drawer"));
        server.Restart();
        Assert.Contains("is its disk missing", (string)(await server.Get(Chest)).Body["wrong"]!, StringComparison.Ordinal);
        foreach (
            var (method, path, order) in new (HttpMethod, string, string?)[]
            {
                (HttpMethod.Post, "runs", $$"""{ "folder": "{{Office}}", "workload": "office" }"""),
                (HttpMethod.Post, "prunes", "{}"),
                (HttpMethod.Post, "pool", "{}"),
                (HttpMethod.Get, "points", null),
            }
        )
            Assert.Equal("place-missing", (await server.Refused(method, $"{Chest}/{path}", order)).Code);
        // Saving the target as it is, or without the disk that is not there, does not make an empty directory a part of the pool.
        foreach (var saved in (string[])[Lies("drawer"), Lies()])
            Assert.NotEqual(HttpStatusCode.OK, (await server.Send(HttpMethod.Put, Chest, saved, await Tag())).StatusCode);
        Assert.Equal("place-missing", (await server.Refused(HttpMethod.Get, $"{Chest}/points")).Code);

        Directory.Delete(Path.Combine(Root, "drawer"), recursive: true);
        Directory.Move(Path.Combine(Root, "unplugged"), Path.Combine(Root, "drawer"));
        Assert.Equal(2, (await server.Get($"{Chest}/points")).Body["points"]!.AsArray().Count);
        Assert.Empty((await Job("checks", new { }, Chest))["problems"]!.AsArray());
        // One more, and it can be left again while nothing lies in it.
        await server.Did(HttpMethod.Put, Chest, Lies("drawer", "trunk"), await Tag());
        await server.Did(HttpMethod.Put, Chest, Lies("drawer"), await Tag());
        Assert.Equal(2, (await server.Get($"{Chest}/points")).Body["points"]!.AsArray().Count);
    }

    /// <summary>A document that names one directory less is taken; the pool says what is missing until one is brought that names it. One more
    /// joins by itself.</summary>
    [Fact]
    public async Task An_imported_document_leaves_no_part_of_a_pool_behind()
    {
        const string Chest = "/api/targets/chest";
        using var plain = new TestServer(demo: false);
        var office = Path.Combine(Path.GetDirectoryName(plain.Database)!, "folders", "office");
        Directory.CreateDirectory(office);
        async Task Import(params string[] more)
        {
            var document = JsonNode.Parse(Ripen.Core.Estates.EstateDocument.Write(Ripen.Server.Demo.DemoDocument.Read()))!;
            foreach (var left in (string[])["buckets", "workloads", "plans"])
                document[left] = new JsonArray();
            var chest = JsonNode.Parse(
                """{ "id": "chest", "name": "Chest", "kind": "directory", "folder": "chest", "capacityBytes": 1000000, "encrypts": false, "operatedBy": "own" }"""
            )!;
            chest["moreFolders"] = new JsonArray([.. more.Select(m => new JsonObject { ["folder"] = m })]);
            document["targets"] = new JsonArray(chest);
            var read = await plain.Http.GetAsync(new Uri("/api/estate", UriKind.Relative));
            await plain.Did(HttpMethod.Put, "/api/estate/document", document.ToJsonString(), read.Headers.ETag?.Tag);
        }
        async Task Run(int seed)
        {
            var noise = new byte[3_000_000];
            new Random(seed).NextBytes(noise);
            await File.WriteAllBytesAsync(Path.Combine(office, "noise"), noise);
            await plain.Did(HttpMethod.Post, $"{Chest}/runs", JsonSerializer.Serialize(new { folder = office, workload = "office" }));
            while ((bool)(await plain.Get(Chest)).Body["job"]!["running"]!)
                await Task.Delay(20);
            Assert.Null((string?)(await plain.Get(Chest)).Body["job"]!["error"]);
        }
        async Task<int> Points() => (await plain.Get($"{Chest}/points")).Body["points"]!.AsArray().Count;

        await Import("drawer");
        await plain.Did(HttpMethod.Post, $"{Chest}/pool", "{}");
        await Run(1);
        await Import();
        foreach (var path in (string[])["points", "runs", "prunes", "checks"])
            Assert.Equal(
                "place-missing",
                (
                    await plain.Refused(
                        path == "points" ? HttpMethod.Get : HttpMethod.Post,
                        $"{Chest}/{path}",
                        path == "points" ? null : JsonSerializer.Serialize(new { folder = office, workload = "office" })
                    )
                ).Code
            );
        await Import("drawer", "attic");
        Assert.Equal(1, await Points());
        await Run(2);
        await Import("attic", "drawer");
        Assert.Equal(2, await Points());
        await Import("attic");
        Assert.Equal("place-missing", (await plain.Refused(HttpMethod.Get, $"{Chest}/points")).Code);
    }

    [Fact]
    public async Task A_self_test_stays_with_its_target_and_says_why_it_failed()
    {
        const string Winter = "/api/targets/winter-disk";
        Assert.Equal(JsonValueKind.Null, JsonSerializer.SerializeToElement((await server.Get(Winter)).Body["test"]).ValueKind);
        await server.Did(HttpMethod.Post, $"{Winter}/tests");
        server.Restart();
        var test = (await server.Get(Winter)).Body["test"]!;
        Assert.False((bool)test["worked"]!);
        Assert.Contains("BackupRoots", (string)test["steps"]![0]!["why"]!, StringComparison.Ordinal);
        await server.Did(HttpMethod.Post, $"{Vault}/tests");
        await server.Did(HttpMethod.Post, $"{Vault}/tests");
        var tests = (await server.Get($"{Vault}/tests")).Body.AsArray();
        Assert.Equal([true, true], tests.Select(t => (bool)t!["worked"]!));
        var all = (await server.Get("/api/targets")).Body["targets"]!.AsArray();
        Assert.Equal(2, all.Count(t => t!["test"] is not null));

        // A target of the same name that is made anew has proved nothing.
        var target = (await server.Get(Winter)).Body["target"]!.ToJsonString();
        await server.Did(HttpMethod.Delete, Winter, null, await Tag());
        Assert.Equal((HttpStatusCode.Forbidden, "outside-roots"), await server.Refused(HttpMethod.Put, Winter, target, await Tag()));
    }

    [Fact]
    public async Task Doubts_are_told_before_anything_is_done()
    {
        async Task<string> DoubtsOf(string id) =>
            string.Join(' ', (await server.Get($"/api/targets/{id}")).Body["doubts"]!.AsArray().Select(d => (string)d!["code"]!));

        Assert.Equal("same-machine", await DoubtsOf("harbour-shelf"));
        await server.Did(
            HttpMethod.Put,
            "/api/targets/frozen",
            """{ "id": "frozen", "name": "Frozen", "kind": "bucket", "bucket": "deck-cameras", "prefix": "pool/" }""",
            await Tag()
        );
        var frozen = (await server.Get("/api/targets/frozen")).Body["doubts"]!.AsArray();
        Assert.Equal(["kept-longer", "same-place"], frozen.Select(d => (string)d!["code"]!));
        Assert.Contains("31 days", (string)frozen[0]!["sentence"]!, StringComparison.Ordinal);
        Assert.Contains("Ticket database", (string)frozen[1]!["sentence"]!, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_pool_whose_secret_is_lost_is_locked_until_its_passphrase_is_given()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        await Run();
        server.Stop();
        Directory.Delete(Path.Combine(Path.GetDirectoryName(server.Database)!, "keys"), recursive: true);
        server.Restart();
        Assert.False((bool)(await server.Get(Vault)).Body["pool"]!["canOpen"]!);
        Assert.Equal((HttpStatusCode.Conflict, "needs-passphrase"), await server.Refused(HttpMethod.Get, $"{Vault}/points"));
        Assert.Equal(
            (HttpStatusCode.Forbidden, "wrong-passphrase"),
            await server.Refused(HttpMethod.Post, $"{Vault}/passphrase", """{ "passphrase": "the ferry leaves at ten" }""")
        );
        await server.Did(HttpMethod.Post, $"{Vault}/passphrase", Passphrase);
        Assert.Single((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());
        Assert.Equal((HttpStatusCode.PreconditionFailed, "exists"), await server.Refused(HttpMethod.Post, $"{Vault}/pool", Passphrase));
    }
}
