using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>A volume over HTTP and NBD: made, written, killed, kept as it was, let go.</summary>
public sealed class VolumeTests : IAsyncDisposable
{
    private const string Cellar = "/api/targets/cellar";
    private const long Size = 64L << 20;
    private const int Page = 4096;

    private readonly ServerProcess server = new();

    public ValueTask DisposeAsync() => server.DisposeAsync();

    private async Task<(HttpStatusCode Status, JsonNode Body)> Send(HttpMethod method, string path, object? body = null, string? tag = null)
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        if (body is not null)
            request.Content = JsonContent.Create(body);
        if (tag is not null)
            request.Headers.TryAddWithoutValidation("If-Match", tag);
        using var response = await server.Http.SendAsync(request);
        var text = await response.Content.ReadAsStringAsync();
        return (response.StatusCode, text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!);
    }

    private async Task<JsonNode> Did(HttpMethod method, string path, object? body = null, string? tag = null)
    {
        var (status, answer) = await Send(method, path, body, tag);
        Assert.True((int)status < 300, $"{status}: {answer}");
        return answer;
    }

    private async Task<string> Tag() => (await server.Http.GetAsync(new Uri("/api/targets", UriKind.Relative))).Headers.ETag!.Tag;

    private Task<(HttpStatusCode Status, JsonNode Body)> PutTarget(string id, object change) => PutTarget(id, change, Size);

    private async Task<(HttpStatusCode Status, JsonNode Body)> PutTarget(string id, object? local, long size) =>
        await Send(
            HttpMethod.Put,
            $"/api/targets/{id}",
            new
            {
                id,
                name = "Cellar",
                kind = "volume",
                bucket = "ticketing-backups",
                prefix = $"{id}/",
                capacityBytes = size,
                local,
            },
            await Tag()
        );

    private static readonly object Local = new { journalBytes = 8_000_000, readBytes = 8_000_000 };

    private async Task<JsonNode> Made(string id = "cellar")
    {
        Assert.Equal(HttpStatusCode.NoContent, (await PutTarget(id, Local)).Status);
        await Did(HttpMethod.Post, $"/api/targets/{id}/volume", new { passphrase = "the ferry leaves at nine" });
        return await Did(HttpMethod.Get, $"/api/targets/{id}/volume");
    }

    private async Task<NbdClient> Connect()
    {
        // The volume opens with the server, a moment after it answers.
        while (true)
        {
            if ((string?)(await Did(HttpMethod.Get, $"{Cellar}/volume"))["address"] is { } address)
                return new NbdClient(new Uri(address));
            await Task.Delay(20);
        }
    }

    [Fact]
    public async Task Killed_while_it_is_written_it_holds_everything_that_was_acknowledged()
    {
        await server.Start();
        await Made();
        var known = new Dictionary<long, int>();
        var number = 0;
        for (var round = 0; round < 5; round++)
        {
            var trying = new Dictionary<long, int>();
            using (var client = await Connect())
            {
                var writing = Task.Run(() =>
                {
                    try
                    {
                        while (true)
                        {
                            var page = (long)Random.Shared.Next((int)(Size / Page));
                            trying[page] = ++number;
                            if (client.Write(page * Page, Content(number)) == 0)
                                known[page] = number;
                            trying.Remove(page);
                        }
                    }
                    catch (IOException)
                    {
                        // Killed.
                    }
                });
                await Task.Delay(Random.Shared.Next(50, 900));
                await server.Kill();
                await writing;
            }
            await server.Start();
            using var after = await Connect();
            // Some hundreds of them, and the one that was under way: each costs a read of its block.
            var asked = known.OrderBy(k => trying.ContainsKey(k.Key) ? -1 : Random.Shared.Next()).Take(300).ToList();
            foreach (var (page, written) in asked)
            {
                var there = after.Read(page * Page, Page);
                var allowed = trying.TryGetValue(page, out var last) ? new[] { written, last } : [written];
                var found = Array.FindIndex(allowed, a => there.AsSpan().SequenceEqual(Content(a)));
                Assert.True(
                    found >= 0,
                    $"Round {round}, page {page}: '{Encoding.ASCII.GetString(there, 0, 16)}', not {string.Join(" or ", allowed)}."
                );
                // What was not acknowledged and is there all the same stays there.
                known[page] = allowed[found];
            }
        }
        Assert.True(known.Count > 100, $"Only {known.Count} pages were written.");

        await Did(HttpMethod.Post, $"{Cellar}/volume/drain");
        var status = (await Did(HttpMethod.Get, $"{Cellar}/volume"))["status"]!;
        Assert.Equal(0, (long)status["journalBytes"]!);
        Assert.True((long)status["storedBlocks"]! > 0);
    }

    [Fact]
    public async Task Snapshots_are_offered_filled_from_and_let_go()
    {
        await server.Start();
        var volume = await Made();
        Assert.Equal(Size, (long)volume["sizeBytes"]!);
        Assert.True((bool)volume["encrypts"]!);
        using (var client = await Connect())
        {
            Assert.Equal(Size, client.Size);
            Assert.Equal(0u, client.Write(5 * Page, Content(1)));
            var snapshot = (string)(await Did(HttpMethod.Post, $"{Cellar}/snapshots", new { name = "before" }))["id"]!;
            Assert.Equal(0u, client.Write(5 * Page, Content(2)));

            var address = (string)(await Did(HttpMethod.Post, $"{Cellar}/snapshots/{snapshot}/export"))["address"]!;
            using (var then = new NbdClient(new Uri(address)))
            {
                Assert.Equal(Content(1), then.Read(5 * Page, Page));
                Assert.Equal(1u, then.Write(0, Content(3)));
            }
            Assert.Equal(Content(2), client.Read(5 * Page, Page));

            await Made("larder");
            await Did(HttpMethod.Post, "/api/targets/larder/volume/copy", new { target = "cellar", snapshot });
            JsonNode job;
            do job = (await Did(HttpMethod.Get, "/api/targets/larder"))["job"]!;
            while ((bool)job["running"]!);
            Assert.Null(job["error"]);
            using (var copy = new NbdClient(new Uri((string)(await Did(HttpMethod.Get, "/api/targets/larder/volume"))["address"]!)))
                Assert.Equal(Content(1), copy.Read(5 * Page, Page));
            Assert.Equal(
                "not-empty",
                Code(await Send(HttpMethod.Post, "/api/targets/larder/volume/copy", new { target = "cellar", snapshot }))
            );

            await Did(HttpMethod.Delete, $"{Cellar}/snapshots/{snapshot}");
            Assert.Equal("no-snapshot", Code(await Send(HttpMethod.Delete, $"{Cellar}/snapshots/{snapshot}")));
        }
        Assert.Equal("fixed-size", Code(await PutTarget("cellar", Local, 2 * Size)));
        Assert.Equal("exists", Code(await Send(HttpMethod.Post, $"{Cellar}/volume", new { passphrase = "the ferry leaves at nine" })));

        // What was acknowledged is in the bucket before the target goes; made anew, it is there.
        await Did(HttpMethod.Delete, Cellar, tag: await Tag());
        Assert.Equal(HttpStatusCode.NotFound, (await Send(HttpMethod.Get, $"{Cellar}/volume")).Status);
        Directory.Delete(Path.Combine(server.Folder, "volumes"), recursive: true);
        Assert.Equal(HttpStatusCode.NoContent, (await PutTarget("cellar", Local)).Status);
        using var again = await Connect();
        Assert.Equal(Content(2), again.Read(5 * Page, Page));
    }

    [Fact]
    public async Task What_is_not_right_is_refused_at_its_field()
    {
        await server.Start();
        Assert.Equal("missing-property", Code(await PutTarget("cellar", null, Size)));
        Assert.Equal("invalid-size", Code(await PutTarget("cellar", Local, 1000)));
        Assert.Equal(HttpStatusCode.NoContent, (await PutTarget("cellar", Local)).Status);
        Assert.Equal("no-volume", Code(await Send(HttpMethod.Get, $"{Cellar}/volume")));
        Assert.Equal("short-passphrase", Code(await Send(HttpMethod.Post, $"{Cellar}/volume", new { passphrase = "short" })));
        Assert.Equal("not-open", Code(await Send(HttpMethod.Post, $"{Cellar}/volume/drain")));
        Assert.Equal("no-pool-here", Code(await Send(HttpMethod.Post, $"{Cellar}/pool", new { passphrase = "the ferry leaves at nine" })));
        Assert.Equal("no-volume-here", Code(await Send(HttpMethod.Get, "/api/targets/office-vault/volume")));
        await Did(HttpMethod.Post, $"{Cellar}/volume", new { passphrase = "the ferry leaves at nine" });
        Assert.Equal("wrong-passphrase", Code(await Send(HttpMethod.Post, $"{Cellar}/passphrase", new { passphrase = "it never leaves" })));
        Assert.Equal("out-of-range", Code(await Send(HttpMethod.Post, $"{Cellar}/snapshots", new { name = " " })));
    }

    private static byte[] Content(int number)
    {
        var content = new byte[Page];
        Encoding.ASCII.GetBytes($"write {number} ").CopyTo(content, 0);
        new Random(number).NextBytes(content.AsSpan(32));
        return content;
    }

    private static string Code((HttpStatusCode Status, JsonNode Body) answer) =>
        (string)(answer.Body["problems"]?.AsArray().FirstOrDefault()?["code"] ?? answer.Body["code"])!;
}
