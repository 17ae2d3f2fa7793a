using System.Formats.Tar;
using System.IO.Compression;
using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>A file is found in the points of all pools, two points are compared, and a folder comes as one archive.</summary>
public sealed class PointContentTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private string Office => Path.Combine(Path.GetDirectoryName(server.Database)!, "folders", "office");

    private string Lost => Path.Combine(Office, "Invoices", "Ærø wharf 2019.txt");

    private async Task<string> Run()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/runs", JsonSerializer.Serialize(new { folder = Office, workload = "office" }));
        while (true)
        {
            var job = (await server.Get(Vault)).Body["job"]!;
            if (!(bool)job["running"]!)
                return (string)job["point"]!["id"]!;
            await Task.Delay(20);
        }
    }

    private async Task<JsonNode> Find(string text) => (await server.Get($"/api/found-paths?text={Uri.EscapeDataString(text)}")).Body;

    /// <summary>Three points: without the file, with it, and with it removed again.</summary>
    private async Task<(string First, string Second, string Third)> Three()
    {
        await server.Did(HttpMethod.Post, $"{Vault}/pool", """{ "passphrase": "the ferry leaves at nine" }""");
        var first = await Run();
        await File.WriteAllTextAsync(Lost, "paid in full");
        var second = await Run();
        File.Delete(Lost);
        return (first, second, await Run());
    }

    [Fact]
    public async Task A_lost_file_is_found_in_the_only_point_that_has_it()
    {
        var (_, second, third) = await Three();
        var found = await Find("ÆRØ invoices");
        var path = found["paths"]!.AsArray().Single()!;
        var version = path["versions"]!.AsArray().Single()!;
        Assert.Equal((1, "office-vault", "office"), ((int)found["total"]!, (string)path["target"]!, (string)path["workload"]!));
        Assert.Equal((second, 1, false), ((string)version["point"]!, (int)version["points"]!, (bool)version["isThere"]!));
        var address = $"{Vault}/points/{version["point"]}/file?path={Uri.EscapeDataString((string)path["path"]!)}";
        Assert.Equal("paid in full", await server.Http.GetStringAsync(new Uri(address, UriKind.Relative)));

        // Later points are taken in, and those that are removed are searched no more.
        var vault = (await server.Get("/api/found-paths?text=berths&target=office-vault")).Body;
        Assert.All(vault["paths"]!.AsArray(), p => Assert.True((bool)p!["versions"]![0]!["isThere"]!));
        Assert.Equal(3, (int)vault["points"]!);
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{second}");
        Assert.Equal(0, (int)(await Find("ÆRØ invoices"))["total"]!);
        await server.Did(HttpMethod.Delete, $"{Vault}/points/{third}");
        Assert.Equal(1, (int)(await server.Get("/api/found-paths?text=berths&target=office-vault")).Body["points"]!);

        // The demo's shelf has the office too: one search finds both.
        var targets = (await Find("berths 01"))["paths"]!.AsArray().Select(p => (string)p!["target"]!).ToHashSet();
        Assert.Contains("office-vault", targets);
        Assert.Equal(0, (int)(await Find("\0"))["total"]!);
        foreach (var wrong in (string[])["text=%20", "text=", $"text={new string('a', 201)}", "text=a&most=0", "text=a&most=201"])
            Assert.Equal((HttpStatusCode.BadRequest, "out-of-range"), await server.Refused(HttpMethod.Get, $"/api/found-paths?{wrong}"));
        Assert.Equal((HttpStatusCode.NotFound, "no-target"), await server.Refused(HttpMethod.Get, "/api/found-paths?text=a&target=none"));
    }

    /// <summary>What was read into memory before is not told of a target that may no longer be read.</summary>
    [Fact]
    public async Task Nothing_is_found_in_a_target_that_is_locked_since()
    {
        await Three();
        Assert.NotEqual(0, (int)(await server.Get("/api/found-paths?text=berths&target=office-vault")).Body["total"]!);
        var target = (await server.Get(Vault)).Body["target"]!.AsObject();
        target["access"] = "locked";
        await server.Did(HttpMethod.Put, Vault, target.ToJsonString(), (await server.Get("/api/targets")).Tag);
        var found = (await server.Get("/api/found-paths?text=berths&target=office-vault")).Body;
        Assert.Equal((0, 0), ((int)found["total"]!, (int)found["points"]!));
        Assert.Contains("is locked", (string)found["notSearched"]!.AsArray().Single()!["why"]!, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Two_points_are_compared_in_all_or_in_a_folder()
    {
        var (first, second, third) = await Three();
        var since = (await server.Get($"{Vault}/points/{second}/differences?since={first}")).Body;
        Assert.Equal((1, 0), ((int)since["added"]!, (int)since["removed"]!));
        // Of a folder that got a name the time changed too.
        Assert.Equal(["Invoices", "Invoices/Ærø wharf 2019.txt"], since["differences"]!.AsArray().Select(d => (string)d!["path"]!));
        Assert.Equal(12, (long)since["grownBytes"]!);
        var back = (await server.Get($"{Vault}/points/{third}/differences?since={second}&under=Invoices/Ærø wharf 2019.txt")).Body;
        Assert.Equal((0, 1, 0), ((int)back["added"]!, (int)back["removed"]!, (int)back["changed"]!));
        Assert.Equal(0, (int)(await server.Get($"{Vault}/points/{third}/differences?since={first}&under=Berths")).Body["changed"]!);
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-point"),
            await server.Refused(HttpMethod.Get, $"{Vault}/points/{third}/differences?since=none")
        );
    }

    [Fact]
    public async Task A_folder_comes_as_one_archive_and_leaves_a_record()
    {
        var (_, second, _) = await Three();
        await using var tar = await server.Http.GetStreamAsync(
            new Uri($"{Vault}/points/{second}/archive?format=tar&under=Invoices", UriKind.Relative)
        );
        using var reader = new TarReader(tar);
        var names = new List<string>();
        while (await reader.GetNextEntryAsync() is { } entry)
            names.Add(entry.Name);
        Assert.Contains("Invoices/Ærø wharf 2019.txt", names);
        Assert.All(names, n => Assert.StartsWith("Invoices", n, StringComparison.Ordinal));

        using var zipped = new MemoryStream(
            await server.Http.GetByteArrayAsync(new Uri($"{Vault}/points/{second}/archive?format=zip", UriKind.Relative))
        );
        using var zip = new ZipArchive(zipped);
        foreach (var file in Directory.GetFiles(Office, "*", SearchOption.AllDirectories))
        {
            await using var content = await zip.GetEntry(Path.GetRelativePath(Office, file))!.OpenAsync();
            using var bytes = new MemoryStream();
            await content.CopyToAsync(bytes);
            Assert.Equal(await File.ReadAllBytesAsync(file), bytes.ToArray());
        }

        Assert.Equal(
            (HttpStatusCode.NotFound, "no-path"),
            await server.Refused(HttpMethod.Get, $"{Vault}/points/{second}/archive?under=nowhere")
        );
        var records = (await server.Get("/api/restore-records?target=office-vault")).Body.AsArray();
        Assert.Equal(["a tar archive", "a zip archive", "a tar archive"], records.Select(r => (string)r!["into"]!));
        Assert.Contains("nowhere", (string)records[0]!["error"]!, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_folder_is_restored_as_objects_and_never_into_a_pool()
    {
        var (_, second, third) = await Three();
        async Task<JsonNode> Restored(string point, string prefix, string existing = "refused")
        {
            var order = new
            {
                point,
                under = "Invoices",
                bucket = "crew-records",
                prefix,
                existing,
            };
            await server.Did(HttpMethod.Post, $"{Vault}/restores", order);
            while (true)
            {
                var job = (await server.Get(Vault)).Body["job"]!;
                if (!(bool)job["running"]!)
                    return job;
                await Task.Delay(20);
            }
        }
        async Task<string[]> Keys(string prefix) =>
            [
                .. (await server.Get($"/api/buckets/crew-records/objects?prefix={prefix}")).Body["objects"]!
                    .AsArray()
                    .Select(o => (string)o!["key"]!),
            ];
        Task<string> Content(string key) =>
            server.Http.GetStringAsync(new Uri($"/api/buckets/crew-records/objects/{Uri.EscapeDataString(key)}", UriKind.Relative));

        var job = await Restored(second, "back/");
        Assert.Equal((0, (string?)null), (job["problems"]!.AsArray().Count, (string?)job["error"]));
        const string lost = "back/Invoices/Ærø wharf 2019.txt";
        Assert.Equal("paid in full", await Content(lost));
        Assert.Equal(15, (await Keys("back/")).Length);
        foreach (var file in Directory.GetFiles(Path.Combine(Office, "Invoices")))
            Assert.Equal(await File.ReadAllTextAsync(file), await Content($"back/Invoices/{Path.GetFileName(file)}"));

        // What is there is not taken over without a word; kept, beside or replaced as said.
        var again = new
        {
            point = third,
            under = "Invoices",
            bucket = "crew-records",
            prefix = "back/",
        };
        Assert.Equal("not-empty", (await server.Refused(HttpMethod.Post, $"{Vault}/restores", again)).Code);
        Assert.Equal(14, (long)(await Restored(third, "back/", "kept"))["left"]!);
        await Restored(third, "back/", "beside");
        Assert.Equal(29, (await Keys("back/")).Length);
        await Restored(third, "back/", "replaced");
        Assert.Equal((29, "paid in full"), ((await Keys("back/")).Length, await Content(lost)));
        var record = (await server.Get("/api/restore-records?workload=office")).Body[0]!;
        Assert.Equal("crew-records/back/", (string)record["into"]!);

        foreach (
            var (bucket, prefix, code) in new[]
            {
                ("ticketing-backups", "vault/x/", "meets-a-pool"),
                ("ticketing-backups", "", "meets-a-pool"),
                ("ticketing-backups", "va", "meets-a-pool"),
                ("no-such-bucket", "x/", "no-bucket"),
            }
        )
        {
            var order = new
            {
                point = third,
                under = "",
                bucket,
                prefix,
            };
            Assert.Equal(code, (await server.Refused(HttpMethod.Post, $"{Vault}/restores", order)).Code);
        }
        Assert.Equal("one-of", (await server.Refused(HttpMethod.Post, $"{Vault}/restores", new { point = third, under = "" })).Code);
    }
}
