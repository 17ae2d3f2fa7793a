using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Ripen.Server.Demo;

namespace Ripen.Server.Tests;

/// <summary>Every way over HTTP in which something that is kept could go or be kept less: one row each, refused with its code, and nothing
/// changed.</summary>
public sealed class KeptOverHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private const string Sealed =
        """{ "name": "evidence", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "keep": { "days": 365, "strength": "sealed" } }""";
    private const string Liftable =
        """{ "name": "evidence", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "keep": { "days": 365, "strength": "liftable" } }""";

    /// <summary>What it is called, the bucket, the attack (method, path, body), the code of the answer.</summary>
    public static TheoryData<string, string, string, string, string?, string> Attacks { get; } =
        new()
        {
            { "shorten a seal", Sealed, "PUT", "/api/buckets/evidence", Sealed.Replace("365", "364", StringComparison.Ordinal), "sealed" },
            {
                "drop a seal",
                Sealed,
                "PUT",
                "/api/buckets/evidence",
                """{ "name": "evidence", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }""",
                "sealed"
            },
            { "unseal", Sealed, "PUT", "/api/buckets/evidence", Liftable, "sealed" },
            {
                "date a seal back",
                Sealed,
                "PUT",
                "/api/buckets/evidence",
                Sealed.Replace("\"days\": 365", "\"until\": \"2026-11-02\"", StringComparison.Ordinal),
                "sealed"
            },
            {
                "lift a seal",
                Sealed,
                "POST",
                "/api/buckets/evidence/keep/lift",
                """{ "reason": "because", "confirm": "evidence" }""",
                "sealed"
            },
            {
                "drop a liftable rule by an edit",
                Liftable,
                "PUT",
                "/api/buckets/evidence",
                """{ "name": "evidence", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }""",
                "needs-lifting"
            },
            {
                "lift without a reason",
                Liftable,
                "POST",
                "/api/buckets/evidence/keep/lift",
                """{ "reason": " ", "confirm": "evidence" }""",
                "no-reason"
            },
            {
                "lift without typing the name",
                Liftable,
                "POST",
                "/api/buckets/evidence/keep/lift",
                """{ "reason": "because", "confirm": "yes" }""",
                "not-confirmed"
            },
            { "delete the object", Sealed, "DELETE", "/api/buckets/evidence/objects/a", null, "kept" },
            { "delete its version", Sealed, "DELETE", "/api/buckets/evidence/objects/a?version={version}", null, "kept" },
            { "overwrite it", Sealed, "PUT", "/api/buckets/evidence/objects/a", "{}", "kept" },
            { "delete the bucket", Sealed, "DELETE", "/api/buckets/evidence", null, "kept" },
            {
                "move the bucket to another region",
                Sealed,
                "PUT",
                "/api/buckets/evidence",
                Sealed.Replace("aldmouth", "kestrel-sound", StringComparison.Ordinal),
                "region-fixed"
            },
            { "import something else", Sealed, "PUT", "/api/estate/document?discardContents=true", "{import}", "kept" },
            { "load the demo over it", Sealed, "POST", "/api/estate/demo", null, "estate-exists" },
            {
                "let the seal end unseen",
                Sealed,
                "POST",
                "/api/clock/passages",
                """{ "until": "2029-01-01T00:00:00Z" }""",
                "retention-lapses"
            },
        };

    [Theory]
    [MemberData(nameof(Attacks))]
    public async Task An_attack_is_refused_in_words_and_changes_nothing(
        string name,
        string bucket,
        string method,
        string path,
        string? body,
        string code
    )
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", bucket)).EnsureSuccessStatusCode();
        (
            await server.Http.PutAsync(new Uri("/api/buckets/evidence/objects/a", UriKind.Relative), new ByteArrayContent([1, 2, 3]))
        ).EnsureSuccessStatusCode();
        var before = await State();
        var version = (await server.Get("/api/buckets/evidence/details/a")).Body["chosen"]!["version"]!.GetValue<long>();
        var tag =
            path.StartsWith("/api/estate", StringComparison.Ordinal) ? (await server.Get("/api/estate")).Tag
            : path.Contains("/objects/", StringComparison.Ordinal) ? null
            : (await server.Get("/api/buckets/evidence")).Tag;
        var answer = await server.Send(
            new HttpMethod(method),
            path.Replace("{version}", $"{version}", StringComparison.Ordinal),
            body == "{import}" ? Ripen.Core.Estates.EstateDocument.Write(DemoDocument.Read()) : body,
            tag
        );
        var problem = (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.Equal((name, code), (name, (problem["problems"]?.AsArray() is [{ } one] ? one : problem)["code"]?.GetValue<string>()));
        Assert.InRange((int)answer.StatusCode, 400, 499);
        Assert.True(problem["detail"]!.GetValue<string>().Length > 30, problem.ToJsonString());
        Assert.Equal(before, await State());
        server.Restart();
        Assert.Equal(before, await State());
    }

    [Fact]
    public async Task A_draft_says_beforehand_what_applying_would_refuse()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Sealed)).EnsureSuccessStatusCode();
        var drafted = await server.Send(HttpMethod.Post, "/api/buckets/evidence/draft", Liftable);
        Assert.Equal(("sealed", "$.keep"), Problem((await drafted.Content.ReadFromJsonAsync<JsonNode>())!));
        drafted = await server.Send(HttpMethod.Post, "/api/buckets/evidence/draft", Sealed.Replace("365", "400", StringComparison.Ordinal));
        Assert.Empty((await drafted.Content.ReadFromJsonAsync<JsonNode>())!["problems"]!.AsArray());
    }

    [Fact]
    public async Task Lifting_frees_what_was_kept_and_both_logs_say_who_did_what()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Liftable)).EnsureSuccessStatusCode();
        (
            await server.Http.PutAsync(new Uri("/api/buckets/evidence/objects/a", UriKind.Relative), new ByteArrayContent([1]))
        ).EnsureSuccessStatusCode();
        var (_, tag) = await server.Get("/api/buckets/evidence");
        (
            await server.Send(
                HttpMethod.Post,
                "/api/buckets/evidence/keep/lift",
                """{ "reason": "the case was closed", "confirm": "evidence" }""",
                tag
            )
        ).EnsureSuccessStatusCode();
        (await server.Send(HttpMethod.Delete, "/api/buckets/evidence/objects/a")).EnsureSuccessStatusCode();
        (
            await server.Send(HttpMethod.Put, "/api/buckets/harbour-notices/public", """{ "confirm": "harbour-notices" }""")
        ).EnsureSuccessStatusCode();
        var log = (await server.Get("/api/estate/changes")).Body.AsArray();
        Assert.Equal(
            ("keep-rule-lifted", "the case was closed"),
            (
                log.First(c => c!["subject"]!.GetValue<string>() == "evidence")!["kind"]!.GetValue<string>(),
                log.First(c => c!["subject"]!.GetValue<string>() == "evidence")!["reason"]!.GetValue<string>()
            )
        );
        var actors = log.Select(c => c!["actor"]!.GetValue<string>()).ToList();
        Assert.Equal(("you, on this machine", "the demo"), (actors[0], actors[^1]));
        Assert.True(actors.IndexOf("the demo") > log.ToList().FindLastIndex(c => c!["subject"]!.GetValue<string>() == "evidence"));
    }

    [Fact]
    public async Task Uploads_that_were_acknowledged_while_their_bucket_was_deleted_are_not_gone_unseen()
    {
        for (var round = 0; round < 8; round++)
        {
            (
                await server.Send(HttpMethod.Post, "/api/buckets", Sealed.Replace("365", "1", StringComparison.Ordinal))
            ).EnsureSuccessStatusCode();
            var (_, tag) = await server.Get("/api/buckets/evidence");
            var uploads = Enumerable
                .Range(0, 6)
                .Select(i =>
                    server.Http.PutAsync(
                        new Uri($"/api/buckets/evidence/objects/{i}", UriKind.Relative),
                        new ByteArrayContent(new byte[10_000])
                    )
                )
                .ToList();
            var deleted = await server.Send(HttpMethod.Delete, "/api/buckets/evidence", ifMatch: tag);
            var acknowledged = (await Task.WhenAll(uploads)).Count(u => u.StatusCode == HttpStatusCode.Created);
            // Sealed for a day: a bucket that goes had nothing in it, and one that had something does not go.
            if (deleted.StatusCode == HttpStatusCode.NoContent)
            {
                Assert.Equal(0, acknowledged);
                continue;
            }
            Assert.Equal(acknowledged, (await server.Get("/api/buckets/evidence/objects")).Body["objects"]!.AsArray().Count);
            (await server.Send(HttpMethod.Post, "/api/clock/passages", """{ "for": "week" }""")).EnsureSuccessStatusCode();
            await server.Stands();
            (await server.Send(HttpMethod.Delete, "/api/buckets/evidence", ifMatch: tag)).EnsureSuccessStatusCode();
        }
    }

    private static (string?, string?) Problem(JsonNode reading) =>
        reading["problems"]!.AsArray() is [{ } one] ? (one["code"]!.GetValue<string>(), one["path"]!.GetValue<string>()) : (null, null);

    private async Task<string> State() =>
        (await server.Get("/api/buckets/evidence")).Body["keep"]!.ToJsonString()
        + string.Join(
            ';',
            (await server.Get("/api/buckets/evidence/details/a")).Body["versions"]!
                .AsArray()
                .Select(v => $"{v!["version"]} {v["sha256"]} {v["kept"]!.ToJsonString()}")
        )
        + (await server.Get("/api/estate")).Body["today"]
        + Convert.ToHexString(await server.Http.GetByteArrayAsync(new Uri("/api/buckets/evidence/objects/a", UriKind.Relative)));
}
