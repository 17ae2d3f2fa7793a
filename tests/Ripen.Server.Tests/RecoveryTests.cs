using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>A restore with nothing but what lies in the bucket, and the recovery sheet: by the command line, which knows no server.</summary>
public sealed class RecoveryTests : IAsyncLifetime
{
    private const string Passphrase = "the ferry leaves at nine";

    private readonly ServerProcess server = new();
    private readonly string away = Directory.CreateTempSubdirectory("ripen-away-").FullName;

    public async ValueTask InitializeAsync() => await server.Start();

    public async ValueTask DisposeAsync()
    {
        await server.DisposeAsync();
        Directory.Delete(away, recursive: true);
    }

    private string Office => Path.Combine(server.Folder, "folders", "office");

    private static Task<(int Code, string Output, string Errors)> Recover(string passphrase, string key, params string[] arguments) =>
        CommandLine.Run(
            new Dictionary<string, string> { ["RIPEN_PASSPHRASE"] = passphrase, ["RIPEN_KEY"] = key },
            ["recover", .. arguments]
        );

    private async Task<JsonNode> Send(HttpMethod method, string address, object? body = null)
    {
        using var request = new HttpRequestMessage(method, address) { Content = body is null ? null : JsonContent.Create(body) };
        using var response = await server.Http.SendAsync(request);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    private async Task<string> Key(params string[] rights)
    {
        var order = new
        {
            label = "For the worst day",
            prefix = "vault/",
            rights,
        };
        var secret = (await Send(HttpMethod.Post, "/api/buckets/ticketing-backups/access", order))["secret"]!;
        return $"{secret["keyId"]}:{secret["secret"]}";
    }

    private async Task BackUp()
    {
        await Send(HttpMethod.Post, "/api/targets/office-vault/pool", new { passphrase = Passphrase });
        await Send(HttpMethod.Post, "/api/targets/office-vault/runs", new { folder = Office, workload = "office" });
        while ((bool)(await Send(HttpMethod.Get, "/api/targets/office-vault"))["job"]!["running"]!)
            await Task.Delay(20);
    }

    private static Dictionary<string, string> Contents(string folder) =>
        Directory
            .GetFiles(folder, "*", SearchOption.AllDirectories)
            .ToDictionary(f => Path.GetRelativePath(folder, f), f => Convert.ToHexString(File.ReadAllBytes(f)));

    [Fact]
    public async Task A_pool_is_restored_from_its_bucket_over_plain_http_with_a_key_that_may_only_read()
    {
        var none = await server.Http.GetAsync(new Uri("/api/targets/office-vault/recovery-sheet", UriKind.Relative));
        Assert.Equal(HttpStatusCode.NotFound, none.StatusCode);
        await BackUp();
        Assert.Contains(
            "No key may list and read",
            (await Send(HttpMethod.Get, "/api/targets/office-vault/recovery-sheet"))["missing"]!.ToJsonString(),
            StringComparison.Ordinal
        );
        var (weak, key) = (await Key("read"), await Key("read", "list"));
        var sheet = await Send(HttpMethod.Get, "/api/targets/office-vault/recovery-sheet");
        Assert.Equal([key.Split(':')[0]], sheet["keys"]!.AsArray().Select(k => (string)k!["id"]!));
        Assert.DoesNotContain(key.Split(':')[1], sheet.ToJsonString(), StringComparison.Ordinal);
        Assert.DoesNotContain(Passphrase, sheet.ToJsonString(), StringComparison.Ordinal);
        var place = (string)sheet["places"]!.AsArray().Single()!;

        var listed = await Recover(Passphrase, key, place);
        Assert.Equal((0, ""), (listed.Code, listed.Errors));
        var point = listed.Output.Split('\n')[1].Split('\t')[0];
        var stored = (await Send(HttpMethod.Get, "/api/targets/office-vault"))["storedObjects"]!.ToJsonString();
        Assert.Contains(
            "Berths/berths 03.txt",
            (await Recover(Passphrase, key, place, "--find", "BERTHS 03")).Output,
            StringComparison.Ordinal
        );
        var to = Path.Combine(away, "office");
        var restored = await Recover(Passphrase, key, place, point, "--to", to);
        Assert.Equal((0, ""), (restored.Code, restored.Errors));
        Assert.Equal(Contents(Office), Contents(to));
        Assert.Equal(stored, (await Send(HttpMethod.Get, "/api/targets/office-vault"))["storedObjects"]!.ToJsonString());

        foreach (
            var (passphrase, by, arguments, why) in new (string, string, string[], string)[]
            {
                (Passphrase, weak, [place], "needs the rights to list and to read"),
                (Passphrase, "", [place], "needs the rights to list and to read"),
                ("the ferry leaves at ten", key, [place], "passphrase"),
                (Passphrase, key, [place, point], "Say where to"),
                (Passphrase, key, [place, point, "--to", to], "holds something"),
                (Passphrase, key, [place, "none", "--to", Path.Combine(away, "no")], "no restore point 'none'"),
                (Passphrase, key, [$"{server.Address}"], "names no bucket"),
                (Passphrase, key, [$"{server.Address}objects/ticketing-backups/elsewhere/"], "needs the rights"),
                (Passphrase, key, [Path.Combine(away, "none")], "There is no folder"),
                (Passphrase, key, [away], "There is no pool here"),
            }
        )
        {
            var refused = await Recover(passphrase, by, arguments);
            Assert.Equal((3, ""), (refused.Code, refused.Output));
            Assert.Contains(why, refused.Errors, StringComparison.Ordinal);
        }
    }

    /// <summary>Whoever copied the bucket's objects to a disk, by whatever program, has the pool.</summary>
    [Fact]
    public async Task With_nothing_left_but_the_bucket_s_content_everything_comes_back()
    {
        await BackUp();
        var key = await Key("read", "list");
        using var http = new HttpClient { BaseAddress = server.Address };
        http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
            "Basic",
            Convert.ToBase64String(Encoding.UTF8.GetBytes(key))
        );
        var objects = (await http.GetFromJsonAsync<JsonNode>("/objects/ticketing-backups/?prefix=vault/"))!["objects"]!.AsArray();
        Assert.NotEmpty(objects);
        var copy = Path.Combine(away, "copy");
        foreach (var name in objects.Select(o => (string)o!["key"]!))
        {
            var file = Path.Combine(copy, name["vault/".Length..]);
            Directory.CreateDirectory(Path.GetDirectoryName(file)!);
            await File.WriteAllBytesAsync(
                file,
                await http.GetByteArrayAsync(new Uri($"/objects/ticketing-backups/{name}", UriKind.Relative))
            );
        }
        var (before, kept) = (Contents(Office), Contents(copy));
        await server.Kill();
        Directory.Delete(server.Folder, recursive: true);
        Directory.CreateDirectory(server.Folder);

        var point = (await Recover(Passphrase, "", copy)).Output.Split('\n')[1].Split('\t')[0];
        var zip = Path.Combine(away, "office.zip");
        Assert.Equal(0, (await Recover(Passphrase, "", copy, point, "--to", Path.Combine(away, "office"))).Code);
        Assert.Equal(before, Contents(Path.Combine(away, "office")));
        Assert.Equal(0, (await Recover(Passphrase, "", copy, point, "Berths", "--to", zip)).Code);
        Assert.Equal(
            before.Keys.Count(k => k.StartsWith("Berths/", StringComparison.Ordinal)),
            System.IO.Compression.ZipFile.OpenRead(zip).Entries.Count(e => e.Length > 0)
        );
        Assert.Equal(kept, Contents(copy));

        // A pack that lost a bit: what is whole comes back, what is not is named, and no archive is left that looks whole.
        var pack = new DirectoryInfo(Path.Combine(copy, "packs")).EnumerateFiles("*", SearchOption.AllDirectories).First();
        var bytes = await File.ReadAllBytesAsync(pack.FullName);
        bytes[bytes.Length / 2] ^= 1;
        await File.WriteAllBytesAsync(pack.FullName, bytes);
        var damaged = await Recover(Passphrase, "", copy, point, "--to", Path.Combine(away, "some"));
        Assert.Equal(3, damaged.Code);
        Assert.Contains("Not everything is whole", damaged.Errors, StringComparison.Ordinal);
        var some = Contents(Path.Combine(away, "some"));
        Assert.InRange(some.Count, 1, before.Count - 1);
        Assert.All(some, f => Assert.Equal(before[f.Key], f.Value));
        var cut = Path.Combine(away, "cut.tar");
        Assert.Equal(3, (await Recover(Passphrase, "", copy, point, "--to", cut)).Code);
        Assert.Empty(Directory.GetFiles(away, "cut*"));
    }
}
