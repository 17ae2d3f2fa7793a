using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>What targets do by themselves: when it is due, not before, and though another target cannot.</summary>
public sealed class ScheduleTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";
    private const string Blocked = "/api/targets/aground";
    private const string Shelf = "/api/targets/harbour-shelf";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private string Root => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders");

    private string Office => Path.Combine(Root, "office");

    private async Task<string> Tag() => (await server.Get("/api/targets")).Tag;

    private async Task<DateTimeOffset?> TestedAt(string target) => (DateTimeOffset?)(await server.Get(target)).Body["test"]?["at"];

    private async Task Change(string target, Action<JsonNode> change)
    {
        var wanted = (await server.Get(target)).Body["target"]!;
        change(wanted);
        await server.Did(HttpMethod.Put, target, wanted.ToJsonString(), await Tag());
    }

    private static async Task<T> Until<T>(Func<Task<T>> look, Func<T, bool> isSo)
    {
        while (true)
        {
            if (await look() is var seen && isSo(seen))
                return seen;
            await Task.Delay(20);
        }
    }

    [Fact]
    public async Task Targets_test_themselves_when_it_is_due_and_others_do_though_one_fails()
    {
        // A file lies where the folder would.
        await File.WriteAllTextAsync(Path.Combine(Root, "berth"), "taken");
        await server.Did(
            HttpMethod.Put,
            Blocked,
            $$"""
            { "id": "aground", "name": "Aground", "kind": "directory", "folder": "{{Path.Combine(
                Root,
                "berth"
            )}}/x", "operatedBy": "own", "testEveryHours": 2 }
            """,
            await Tag()
        );
        var begun = server.Machine.GetUtcNow();
        server.Machine.Pass(TimeSpan.FromMinutes(1));
        var first = (await Until(() => TestedAt(Shelf), at => at >= begun))!.Value;
        var disk = await Until(async () => (await server.Get(Blocked)).Body["test"], t => t is not null);
        Assert.False((bool)disk!["worked"]!);
        Assert.NotEmpty((string)disk["steps"]!.AsArray().Single(s => !(bool)s!["worked"]!)!["why"]!);
        await Until(() => TestedAt(Vault), at => at >= begun);
        Assert.Null(await TestedAt("/api/targets/harbour-tray"));

        // The disk's two hours are over, the shelf's day is not.
        server.Machine.Pass(TimeSpan.FromHours(2));
        await Until(() => TestedAt(Blocked), at => at > first.AddHours(1));
        Assert.Equal(first, await TestedAt(Shelf));

        // One by hand counts.
        var byHand = (DateTimeOffset)(await server.Did(HttpMethod.Post, $"{Vault}/tests"))["at"]!;
        server.Machine.Pass(TimeSpan.FromHours(22));
        await Until(() => TestedAt(Shelf), at => at >= first.AddHours(24));
        await Until(() => TestedAt(Blocked), at => at > first.AddHours(23));
        Assert.Equal(byHand, await TestedAt(Vault));
    }

    [Fact]
    public async Task A_pool_is_copied_when_it_is_due_and_brings_what_is_new()
    {
        const string Twin = """{ "id": "twin", "name": "Twin", "kind": "bucket", "bucket": "port-sonar", "prefix": "twin/" }""";
        await server.Did(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "the ferry leaves at nine" }""");
        await server.Did(HttpMethod.Put, "/api/targets/twin", Twin, await Tag());
        await Change(
            Vault,
            t =>
            {
                t["copyTo"] = JsonNode.Parse("""{ "target": "twin", "everyHours": 6 }""");
                // What a self-test writes meanwhile would be counted with the pool's objects.
                t["testEveryHours"] = null;
            }
        );
        Assert.Equal(0, await Objects("/api/targets/twin"));

        server.Machine.Pass(TimeSpan.FromMinutes(1));
        var first = await Until(Copied, c => c is not null);
        Assert.Equal(await Objects(Vault), await Objects("/api/targets/twin"));
        await Run();
        server.Machine.Pass(TimeSpan.FromHours(5));
        server.Machine.Pass(TimeSpan.FromMinutes(61));
        await Until(Copied, c => c is not null && (DateTimeOffset)c["begun"]! > (DateTimeOffset)first!["begun"]!);
        Assert.Equal(await Objects(Vault), await Objects("/api/targets/twin"));
        Assert.Single((await server.Get("/api/targets/twin/points")).Body["points"]!.AsArray());

        // A place that takes nothing is told on the target, and tried again when it is due.
        await Change("/api/targets/twin", t => t["access"] = "read-only");
        await File.WriteAllTextAsync(Path.Combine(Office, "new.txt"), "the tide table of the spring");
        await Run();
        server.Machine.Pass(TimeSpan.FromHours(6));
        var refused = await Until(Copied, c => c?["error"] is not null);
        Assert.Contains("read-only", (string)refused!["error"]!, StringComparison.Ordinal);

        async Task<long> Objects(string target) => (long)(await server.Get(target)).Body["storedObjects"]!;

        async Task<JsonNode?> Copied() =>
            (await server.Get(Vault)).Body["job"] is { } job && (string)job["kind"]! == "pool-copy" && !(bool)job["running"]! ? job : null;
    }

    [Fact]
    public async Task Snapshots_are_taken_when_they_are_due_and_the_oldest_of_the_schedule_go()
    {
        const string Cellar = "/api/targets/cellar";
        await server.Did(
            HttpMethod.Put,
            Cellar,
            """
            { "id": "cellar", "name": "Cellar", "kind": "volume", "bucket": "ticketing-backups", "prefix": "cellar/", "capacityBytes": 67108864,
              "local": { "journalBytes": 8000000, "readBytes": 8000000 }, "snapshots": { "everyHours": 24, "keep": 2 } }
            """,
            await Tag()
        );
        await server.Did(HttpMethod.Post, $"{Cellar}/volume", """{ "passphrase": "the ferry leaves at nine" }""");
        var first = (await Until(Ids, ids => ids.Count == 1))[0];
        var byHand = (string)(await server.Did(HttpMethod.Post, $"{Cellar}/snapshots", """{ "name": "before the refit" }"""))["id"]!;
        server.Machine.Pass(TimeSpan.FromHours(23));
        Assert.Equal([first, byHand], await Ids());
        server.Machine.Pass(TimeSpan.FromHours(1));
        var second = (await Until(Ids, ids => ids.Count == 3)).Single(id => id != first && id != byHand);
        server.Machine.Pass(TimeSpan.FromHours(24));
        var left = await Until(Ids, ids => ids.Count == 3 && !ids.Contains(first));
        Assert.Contains(second, left);
        Assert.Contains(byHand, left);

        async Task<List<string>> Ids() =>
            [.. (await server.Get($"{Cellar}/volume")).Body["snapshots"]!.AsArray().Select(s => (string)s!["snapshot"]!["id"]!)];
    }

    private async Task Run()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/runs", new { folder = Office, workload = "office" });
        while ((bool)(await server.Get($"{Vault}/job?wait=true")).Body["running"]!) { }
    }
}
