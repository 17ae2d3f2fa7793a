using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Restores of a pool whose content rests where reading takes a wait: recalled first, and done by themselves when it is there.</summary>
public sealed class RecalledRestoreTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";

    private readonly TestServer server = new();

    private string Folder(string name) => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders", name);

    public void Dispose() => server.Dispose();

    private async Task Job(string what, object order)
    {
        await server.Did(HttpMethod.Post, $"{Vault}/{what}", JsonSerializer.Serialize(order));
        Assert.Null((string?)(await Ended())["error"]);
    }

    private async Task<JsonNode> Ended()
    {
        while (true)
        {
            var job = (await server.Get(Vault)).Body["job"]!;
            if (!(bool)job["running"]!)
                return job;
            await Task.Delay(20);
        }
    }

    private Task Pass(double hours) => server.Pass(TimeSpan.FromHours(hours));

    private async Task<JsonArray> Waiting() => (await server.Get($"{Vault}/restores")).Body.AsArray();

    private async Task<JsonArray> Records() => (await server.Get("/api/restore-records?target=office-vault")).Body.AsArray();

    /// <summary>Two points, with all content in the coldest tier; the id of the newest.</summary>
    private async Task<string> Aged()
    {
        Directory.CreateDirectory(Folder("charts"));
        for (var i = 0; i < 5; i++)
            await File.WriteAllBytesAsync(Path.Combine(Folder("charts"), $"{i}.chart"), Bytes(i));
        await server.Did(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "the ferry leaves at nine" }""");
        await Job("runs", new { workload = "Charts", folder = Folder("charts") });
        await server.Did(
            HttpMethod.Post,
            "/api/buckets/ticketing-backups/tier-moves",
            """{ "scope": "vault/packs/", "wholePrefix": true, "tier": "cave" }"""
        );
        // Runs look into the lists of what points hold, and those are at hand.
        await File.WriteAllBytesAsync(Path.Combine(Folder("charts"), "5.chart"), Bytes(5));
        await Job("runs", new { workload = "Charts", folder = Folder("charts") });
        await server.Did(
            HttpMethod.Post,
            "/api/buckets/ticketing-backups/tier-moves",
            """{ "scope": "vault/packs/", "wholePrefix": true, "tier": "cave" }"""
        );
        return (string)(await server.Get($"{Vault}/points")).Body["points"]![0]!["id"]!;
    }

    private static byte[] Bytes(int seed)
    {
        var bytes = new byte[300_000];
        new Random(seed).NextBytes(bytes);
        return bytes;
    }

    private static void AreEqual(string one, string other) =>
        Assert.Equal(
            Directory.GetFiles(one).Select(f => (Path.GetFileName(f), Convert.ToHexString(File.ReadAllBytes(f)))).Order(),
            Directory.GetFiles(other).Select(f => (Path.GetFileName(f), Convert.ToHexString(File.ReadAllBytes(f)))).Order()
        );

    [Fact]
    public async Task It_says_what_has_to_be_recalled_waits_for_it_and_is_done_by_itself()
    {
        var point = await Aged();
        // The list of what it holds can be looked into all the same.
        Assert.Equal(6, (await server.Get($"{Vault}/points/{point}/names")).Body.AsArray().Count);
        var draft = await server.Did(HttpMethod.Post, $"{Vault}/restores/draft", new { point, under = "" });
        Assert.Equal((6, 1_800_000), ((int)draft["files"]!, (int)draft["bytes"]!));
        var speeds = draft["recalls"]!.AsArray();
        Assert.Equal([null, "brisk"], speeds.Select(s => (string?)s!["speed"]));
        var (ordinary, brisk) = (speeds[0]!["recall"]!, speeds[1]!["recall"]!);
        Assert.Equal((int)draft["packs"]!, (int)ordinary["objects"]!);
        Assert.True((double)brisk["onceCharge"]! > (double)ordinary["onceCharge"]!);
        Assert.Equal([18, 3], new[] { ordinary, brisk }.Select(r => (int)r["parts"]![0]!["waitHours"]!));

        var order = new
        {
            point,
            under = "",
            folder = Folder("back"),
        };
        Assert.Equal("needs-recall", (await server.Refused(HttpMethod.Post, $"{Vault}/restores", order)).Code);
        Assert.Equal("needs-recall", (await server.Refused(HttpMethod.Post, $"{Vault}/rehearsals", new { point })).Code);
        var waits = await server.Did(
            HttpMethod.Post,
            $"{Vault}/restores",
            new
            {
                order.point,
                order.under,
                order.folder,
                recall = new { speed = "brisk" },
            }
        );
        Assert.Equal((string)brisk["readyFrom"]!, (string)waits["waitsUntil"]!);
        Assert.Equal((string)brisk["readyFrom"]!, (string)Assert.Single(await Waiting())!["readyFrom"]!);
        Assert.False(Directory.Exists(order.folder));
        // It outlives the server, and nothing of it comes before its time.
        server.Restart();
        await Pass(2.9);
        Assert.False(Directory.Exists(order.folder));
        Assert.Single(await Waiting());
        await Pass(0.2);
        Assert.Empty(await Waiting());
        AreEqual(Folder("charts"), order.folder);
        var record = Assert.Single(await Records())!;
        Assert.Equal((6, 0), ((int)record["files"]!, (int)record["problems"]!));
        Assert.Null((string?)record["error"]);
        // What was recalled is at hand for a day.
        await Job("rehearsals", new { point });
        await Pass(48);
        Assert.Equal("needs-recall", (await server.Refused(HttpMethod.Post, $"{Vault}/rehearsals", new { point })).Code);
    }

    [Fact]
    public async Task One_that_waits_can_be_given_up_and_a_rehearsal_waits_as_well()
    {
        var point = await Aged();
        var recall = new { days = 3 };
        await server.Did(
            HttpMethod.Post,
            $"{Vault}/restores",
            new
            {
                point,
                under = "3.chart",
                folder = Folder("one"),
                recall,
            }
        );
        await server.Did(HttpMethod.Post, $"{Vault}/rehearsals", new { point, recall });
        var id = (int)(await Waiting())[0]!["id"]!;
        Assert.Equal("no-restore", (await server.Refused(HttpMethod.Delete, $"{Vault}/restores/{id + 99}", null)).Code);
        Assert.Equal("no-restore", (await server.Refused(HttpMethod.Delete, $"/api/targets/harbour-shelf/restores/{id}", null)).Code);
        await server.Did(HttpMethod.Delete, $"{Vault}/restores/{id}", "");
        await Pass(20);
        Assert.False(Directory.Exists(Folder("one")));
        var record = Assert.Single(await Records())!;
        Assert.Equal(("rehearsal", 6, 0), ((string)record["kind"]!, (int)record["files"]!, (int)record["problems"]!));
        // All of it stays readable for its days, and one file is restored at once.
        await Job(
            "restores",
            new
            {
                point,
                under = "3.chart",
                folder = Folder("one"),
            }
        );
        Assert.Equal(Bytes(3), await File.ReadAllBytesAsync(Path.Combine(Folder("one"), "3.chart")));
    }

    [Fact]
    public async Task What_is_away_is_no_damage_and_a_prune_leaves_it()
    {
        var point = await Aged();
        var points = (await server.Get($"{Vault}/points")).Body["points"]!.AsArray();
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{points[^1]!["id"]}", "");
        await Job("prunes", new { });
        await server.Did(HttpMethod.Post, $"{Vault}/checks", "{}");
        var check = await Ended();
        Assert.Null((string?)check["error"]);
        Assert.Contains(check["problems"]!.AsArray(), p => ((string)p!["what"]!).Contains("rests in 'cave'", StringComparison.Ordinal));
        await server.Did(
            HttpMethod.Post,
            $"{Vault}/restores",
            new
            {
                point,
                under = "",
                folder = Folder("back"),
                recall = new { },
            }
        );
        await Pass(18);
        AreEqual(Folder("charts"), Folder("back"));
    }
}
