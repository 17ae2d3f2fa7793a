using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Tests;
using Ripen.Server.Demo;

namespace Ripen.Server.Tests;

/// <summary>
/// Random sequences of calls over HTTP, changes of the estate, imports, moves, lost regions, the clock and restarts among them, against the
/// sentence that what is kept on a day is there on that day and kept no less. What is there is read past the application, from the
/// provider's index.
/// </summary>
public sealed class KeptHistoryOverHttpTests
{
    private const int CallsInASequence = 40;
    private static readonly string[] Names = ["harbour", "far-away", "third"];
    private static readonly string[] Keys = ["a", "a/b", "z"];
    private static readonly string[] Regions = ["aldmouth", "kestrel-sound"];
    private static readonly string[] Steps = ["keep-equal", "be-equal", "switch-over", "drop-old"];

    private sealed record Kept(long Id, string Bucket, string Key, int Sealed, int Liftable, double Count, string? Content);

    /// <param name="Name">Of the call.</param>
    /// <param name="Answer">Null where nothing was asked.</param>
    /// <param name="Lifts">The bucket whose liftable rule it gives up, if it is allowed.</param>
    /// <param name="Destroys">The region whose data it gives up, if it is allowed.</param>
    private sealed record Call(string Name, HttpResponseMessage? Answer, string? Lifts = null, string? Destroys = null);

    [Fact]
    public async Task No_sequence_of_requests_destroys_or_weakens_what_is_kept()
    {
        var (sequences, first) = (Randomly.Times(4), Randomly.Seed);
        var (kept, done, refused) = (0, new HashSet<string>(), new HashSet<string>());
        for (var seed = first; seed < first + sequences; seed++)
        {
            try
            {
                kept += await Live(new Random(seed), done, refused);
            }
            catch (Exception error)
            {
                throw new InvalidOperationException($"Seed {seed}: {error.Message}", error);
            }
        }
        Assert.True(kept > 0, "Nothing was ever kept.");
        Assert.True(done.Count >= 6, $"Only {string.Join(", ", done)} were ever allowed.");
        Assert.True(refused.Count >= 6, $"Only {string.Join(", ", refused)} were ever refused.");
    }

    private static async Task<int> Live(Random random, HashSet<string> done, HashSet<string> refused)
    {
        using var server = new TestServer(demo: false);
        (
            await server.Send(HttpMethod.Put, "/api/estate/document", EstateDocument.Write(Begin(random, DemoDocument.Read().Today)))
        ).EnsureSuccessStatusCode();
        var (before, regions) = (await Index(server), await RegionsOf(server));
        for (var step = 0; step < CallsInASequence; step++)
        {
            var call = await Next(server, random);
            Assert.True(call.Answer is not { StatusCode: HttpStatusCode.InternalServerError }, $"{call.Name}: {server.Errors.Newest}");
            var allowed = call.Answer is not { IsSuccessStatusCode: false };
            (allowed ? done : refused).Add(call.Name);
            var today = DateOnly.FromDateTime((await server.Get("/api/clock")).Body["now"]!.GetValue<DateTime>()).DayNumber;
            var after = await Index(server);
            var byId = after.ToDictionary(e => e.Id);
            foreach (var entry in before.Where(e => Math.Max(e.Sealed, e.Liftable) > today))
            {
                var lifted = allowed && call.Lifts == entry.Bucket;
                if (allowed && call.Destroys == regions.GetValueOrDefault(entry.Bucket) || lifted && entry.Sealed <= today)
                    continue;
                Assert.True(byId.TryGetValue(entry.Id, out var now), $"{call.Name} removed {entry} on day {today}.");
                Assert.Equal((entry.Count, entry.Content), (now!.Count, now.Content));
                Assert.True(now.Sealed >= (entry.Sealed > today ? entry.Sealed : 0), $"{call.Name} unsealed {entry}: {now}.");
                Assert.True(
                    lifted || Math.Max(now.Sealed, now.Liftable) >= Math.Max(entry.Sealed, entry.Liftable),
                    $"{call.Name} weakened {entry}: {now}."
                );
            }
            (before, regions) = (after, await RegionsOf(server));
        }
        return before.Count;
    }

    private static async Task<Call> Next(TestServer server, Random random)
    {
        var (bucket, key, region) = (Pick(random, Names), Pick(random, Keys), Pick(random, Regions));
        var bucketAt = $"/api/buckets/{bucket}";
        switch (random.Next(22))
        {
            case 0 or 1 or 2 or 3:
                using (var body = new ByteArrayContent(new byte[random.Next(100)]))
                    return new("write", await server.Http.PutAsync(new Uri($"{bucketAt}/objects/{key}", UriKind.Relative), body));
            case 4:
                return new("delete", await server.Send(HttpMethod.Delete, $"{bucketAt}/objects/{key}"));
            case 5:
                var entries = await Index(server);
                if (entries.Count == 0)
                    return new("nothing", null);
                var entry = entries[random.Next(entries.Count)];
                var entryAt = $"/api/buckets/{entry.Bucket}/objects/{entry.Key}?version={entry.Id}";
                return new("delete-version", await server.Send(HttpMethod.Delete, entryAt));
            case 6 or 7:
                return await Change(server, bucket, b => b["keep"] = Rule(random), "change-keep");
            case 8:
                return await Change(server, bucket, b => b["versioning"] = random.Next(2) == 0, "switch-versions");
            case 9:
                return await Change(server, bucket, b => b["region"] = region, "change-region");
            case 10:
                return new("delete-bucket", await server.Send(HttpMethod.Delete, bucketAt, null, await Tag(server, bucketAt)));
            case 11:
                var (document, _) = await server.Get("/api/estate/document");
                var today = DateOnly.Parse(document["today"]!.GetValue<string>(), CultureInfo.InvariantCulture);
                return new(
                    "import",
                    await server.Send(
                        HttpMethod.Put,
                        $"/api/estate/document?discardContents={(random.Next(2) == 0 ? "true" : "false")}",
                        EstateDocument.Write(Begin(random, today)),
                        await Tag(server, "/api/estate")
                    )
                );
            case 12:
                var lift = new JsonObject
                {
                    ["reason"] = "the case was closed",
                    ["confirm"] = bucket,
                    ["keep"] = Rule(random),
                };
                var lifted = await server.Send(HttpMethod.Post, $"{bucketAt}/keep/lift", lift.ToJsonString(), await Tag(server, bucketAt));
                return new("lift", lifted, Lifts: bucket);
            case 13 or 14:
                return await Pass(server, random);
            case 15:
                return new("lose-region", await server.Send(HttpMethod.Put, $"/api/replication/regions/{region}/loss"));
            case 16 or 17:
                var empty = random.Next(2) == 0;
                var loss = (await server.Get($"/api/replication/regions/{region}/loss")).Body;
                var back = new JsonObject
                {
                    ["withItsData"] = !empty,
                    ["confirm"] = region,
                    ["keptSeen"] = random.Next(2) == 0 ? null : (string?)loss["keptSeen"],
                };
                var returned = await server.Send(HttpMethod.Post, $"/api/replication/regions/{region}/return", back.ToJsonString());
                return new(empty ? "return-empty" : "return", returned, Destroys: empty ? region : null);
            case 18:
                var moving = $"/api/replication/moves/{bucket}/{Pick(random, Names)}/{Pick(random, Steps)}";
                var confirm = new JsonObject { ["confirm"] = bucket };
                var replication = (await server.Get("/api/replication")).Tag;
                return new("move-house", await server.Send(HttpMethod.Post, moving, confirm.ToJsonString(), replication));
            case 19:
                var (board, boardTag) = await server.Get("/api/replication");
                if (board["rules"]!.AsArray() is not [{ } rule, ..])
                    return new("nothing", null);
                return random.Next(2) == 0
                    ? new("probe", await server.Send(HttpMethod.Post, $"/api/replication/rules/{rule["id"]}/probes"))
                    : new("end-rule", await server.Send(HttpMethod.Delete, $"/api/replication/rules/{rule["id"]}", null, boardTag));
            case 20:
                var order = new JsonObject
                {
                    ["key"] = "",
                    ["wholePrefix"] = true,
                    ["for"] = "week",
                };
                var made = await server.Send(HttpMethod.Post, $"{bucketAt}/links", order.ToJsonString());
                if (made.IsSuccessStatusCode)
                {
                    var path = (await made.Content.ReadFromJsonAsync<JsonNode>())!["path"]!.GetValue<string>();
                    return new("delete-by-link", await server.Send(HttpMethod.Delete, $"{path}/{key}"));
                }
                return new("link", made);
            default:
                server.Restart();
                return new("restart", null);
        }
    }

    private static async Task<Call> Change(TestServer server, string bucket, Action<JsonNode> edit, string name)
    {
        var at = $"/api/buckets/{bucket}";
        if (await Read(server, at) is not var (body, tag))
            return new("nothing", null);
        edit(body);
        return new(name, await server.Send(HttpMethod.Put, at, body.ToJsonString(), tag));
    }

    private static async Task<Call> Pass(TestServer server, Random random)
    {
        var now = (await server.Get("/api/clock")).Body["now"]!.GetValue<DateTime>();
        var until = now.Date.AddDays(random.Next(6) == 0 ? random.Next(300, 500) : random.Next(1, 40));
        var order = new JsonObject
        {
            ["until"] = until.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture),
            ["confirm"] = random.Next(2) == 0 ? null : until.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
        };
        var passage = await server.Send(HttpMethod.Post, "/api/clock/passages", order.ToJsonString());
        while ((await server.Get("/api/clock")).Body["passage"]?["running"]?.GetValue<bool>() is true)
            await Task.Delay(10);
        return new("pass", passage);
    }

    private static async Task<(JsonNode Body, string Tag)?> Read(TestServer server, string path)
    {
        var answer = await server.Http.GetAsync(new Uri(path, UriKind.Relative));
        return answer.IsSuccessStatusCode ? ((await answer.Content.ReadFromJsonAsync<JsonNode>())!, answer.Headers.ETag?.Tag ?? "") : null;
    }

    private static async Task<string?> Tag(TestServer server, string path) => (await Read(server, path))?.Tag;

    private static T Pick<T>(Random random, T[] of) => of[random.Next(of.Length)];

    private static Estate Begin(Random random, DateOnly today) =>
        DemoDocument.Read() with
        {
            Today = today,
            Workloads = [],
            Targets = [],
            Buckets =
            [
                Bucket("harbour", "aldmouth", random) with
                {
                    Versioning = true,
                    CopyTo = random.Next(2) == 0 ? [] : [new CopyRule { Bucket = "far-away", FollowDeletions = true }],
                },
                Bucket("far-away", "kestrel-sound", random) with
                {
                    Versioning = true,
                },
                Bucket("third", "aldmouth", random),
            ],
        };

    private static Bucket Bucket(string name, string region, Random random) =>
        new()
        {
            Name = name,
            Region = region,
            Scheme = "one-site",
            Tier = "counter",
            Keep = Rule(random) is { } rule ? JsonSerializer.Deserialize<KeepRule>(rule, EstateDocument.Json) : null,
            Rules =
                random.Next(2) == 0
                    ? []
                    :
                    [
                        new LifecycleRule
                        {
                            Id = "go",
                            ExpireAt = random.Next(1, 60),
                            Steps = [],
                        },
                    ],
        };

    private static JsonObject? Rule(Random random) =>
        random.Next(4) == 0
            ? null
            : new JsonObject { ["days"] = random.Next(1, 500), ["strength"] = random.Next(2) == 0 ? "sealed" : "liftable" };

    private static async Task<Dictionary<string, string>> RegionsOf(TestServer server) =>
        (await server.Get("/api/estate/document")).Body["buckets"]!
            .AsArray()
            .ToDictionary(b => (string)b!["name"]!, b => (string)b!["region"]!);

    private static async Task<List<Kept>> Index(TestServer server)
    {
        await using var index = new SqliteConnection(
            $"Data Source={Path.Combine(server.ProviderFolder, "index.db")};Mode=ReadOnly;Pooling=False"
        );
        await index.OpenAsync();
        await using var command = index.CreateCommand();
        command.CommandText = """
            SELECT e.id, b.name, e.key, coalesce(e.sealed_until, 0), coalesce(e.liftable_until, 0), e.count, e.content
            FROM entry e JOIN bucket b ON b.id = e.bucket
            WHERE e.kind < 2 AND (e.sealed_until IS NOT NULL OR e.liftable_until IS NOT NULL)
            """;
        await using var row = await command.ExecuteReaderAsync();
        var kept = new List<Kept>();
        while (await row.ReadAsync())
        {
            kept.Add(
                new(
                    row.GetInt64(0),
                    row.GetString(1),
                    row.GetString(2),
                    row.GetInt32(3),
                    row.GetInt32(4),
                    row.GetDouble(5),
                    await row.IsDBNullAsync(6) ? null : row.GetString(6)
                )
            );
        }
        return kept;
    }
}
