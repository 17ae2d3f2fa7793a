using System.Diagnostics;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Cartridges over HTTP and through the drive's pipe: written, read, put away, recalled, kept, begun anew.</summary>
public sealed class CartridgeTests : IDisposable
{
    private const string Purser = "/api/targets/purser";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<JsonNode> Did(HttpMethod method, string path, object? body = null)
    {
        var response = await server.Send(method, path, body is null ? null : JsonSerializer.Serialize(body));
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, $"{method} {path}: {text}");
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    private async Task<string> Refused(HttpMethod method, string path, object? body = null)
    {
        var response = await server.Send(method, path, body is null ? null : JsonSerializer.Serialize(body));
        Assert.False(response.IsSuccessStatusCode);
        var problem = (await response.Content.ReadFromJsonAsync<JsonNode>())!;
        return (string)(problem["problems"]?.AsArray().FirstOrDefault()?["code"] ?? problem["code"])!;
    }

    private async Task<JsonNode> Cartridge(int number) =>
        (await server.Get($"{Purser}/library")).Body["cartridges"]!.AsArray().Single(c => (int)c!["label"]!["number"]! == number)!;

    private async Task<JsonNode> Load(int cartridge, string use) => await Did(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge, use });

    private static async Task Shell(string command)
    {
        using var process = Process.Start(new ProcessStartInfo("/bin/sh", ["-c", command]))!;
        await process.WaitForExitAsync();
        Assert.Equal(0, process.ExitCode);
    }

    [Fact]
    public async Task Written_through_its_pipe_it_is_put_away_and_comes_back_after_its_wait()
    {
        Assert.Equal("no-library", await Refused(HttpMethod.Get, $"{Purser}/library"));
        await Did(HttpMethod.Post, $"{Purser}/library", new { passphrase = "the ferry leaves at nine" });
        await Did(HttpMethod.Post, $"{Purser}/cartridges");
        var drive = await Load(1, "write");
        var pipe = (string)drive["path"]!;
        var content = new byte[3_000_000];
        new Random(2).NextBytes(content);
        var original = Path.Combine(Path.GetDirectoryName(server.Database)!, "original");
        await File.WriteAllBytesAsync(original, content);
        await Shell($"cat '{original}' > '{pipe}'");
        while ((await Cartridge(1))["files"]!.AsArray().Count == 0)
            await Task.Delay(10);
        using (var body = new ByteArrayContent([1, 2, 3]))
        {
            var response = await server.Http.PostAsync(new Uri($"{Purser}/drives/1/content", UriKind.Relative), body);
            Assert.Equal(HttpStatusCode.OK, response.StatusCode);
        }
        Assert.Equal(1, (int)(await Cartridge(1))["drive"]!);
        Assert.Equal("in-drive", await Refused(HttpMethod.Delete, $"{Purser}/cartridges/1/content"));
        Assert.Equal("in-drive", await Refused(HttpMethod.Post, $"{Purser}/cartridges/1/rest", new { tier = "cave" }));
        Assert.Equal("in-drive", await Refused(HttpMethod.Put, $"{Purser}/drives/2", new { cartridge = 1, use = "read" }));
        await Did(HttpMethod.Delete, $"{Purser}/drives/1");
        var stored = (await server.Get(Purser)).Body;
        Assert.True((long)stored["storedBytes"]! > 3_000_000);

        // Into the coldest tier, and back: first what it costs, then the wait on the provider's clock.
        var draft = await Did(HttpMethod.Post, $"{Purser}/cartridges/1/rest-draft", new { tier = "cave" });
        Assert.True((double)draft["monthlyAfter"]! < (double)draft["monthlyBefore"]!);
        await Did(HttpMethod.Post, $"{Purser}/cartridges/1/rest", new { tier = "cave" });
        var away = await Cartridge(1);
        Assert.True((bool)away["isAway"]!);
        Assert.Equal(2, away["files"]!.AsArray().Count);
        Assert.Equal("put-away", await Refused(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge = 1, use = "read" }));
        Assert.Equal("needs-recall", await Refused(HttpMethod.Get, $"{Purser}/cartridges/1/files/1"));
        var back = await Did(HttpMethod.Post, $"{Purser}/cartridges/1/rest", new { tier = "counter" });
        Assert.True((double)back["waitBefore"]! > 0);
        Assert.Equal("recall-under-way", await Refused(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge = 1, use = "read" }));
        await server.Pass(TimeSpan.FromDays(3));
        await Load(1, "read");
        var copy = Path.Combine(Path.GetDirectoryName(server.Database)!, "copy");
        await Shell($"cat '{pipe}' > '{copy}' && cat '{pipe}' >> '{copy}'");
        Assert.Equal([.. content, 1, 2, 3], await File.ReadAllBytesAsync(copy));
        Assert.Equal([1, 2, 3], await server.Http.GetByteArrayAsync(new Uri($"{Purser}/cartridges/1/files/2", UriKind.Relative)));
        Assert.Equal("no-file", await Refused(HttpMethod.Get, $"{Purser}/cartridges/1/files/3"));

        // A restart puts every cartridge back into its slot.
        server.Restart();
        var library = (await server.Get($"{Purser}/library")).Body;
        Assert.All(library["drives"]!.AsArray(), d => Assert.Null(d!["status"]!["cartridge"]));
        Assert.False(File.Exists(pipe));
    }

    [Fact]
    public async Task Slots_drives_labels_and_erasing_keep_their_promises()
    {
        await Did(HttpMethod.Post, $"{Purser}/library", new { passphrase = "the ferry leaves at nine" });
        for (var i = 0; i < 12; i++)
            await Did(HttpMethod.Post, $"{Purser}/cartridges");
        Assert.Equal("no-slot", await Refused(HttpMethod.Post, $"{Purser}/cartridges"));
        Assert.Equal("no-drive", await Refused(HttpMethod.Put, $"{Purser}/drives/3", new { cartridge = 1, use = "read" }));
        Assert.Equal("no-cartridge", await Refused(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge = 13, use = "read" }));
        await Did(HttpMethod.Put, $"{Purser}/cartridges/2", new { @protected = true, keepUntil = "2099-01-01" });
        Assert.Equal("write-protected", await Refused(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge = 2, use = "write" }));
        Assert.Equal("write-protected", await Refused(HttpMethod.Delete, $"{Purser}/cartridges/2/content"));
        Assert.Equal("kept", await Refused(HttpMethod.Put, $"{Purser}/cartridges/2", new { @protected = false, keepUntil = "2098-12-31" }));
        await Did(HttpMethod.Put, $"{Purser}/cartridges/2", new { @protected = false, keepUntil = "2099-01-01" });
        Assert.Equal("kept", await Refused(HttpMethod.Delete, $"{Purser}/cartridges/2/content"));
        // Two hands at once: one cartridge never gets into two drives.
        for (var i = 0; i < 20; i++)
        {
            var both = await Task.WhenAll(
                Enumerable
                    .Range(1, 2)
                    .Select(d => server.Send(HttpMethod.Put, $"{Purser}/drives/{d}", """{ "cartridge": 5, "use": "write" }"""))
            );
            Assert.Single(both, r => r.IsSuccessStatusCode);
            foreach (var d in (int[])[1, 2])
                await Did(HttpMethod.Delete, $"{Purser}/drives/{d}");
        }
        Assert.Equal("not-loaded", await Refused(HttpMethod.Post, $"{Purser}/drives/1/content"));
        await Load(3, "write");
        Assert.Equal("drive-loaded", await Refused(HttpMethod.Put, $"{Purser}/drives/1", new { cartridge = 4, use = "read" }));
        using (var body = new ByteArrayContent(new byte[1000]))
            (await server.Http.PostAsync(new Uri($"{Purser}/drives/1/content", UriKind.Relative), body)).EnsureSuccessStatusCode();
        await Did(HttpMethod.Delete, $"{Purser}/drives/1");
        Assert.Equal(1000, (long)(await Cartridge(3))["bytes"]!);
        Assert.Equal(2, (int)(await Did(HttpMethod.Delete, $"{Purser}/cartridges/3/content"))["generation"]!);
        Assert.Equal(0, (long)(await Cartridge(3))["bytes"]!);
        Assert.Equal("no-library-here", await Refused(HttpMethod.Get, "/api/targets/office-vault/library"));
    }
}
