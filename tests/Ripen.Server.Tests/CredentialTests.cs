using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Targets that are reached with credentials: nothing is reached without, past or beside them.</summary>
public sealed class CredentialTests : IDisposable
{
    private const string Vault = "/api/targets/office-vault";
    private const string Bucket = "ticketing-backups";
    private const string Passphrase = """{ "passphrase": "the ferry leaves at nine" }""";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private Task<JsonNode> Grant(string[] rights, string? ends = null) =>
        server.Did(
            HttpMethod.Post,
            $"/api/buckets/{BucketOfVault}/access",
            new
            {
                label = "office",
                rights,
                ends,
            }
        );

    private string BucketOfVault => bucket ??= (string)server.Get(Vault).GetAwaiter().GetResult().Body["target"]!["bucket"]!;

    private string? bucket;

    private static readonly string[] All = ["read", "write", "list", "delete-versions"];

    private static object Credential(JsonNode made, string kind = "key", string blanks = "") =>
        new
        {
            id = "office-key",
            name = "Office key",
            kind,
            keyId = (string)made["file"]!["keyId"]! + blanks,
            secret = blanks + (string)made["file"]!["secret"]!,
            ends = (string?)made["file"]!["ends"],
        };

    private async Task<HttpResponseMessage> Use(string? credential)
    {
        var read = await server.Get("/api/targets");
        var target = (await server.Get(Vault)).Body["target"]!;
        target["credential"] = credential;
        return await server.Send(HttpMethod.Put, Vault, target.ToJsonString(), read.Tag);
    }

    private async Task<JsonNode> FirstFailure() =>
        (await server.Did(HttpMethod.Post, $"{Vault}/tests"))["steps"]!.AsArray().First(s => !(bool)s!["worked"]!)!;

    private Task Pass(int hours) => server.Pass(TimeSpan.FromHours(hours));

    private DateTimeOffset Now => DateTimeOffset.Parse((string)server.Get("/api/clock").GetAwaiter().GetResult().Body["now"]!, null);

    [Theory]
    [InlineData("key")]
    [InlineData("token")]
    public async Task A_pool_lives_by_its_credential_over_a_replacement_and_ends_with_it(string kind)
    {
        var made = await Grant(All, $"{Now.AddDays(10):yyyy-MM-dd'T'HH:mm:ss'Z'}");
        var kept = await server.Did(HttpMethod.Post, "/api/credentials", Credential(made, kind, " "));
        Assert.True((bool)kept["trimmed"]!);
        Assert.Contains("ends on", (string)kept["credential"]!["warning"]!, StringComparison.Ordinal);
        Assert.DoesNotContain((string)made["file"]!["secret"]!, kept.ToJsonString(), StringComparison.Ordinal);
        (await Use("office-key")).EnsureSuccessStatusCode();
        Assert.True((bool)(await server.Did(HttpMethod.Post, $"{Vault}/tests"))["worked"]!);
        await server.Send(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        Assert.Equal("office-vault", (string)(await server.Get("/api/credentials")).Body[0]!["usedBy"]![0]!);
        Assert.Equal((HttpStatusCode.Conflict, "in-use"), await server.Refused(HttpMethod.Delete, "/api/credentials/office-key"));
        Assert.Contains((await server.Get(Vault)).Body["doubts"]!.AsArray(), d => (string)d!["code"]! == "credential-ends");

        // The server is begun again, tokens end and are renewed by themselves.
        server.Restart();
        await Pass(2);
        Assert.Empty((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());

        // The next key comes before the first one ends.
        var id = (long)made["access"]!["id"]!;
        await server.Did(HttpMethod.Delete, $"/api/buckets/{BucketOfVault}/access/{id}");
        Assert.Equal((HttpStatusCode.Forbidden, "unknown-key"), await server.Refused(HttpMethod.Get, $"{Vault}/points"));
        var next = await Grant(All);
        var replaced = await server.Did(
            HttpMethod.Post,
            "/api/credentials/office-key/secrets",
            new
            {
                keyId = (string)next["file"]!["keyId"]!,
                secret = (string)next["file"]!["secret"]!,
                ends = (string?)null,
            }
        );
        Assert.False((bool)replaced["trimmed"]!);
        Assert.Null(replaced["credential"]!["warning"]);
        Assert.Empty((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());

        // Its last one ends: nothing is reached, and it says why.
        await server.Did(
            HttpMethod.Put,
            $"/api/buckets/{BucketOfVault}/access/{next["access"]!["id"]}/keys/{next["file"]!["keyId"]}",
            new { ends = Now.AddHours(1) }
        );
        await Pass(2);
        Assert.Equal((HttpStatusCode.Forbidden, "key-ended"), await server.Refused(HttpMethod.Get, $"{Vault}/points"));
        Assert.Contains("ended", (string)(await FirstFailure())["why"]!, StringComparison.Ordinal);
        Assert.Contains("ended", (string)(await server.Get(Vault)).Body["wrong"]!, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_a_credential_may_not_is_told_before_and_refused_on_every_way()
    {
        var reading = await Grant(["read", "list"]);
        await server.Did(HttpMethod.Post, "/api/credentials", Credential(reading));
        Assert.Equal((HttpStatusCode.Conflict, "exists"), await server.Refused(HttpMethod.Post, "/api/credentials", Credential(reading)));
        var target = (await server.Get(Vault)).Body["target"]!;
        target["credential"] = "office-key";
        var draft = await server.Send(HttpMethod.Post, "/api/targets/draft", target.ToJsonString());
        var problem = (await draft.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!;
        Assert.Equal(("no-right", "$.credential"), ((string)problem["code"]!, (string)problem["path"]!));

        // A pool that is there can be read with it, and nothing else.
        await server.Send(HttpMethod.Post, $"{Vault}/pool", Passphrase);
        (await Use("office-key")).EnsureSuccessStatusCode();
        Assert.Empty((await server.Get($"{Vault}/points")).Body["points"]!.AsArray());
        var office = Path.Combine(Path.GetDirectoryName(server.Database)!, "folders", "office");
        await server.Did(HttpMethod.Post, $"{Vault}/runs", new { folder = office, workload = "office" });
        JsonNode job;
        do job = (await server.Get(Vault)).Body["job"]!;
        while ((bool)job["running"]!);
        Assert.Contains("has no right to write", job["error"]!.ToJsonString(), StringComparison.Ordinal);
        Assert.Contains("has no right to write", (string)(await FirstFailure())["why"]!, StringComparison.Ordinal);

        Assert.Equal("no-credential", (await Body(await Use("another")))["problems"]![0]!["code"]!.GetValue<string>());
        Assert.Equal(
            (HttpStatusCode.Conflict, "last-secret"),
            await server.Refused(HttpMethod.Delete, $"/api/credentials/office-key/secrets/{reading["file"]!["keyId"]}")
        );
        (await Use(null)).EnsureSuccessStatusCode();
        await server.Did(HttpMethod.Delete, "/api/credentials/office-key");
        Assert.Empty((await server.Get("/api/credentials")).Body.AsArray());
        var log = (await server.Get("/api/estate/changes"))
            .Body.AsArray()
            .Where(c => ((string)c!["kind"]!).StartsWith("credential", StringComparison.Ordinal))
            .ToList();
        Assert.Equal(["credential-removed", "credential-made"], log.Select(c => (string)c!["kind"]!));
        Assert.DoesNotContain(
            (string)reading["file"]!["secret"]!,
            string.Concat(log.Select(c => c!.ToJsonString())),
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("""{ "id": "Office Key", "name": "a", "kind": "key", "keyId": "k", "secret": "s", "ends": null }""", "invalid-id")]
    [InlineData("""{ "id": "a", "name": " ", "kind": "key", "keyId": "k", "secret": "s", "ends": null }""", "empty-text")]
    [InlineData("""{ "id": "a", "name": "a", "kind": "key", "keyId": "k", "secret": "  ", "ends": null }""", "empty-text")]
    [InlineData(
        """{ "id": "a", "name": "a", "kind": "key", "keyId": "k", "secret": "s", "ends": "2001-01-01T00:00:00Z" }""",
        "ended-already"
    )]
    public async Task A_credential_that_could_not_be_used_is_refused_at_its_field(string order, string code)
    {
        var refused = await server.Send(HttpMethod.Post, "/api/credentials", order);
        Assert.Equal((HttpStatusCode.BadRequest, code), (refused.StatusCode, (string)(await Body(refused))["problems"]![0]!["code"]!));
    }

    [Fact]
    public async Task No_secret_lies_readable_on_the_disk()
    {
        var made = await Grant(All);
        await server.Did(HttpMethod.Post, "/api/credentials", Credential(made, "token"));
        (await Use("office-key")).EnsureSuccessStatusCode();
        await server.Did(HttpMethod.Post, $"{Vault}/tests");
        server.Restart();
        var secret = Encoding.UTF8.GetBytes((string)made["file"]!["secret"]!);
        foreach (var file in Directory.EnumerateFiles(Path.GetDirectoryName(server.Database)!, "*", SearchOption.AllDirectories))
        {
            if (Path.GetFileName(file) == "in-use")
                continue;
            await using var open = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
            using var bytes = new MemoryStream();
            await open.CopyToAsync(bytes);
            Assert.Equal(-1, bytes.ToArray().AsSpan().IndexOf(secret));
        }
    }

    [Fact]
    public async Task A_buckets_own_key_is_replaced_withdrawn_and_given_back_over_http()
    {
        var seal = $"/api/buckets/{Bucket}/encryption";
        Assert.Equal((HttpStatusCode.Conflict, "no-own-key"), await server.Refused(HttpMethod.Post, $"{seal}/rotate"));
        var read = await server.Get($"/api/buckets/{Bucket}?stock=false");
        read.Body["ownKey"] = true;
        (await server.Send(HttpMethod.Put, $"/api/buckets/{Bucket}", read.Body.ToJsonString(), read.Tag)).EnsureSuccessStatusCode();
        var objects = $"/api/buckets/{Bucket}/objects/a";
        (await server.Http.PutAsync(new Uri(objects, UriKind.Relative), new ByteArrayContent([1, 2, 3]))).EnsureSuccessStatusCode();
        var first = (await server.Get(seal)).Body;
        Assert.Equal((true, "in-force", 1L), ((bool)first["isBuckets"]!, (string)first["state"]!, (long)first["objects"]!));
        var second = await server.Did(HttpMethod.Post, $"{seal}/rotate");
        Assert.NotEqual((string)first["key"]!, (string)second["key"]!);

        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-confirmed"),
            await server.Refused(HttpMethod.Post, $"{seal}/withdraw", new { confirm = "x" })
        );
        await server.Did(HttpMethod.Post, $"{seal}/withdraw", new { confirm = Bucket });
        Assert.Equal((HttpStatusCode.Conflict, "key-withdrawn"), await server.Refused(HttpMethod.Get, objects));
        server.Restart();
        Assert.Equal((HttpStatusCode.Conflict, "key-withdrawn"), await server.Refused(HttpMethod.Get, objects));
        await server.Did(HttpMethod.Post, $"{seal}/give-back");
        Assert.Equal([1, 2, 3], await server.Http.GetByteArrayAsync(new Uri(objects, UriKind.Relative)));
        Assert.False((bool)(await server.Did(HttpMethod.Post, "/api/encryption/rotate"))["isBuckets"]!);
    }

    private static async Task<JsonNode> Body(HttpResponseMessage response) => (await response.Content.ReadFromJsonAsync<JsonNode>())!;
}
