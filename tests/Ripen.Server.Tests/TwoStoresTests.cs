using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Microsoft.Data.Sqlite;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Stores;

namespace Ripen.Server.Tests;

/// <summary>A database and a folder that do not belong together: said in words, nothing removed, and made one again as somebody
/// chooses.</summary>
public sealed class TwoStoresTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    public static TheoryData<StoreStanding?, FolderStanding, Standing> Pairs { get; } =
        new()
        {
            { null, Folder(null, 0, null, 0), Standing.Together },
            { null, Folder("a", 3, "m3", 1), Standing.DatabaseEmpty },
            { Store("a", 1, "m1", 1), Folder(null, 0, null, 0), Standing.Together },
            { Store("a", 4, "m4", 1, 4, "m4"), Folder(null, 0, null, 0), Standing.FolderEmpty },
            { Store("a", 4, "m4", 1, 4, "m4"), Folder("a", 4, "m4", 1), Standing.Together },
            { Store("a", 5, "m5", 1, 4, "m4"), Folder("a", 4, "m4", 1), Standing.Together },
            { Store("a", 4, "m4", 1, 3, "m3"), Folder("a", 4, "m4", 1), Standing.Together },
            { Store("a", 4, "x4", 1, 4, "x4"), Folder("a", 4, "m4", 1), Standing.Parted },
            { Store("a", 5, "x5", 1, 4, "x4"), Folder("a", 4, "m4", 1), Standing.Parted },
            { Store("a", 3, "m3", 1, 3, "m3"), Folder("a", 4, "m4", 1), Standing.DatabaseOlder },
            { Store("a", 9, "m9", 1, 9, "m9"), Folder("a", 4, "m4", 1), Standing.FolderOlder },
            { Store("b", 4, "m4", 1, 4, "m4"), Folder("a", 4, "m4", 1), Standing.Foreign },
            // A folder of an older program knows its import only.
            { Store("a", 7, "m7", 3), Folder(null, 0, null, 3), Standing.Together },
            { Store("a", 7, "m7", 2), Folder(null, 0, null, 3), Standing.DatabaseOlder },
            { Store("a", 7, "m7", 4), Folder(null, 0, null, 3), Standing.FolderOlder },
        };

    [Theory]
    [MemberData(nameof(Pairs))]
    public void Two_stores_stand_to_each_other_in_one_way(StoreStanding? store, FolderStanding folder, Standing standing) =>
        Assert.Equal(standing, Agreement.Of(store, folder));

    [Fact]
    public async Task An_older_database_removes_nothing_and_the_folders_state_can_be_taken()
    {
        var backup = Backup();
        (
            await server.Send(
                HttpMethod.Post,
                "/api/buckets",
                """{ "name": "newer", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }"""
            )
        ).EnsureSuccessStatusCode();
        await Put("newer", "a");
        const string scenarios =
            """{ "scenarios": [ { "id": "twice", "name": "Twice", "assumptions": [ { "reading": { "times": 2 } } ] } ] }""";
        await server.Did(HttpMethod.Put, "/api/scenarios", scenarios, (await server.Get("/api/scenarios")).Tag);
        server.Stop();
        Restore(backup);
        server.Restart();

        var stores = (await server.Get("/api/stores")).Body;
        Assert.Equal("database-older", stores["standing"]!.GetValue<string>());
        Assert.Equal(["take-folder", "take-database"], stores["choices"]!.AsArray().Select(c => c!.GetValue<string>()));
        // A look at what the folder follows, and nothing more.
        Assert.Equal([1, 2, 3], await Content("newer", "a"));
        foreach (
            var (method, path, body) in new[]
            {
                ("DELETE", "/api/buckets/newer/objects/a", null),
                ("POST", "/api/clock/passages", """{ "for": "day" }"""),
                ("PUT", "/api/buckets/newer/objects/b", "x"),
            }
        )
        {
            Assert.Equal((HttpStatusCode.Conflict, "stores-differ"), await Answer(new HttpMethod(method), path, body));
        }
        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-confirmed"),
            await Answer(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-folder", "confirm": "yes" }""")
        );
        (
            await server.Send(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-folder", "confirm": "folder" }""")
        ).EnsureSuccessStatusCode();
        await IsOneTruth("newer", "a");
        Assert.Equal("Twice", (string)(await server.Get("/api/scenarios")).Body["scenarios"]!.AsArray().Single()!["name"]!);
    }

    [Fact]
    public async Task Taking_an_older_database_drops_only_what_nothing_keeps()
    {
        var backup = Backup();
        (
            await server.Send(
                HttpMethod.Post,
                "/api/buckets",
                """{ "name": "newer", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "keep": { "days": 3, "strength": "sealed" } }"""
            )
        ).EnsureSuccessStatusCode();
        await Put("newer", "a");
        await Put("harbour-notices", "later");
        server.Stop();
        Restore(backup);
        server.Restart();
        Assert.Equal(
            (HttpStatusCode.Conflict, "kept"),
            await Answer(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-database", "confirm": "database" }""")
        );
        Assert.Equal([1, 2, 3], await Content("newer", "a"));
        (
            await server.Send(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-folder", "confirm": "folder" }""")
        ).EnsureSuccessStatusCode();
        (await server.Send(HttpMethod.Post, "/api/clock/passages", """{ "for": "week" }""")).EnsureSuccessStatusCode();
        await server.Stands();
        server.Stop();
        Restore(backup);
        server.Restart();
        (
            await server.Send(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-database", "confirm": "database" }""")
        ).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.NotFound, (await server.Send(HttpMethod.Get, "/api/buckets/newer")).StatusCode);
        await IsOneTruth("harbour-notices", "later");
    }

    [Fact]
    public async Task A_lost_index_loses_no_file_and_both_ways_are_open()
    {
        await Put("harbour-notices", "a");
        server.Stop();
        foreach (var file in Directory.GetFiles(server.ProviderFolder, "index.db*"))
            File.Move(file, file + ".aside");
        var contents = Directory.EnumerateFiles(Path.Combine(server.ProviderFolder, "content"), "*", SearchOption.AllDirectories).Count();
        server.Restart();
        var stores = (await server.Get("/api/stores")).Body;
        Assert.Equal(
            ("folder-empty", "take-database"),
            (stores["standing"]!.GetValue<string>(), stores["choices"]!.AsArray().Single()!.GetValue<string>())
        );
        Assert.Equal((HttpStatusCode.Conflict, "stores-differ"), await Answer(HttpMethod.Get, "/api/estate", null));
        server.Stop();
        // Every file that the new index did not know lies in quarantine, with a list.
        var quarantine = Path.Combine(server.ProviderFolder, "quarantine");
        Assert.Equal(
            contents,
            Directory.EnumerateFiles(quarantine, "*", SearchOption.AllDirectories).Count(f => !f.EndsWith(".csv", StringComparison.Ordinal))
        );
        Assert.Equal(contents + 1, File.ReadAllLines(Path.Combine(quarantine, "list.csv")).Length);

        // Whoever finds the index again puts everything back.
        foreach (
            var file in Directory.GetFiles(server.ProviderFolder, "index.db*").Where(f => !f.EndsWith(".aside", StringComparison.Ordinal))
        )
            File.Delete(file);
        foreach (var file in Directory.GetFiles(server.ProviderFolder, "*.aside"))
            File.Move(file, file[..^".aside".Length]);
        server.Restart();
        await IsOneTruth("harbour-notices", "a");
    }

    [Fact]
    public async Task A_foreign_database_is_told_apart()
    {
        await Put("harbour-notices", "a");
        using var other = new TestServer();
        await other.Get("/api/estate");
        other.Stop();
        server.Stop();
        File.Copy(other.Database, server.Database, overwrite: true);
        foreach (var rest in new[] { "-wal", "-shm" })
            File.Delete(server.Database + rest);
        server.Restart();
        Assert.Equal("foreign", (await server.Get("/api/stores")).Body["standing"]!.GetValue<string>());
        Assert.Equal([1, 2, 3], await Content("harbour-notices", "a"));
        (
            await server.Send(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-database", "confirm": "database" }""")
        ).EnsureSuccessStatusCode();
        await IsOneTruth("harbour-notices", "a");
    }

    [Fact]
    public async Task An_estate_that_the_provider_may_not_take_up_leaves_the_one_before_it_in_force()
    {
        await Put("harbour-notices", "a");
        server.Stop();
        using (var db = new SqliteConnection($"Data Source={server.Database};Pooling=False"))
        {
            db.Open();
            using var command = db.CreateCommand();
            command.CommandText =
                "UPDATE Bucket SET KeepDays = NULL, KeepStrength = NULL WHERE Name = 'deck-cameras'; UPDATE Estate SET Version = "
                + "Version + 1, Mark = 'by hand'";
            command.ExecuteNonQuery();
        }
        server.Restart();
        for (var look = 0; look < 3; look++)
        {
            Assert.Equal("not-taken-up", (await server.Get("/api/stores")).Body["standing"]!.GetValue<string>());
            Assert.Equal(31, (await server.Get("/api/buckets/deck-cameras")).Body["keep"]!["days"]!.GetValue<int>());
        }
        Assert.Contains("sealed", (await server.Get("/api/stores")).Body["reason"]!.GetValue<string>(), StringComparison.Ordinal);
        (
            await server.Send(HttpMethod.Post, "/api/stores/decision", """{ "choice": "take-folder", "confirm": "folder" }""")
        ).EnsureSuccessStatusCode();
        await IsOneTruth("harbour-notices", "a");
    }

    [Fact]
    public async Task A_migration_that_was_killed_keeps_nobody_out()
    {
        await server.Get("/api/estate");
        server.Stop();
        using (var db = new SqliteConnection($"Data Source={server.Database};Pooling=False"))
        {
            db.Open();
            using var command = db.CreateCommand();
            command.CommandText =
                "CREATE TABLE IF NOT EXISTS __EFMigrationsLock(Id INTEGER PRIMARY KEY, Timestamp TEXT); INSERT OR REPLACE INTO "
                + "__EFMigrationsLock VALUES(1, '2026-01-01')";
            command.ExecuteNonQuery();
        }
        server.Restart();
        Assert.Equal("together", (await server.Get("/api/stores")).Body["standing"]!.GetValue<string>());
    }

    [Fact]
    public async Task An_import_never_shows_what_lay_in_a_bucket_of_the_same_name_before()
    {
        using var empty = new TestServer(demo: false);
        static string Estate(string tier, int objects) =>
            $$"""
                { "ripen": 1, "name": "Twice", "today": "2026-11-01", "priceBook": { "currency": "EUR", "unit": "GB", "month": "calendar",
                  "tiers": [{ "id": "{{tier}}", "name": "T", "minimumStayDays": 0, "minimumObjectBytes": 0, "overheadBytes": 0, "indexBytes": 0, "waitHours": 0 }],
                  "schemes": [{ "id": "s", "name": "S", "copies": 3, "spread": "zone", "storageFactor": 1 }],
                  "regions": [{ "id": "r", "name": "R", "prices": [{ "tier": "{{tier}}", "storage": [{ "price": 0.03 }], "writes": 0, "reads": 0, "movesIn": 0, "recallRequests": 0, "recall": 0 }] }], "transfers": [] },
                  "buckets": [{ "name": "same", "region": "r", "scheme": "s", "tier": "{{tier}}", "stock": [{ "prefix": "", "created": "2026-10-01", "tier": "{{tier}}", "objects": {{objects}}, "bytesPerObject": 1000000000 }] }] }
                """;
        (await empty.Send(HttpMethod.Put, "/api/estate/document", Estate("warm", 5))).EnsureSuccessStatusCode();
        foreach (var (tier, objects) in new[] { ("warm", 7), ("other", 7), ("warm", 3) })
        {
            var (_, tag) = await empty.Get("/api/estate");
            (await empty.Send(HttpMethod.Put, "/api/estate/document", Estate(tier, objects), tag)).EnsureSuccessStatusCode();
            var lot = (await empty.Get("/api/buckets/same")).Body["stock"]!.AsArray().Single()!;
            Assert.Equal((objects, tier), (lot["objects"]!.GetValue<int>(), lot["tier"]!.GetValue<string>()));
            (await empty.Http.GetAsync(new Uri("/api/estate/board", UriKind.Relative))).EnsureSuccessStatusCode();
            (await empty.Http.GetAsync(new Uri("/api/forecast/rows.csv?months=2", UriKind.Relative))).EnsureSuccessStatusCode();
        }
    }

    private static StoreStanding Store(
        string identity,
        long version,
        string mark,
        long import,
        long adopted = 0,
        string adoptedMark = ""
    ) => new(identity, version, mark, import, adopted, adoptedMark, null);

    private static FolderStanding Folder(string? identity, long version, string? mark, long import) => new(identity, version, mark, import);

    private string Backup()
    {
        var copy = server.Database + ".backup";
        using var db = new SqliteConnection($"Data Source={server.Database};Pooling=False");
        db.Open();
        using var command = db.CreateCommand();
        command.CommandText = $"VACUUM INTO '{copy}'";
        command.ExecuteNonQuery();
        return copy;
    }

    private void Restore(string backup)
    {
        File.Copy(backup, server.Database, overwrite: true);
        foreach (var rest in new[] { "-wal", "-shm" })
            File.Delete(server.Database + rest);
    }

    private async Task Put(string bucket, string key) =>
        (
            await server.Http.PutAsync(new Uri($"/api/buckets/{bucket}/objects/{key}", UriKind.Relative), new ByteArrayContent([1, 2, 3]))
        ).EnsureSuccessStatusCode();

    private Task<byte[]> Content(string bucket, string key) =>
        server.Http.GetByteArrayAsync(new Uri($"/api/buckets/{bucket}/objects/{key}", UriKind.Relative));

    private async Task<(HttpStatusCode, string?)> Answer(HttpMethod method, string path, string? body)
    {
        var answer = await server.Send(method, path, body);
        var problem = (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
        return (answer.StatusCode, (problem["problems"]?.AsArray() is [{ } one] ? one : problem)["code"]?.GetValue<string>());
    }

    /// <summary>The two are one again, before and after another start; what was stored is there, and things can be changed.</summary>
    private async Task IsOneTruth(string bucket, string key)
    {
        for (var start = 0; start < 2; start++)
        {
            Assert.Equal("together", (await server.Get("/api/stores")).Body["standing"]!.GetValue<string>());
            Assert.Equal([1, 2, 3], await Content(bucket, key));
            (
                await server.Send(
                    HttpMethod.Post,
                    "/api/buckets",
                    $$"""{ "name": "after-{{start}}", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }"""
                )
            ).EnsureSuccessStatusCode();
            server.Restart();
        }
    }
}
