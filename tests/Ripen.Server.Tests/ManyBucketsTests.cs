using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>One change for many buckets, and that what is applied is what was shown.</summary>
public sealed class ManyBucketsTests : IDisposable
{
    private const string Expiry = """{ "putRule": { "id": "tidy", "prefix": "old/", "expireAt": 900 } }""";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private static string Many(string change, params string[] buckets) =>
        $$"""{ "buckets": ["{{string.Join("\", \"", buckets)}}"], "change": {{change}} }""";

    private async Task<(JsonNode Body, HttpStatusCode Status, string Tag)> Send(string path, string json, string? tag = null)
    {
        var answer = await server.Send(HttpMethod.Post, path, json, tag);
        return (JsonNode.Parse(await answer.Content.ReadAsStringAsync())!, answer.StatusCode, answer.Headers.ETag?.Tag ?? "");
    }

    [Fact]
    public async Task The_sum_is_the_sum_of_the_buckets_own_drafts()
    {
        string[] names = ["port-sonar", "engine-telemetry", "harbour-notices"];
        var (many, status, _) = await Send("/api/bucket-changes/draft", Many("""{ "putRule": { "id": "x", "expireAt": 400 } }""", names));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal(3, many["changing"]!.GetValue<int>());
        for (var year = 0; year < 3; year++)
        {
            var sum = many["each"]!.AsArray().Sum(e => e!["cost"]![year]!["bucketAfter"]!.GetValue<double>());
            Assert.Equal(sum, many["cost"]![year]!["bucketAfter"]!.GetValue<double>(), 1e-9 * sum);
        }
        var one = many["each"]!.AsArray().Single(e => e!["name"]!.GetValue<string>() == "engine-telemetry")!["cost"]!;
        var bucket = (await server.Get("/api/buckets/engine-telemetry?stock=false")).Body;
        bucket["rules"]!.AsArray().Add(JsonNode.Parse("""{ "id": "x", "expireAt": 400 }"""));
        var (own, _, _) = await Send("/api/buckets/engine-telemetry/draft", bucket.ToJsonString());
        // Bands are shared in a region, so the other two change the price of a unit a little; the first bands of the demo are wide.
        Assert.Equal(
            own["consequences"]!["cost"]![2]!["bucketAfter"]!.GetValue<double>(),
            one[2]!["bucketAfter"]!.GetValue<double>(),
            0.05 * one[2]!["bucketAfter"]!.GetValue<double>()
        );
    }

    [Fact]
    public async Task All_change_with_their_own_lines_in_the_log()
    {
        var (draft, _, tag) = await Send("/api/bucket-changes/draft", Many(Expiry, "port-sonar", "harbour-notices"));
        var seen = draft["seen"]!.GetValue<string>();
        var (_, status, _) = await Send($"/api/bucket-changes?seen={seen}", Many(Expiry, "port-sonar", "harbour-notices"), tag);
        Assert.Equal(HttpStatusCode.OK, status);
        foreach (var name in new[] { "port-sonar", "harbour-notices" })
        {
            var rules = (await server.Get($"/api/buckets/{name}?stock=false")).Body["rules"]!.AsArray();
            Assert.Equal(900, rules.Single(r => r!["id"]!.GetValue<string>() == "tidy")!["expireAt"]!.GetValue<int>());
        }
        var log = (await server.Get("/api/estate/changes?most=2")).Body.AsArray();
        Assert.Equal(["harbour-notices", "port-sonar"], log.Select(c => c!["subject"]!.GetValue<string>()).Order());
        Assert.All(log, c => Assert.Equal(["rules"], c!["parts"]!.AsArray().Select(p => p!.GetValue<string>())));
        var shown = draft["each"]!.AsArray().Single(e => e!["name"]!.GetValue<string>() == "port-sonar")!["cost"]!.ToJsonString();
        Assert.Equal(shown, log.Single(c => c!["subject"]!.GetValue<string>() == "port-sonar")!["shown"]!.ToJsonString());
    }

    [Fact]
    public async Task Buckets_go_to_a_tenant_together_and_to_nobody()
    {
        async Task<string?> Tenant(string bucket) => (string?)(await server.Get($"/api/buckets/{bucket}?stock=false")).Body["tenant"];
        async Task<string> Change(string change)
        {
            var many = Many(change, "port-sonar", "harbour-notices");
            var (draft, _, tag) = await Send("/api/bucket-changes/draft", many);
            Assert.Equal(2, (int)draft["changing"]!);
            Assert.Equal(HttpStatusCode.OK, (await Send($"/api/bucket-changes?seen={draft["seen"]}", many, tag)).Status);
            return (await server.Get("/api/estate/changes?most=1")).Body[0]!["parts"]!.ToJsonString();
        }
        Assert.Equal("""["tenant"]""", await Change("""{ "tenant": "Night freight" }"""));
        Assert.Equal(("Night freight", "Night freight"), (await Tenant("port-sonar"), await Tenant("harbour-notices")));
        Assert.Contains("Night freight", (await server.Get("/api/estate")).Body["tenants"]!.AsArray().Select(t => (string)t!));
        Assert.Equal("Safety", await Tenant("deck-cameras"));
        await Change("""{ "tenant": "-" }""");
        Assert.Equal((null, null), (await Tenant("port-sonar"), await Tenant("harbour-notices")));
        var wrong = await Send("/api/bucket-changes/draft", Many("""{ "tenant": "Night\tfreight" }""", "port-sonar"));
        Assert.Equal("invalid-name", (string)wrong.Body["each"]![0]!["problems"]![0]!["code"]!);
    }

    [Fact]
    public async Task One_that_cannot_take_it_keeps_all_from_changing()
    {
        // Quarrydown does not offer the cave.
        var change = """{ "putRule": { "id": "deep", "steps": [{ "age": 400, "tier": "cave" }] } }""";
        var (draft, _, tag) = await Send("/api/bucket-changes/draft", Many(change, "port-sonar", "crew-records"));
        Assert.Equal((1, 1), (draft["changing"]!.GetValue<int>(), draft["refused"]!.GetValue<int>()));
        Assert.Equal("crew-records", draft["each"]![0]!["name"]!.GetValue<string>());
        var before = (await server.Get("/api/buckets/port-sonar")).Tag;
        var (refused, status, _) = await Send("/api/bucket-changes", Many(change, "port-sonar", "crew-records"), tag);
        Assert.Equal(HttpStatusCode.BadRequest, status);
        Assert.Equal("not-offered", refused["problems"]![0]!["code"]!.GetValue<string>());
        Assert.Equal(before, (await server.Get("/api/buckets/port-sonar")).Tag);
    }

    [Fact]
    public async Task Sealed_retention_is_not_weakened_by_a_change_of_many()
    {
        var change = """{ "keep": { "days": 5, "strength": "liftable" } }""";
        var (draft, _, tag) = await Send("/api/bucket-changes/draft", Many(change, "voyage-recorders", "port-sonar"));
        Assert.Null(draft["seen"]);
        var (_, status, _) = await Send("/api/bucket-changes", Many(change, "voyage-recorders", "port-sonar"), tag);
        Assert.NotEqual(HttpStatusCode.OK, status);
        Assert.Equal("sealed", (await server.Get("/api/buckets/voyage-recorders")).Body["keep"]!["strength"]!.GetValue<string>());
        Assert.Null((await server.Get("/api/buckets/port-sonar")).Body["keep"]);
    }

    [Theory]
    [InlineData("""{ "buckets": ["port-sonar"], "change": {} }""", "nothing-to-change")]
    [InlineData("""{ "buckets": [], "change": { "versioning": true } }""", "no-bucket")]
    [InlineData("""{ "buckets": [null], "change": { "versioning": true } }""", "unknown-reference")]
    [InlineData("""{ "buckets": ["nowhere"], "change": { "versioning": true } }""", "unknown-reference")]
    public async Task A_change_of_nothing_or_nobody_is_told(string json, string code)
    {
        var (draft, status, _) = await Send("/api/bucket-changes/draft", json);
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal(code, draft["problems"]![0]!["code"]!.GetValue<string>());
    }

    [Fact]
    public async Task A_change_needs_the_version_it_was_made_against()
    {
        var (_, status, _) = await Send("/api/bucket-changes", Many(Expiry, "port-sonar"));
        Assert.Equal(HttpStatusCode.PreconditionRequired, status);
        (_, status, _) = await Send("/api/bucket-changes", Many(Expiry, "port-sonar"), "\"0\"");
        Assert.Equal(HttpStatusCode.PreconditionFailed, status);
    }

    [Fact]
    public async Task What_is_applied_is_what_was_shown_or_it_is_refused()
    {
        var (bucket, tag) = await server.Get("/api/buckets/engine-telemetry?stock=false");
        bucket["rules"]![0]!["expireAt"] = 200;
        var (draft, _, _) = await Send("/api/buckets/engine-telemetry/draft", bucket.ToJsonString());
        var seen = draft["seen"]!.GetValue<string>();

        // Somebody else changes another bucket of the same region: the whole estate's figures move, this bucket's version does not.
        var (other, otherTag) = await server.Get("/api/buckets/port-sonar?stock=false");
        other["streams"]![0]!["objectsPerDay"] = 5_000;
        Assert.Equal(
            HttpStatusCode.OK,
            (await server.Send(HttpMethod.Put, "/api/buckets/port-sonar", other.ToJsonString(), otherTag)).StatusCode
        );

        var path = $"/api/buckets/engine-telemetry?seen={seen}";
        var refused = await server.Send(HttpMethod.Put, path, bucket.ToJsonString(), tag);
        Assert.Equal(HttpStatusCode.Conflict, refused.StatusCode);
        Assert.Contains("shown-differs", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(tag, (await server.Get("/api/buckets/engine-telemetry")).Tag);

        (draft, _, _) = await Send("/api/buckets/engine-telemetry/draft", bucket.ToJsonString());
        path = $"/api/buckets/engine-telemetry?seen={draft["seen"]!.GetValue<string>()}";
        Assert.Equal(HttpStatusCode.OK, (await server.Send(HttpMethod.Put, path, bucket.ToJsonString(), tag)).StatusCode);
        var logged = (await server.Get("/api/estate/changes?most=1")).Body[0]!;
        Assert.Equal(draft["consequences"]!["cost"]!.ToJsonString(), logged["shown"]!.ToJsonString());
    }

    [Fact]
    public async Task The_log_is_read_in_pages_and_its_documents_one_by_one()
    {
        for (var i = 0; i < 5; i++)
        {
            var (bucket, tag) = await server.Get("/api/buckets/port-sonar?stock=false");
            bucket["streams"]![0]!["objectsPerDay"] = 100 + i;
            await server.Send(HttpMethod.Put, "/api/buckets/port-sonar", bucket.ToJsonString(), tag);
        }
        // Deeds at the provider stand between decisions, several of them within one tick of the clock on the wall.
        for (var i = 0; i < 4; i++)
        {
            await server.Send(HttpMethod.Put, "/api/replication/lines/aldmouth/kestrel-sound/cut", "{}");
            await server.Send(HttpMethod.Delete, "/api/replication/lines/aldmouth/kestrel-sound/cut");
        }
        var whole = (await server.Get("/api/estate/changes")).Body.AsArray();
        Assert.Equal(8, whole.Count(c => c!["id"]!.GetValue<long>() < 0));
        var paged = new List<long>();
        while (true)
        {
            var cursor = string.Concat(
                paged.Where(id => id > 0).DefaultIfEmpty(0).Min() is > 0 and var change ? $"&before={change}" : "",
                paged.Where(id => id < 0).Select(id => (long?)id).Max() is { } deed ? $"&beforeDeed={-deed}" : ""
            );
            var page = (await server.Get($"/api/estate/changes?most=2&documents=false{cursor}")).Body.AsArray();
            Assert.All(page, c => Assert.Null(c!["before"]));
            paged.AddRange(page.Select(c => c!["id"]!.GetValue<long>()));
            if (page.Count < 2)
                break;
        }
        Assert.Equal(whole.Select(c => c!["id"]!.GetValue<long>()), paged);
        Assert.Contains("cut the line Aldmouth – Kestrel Sound", whole[1]!["after"]!.GetValue<string>(), StringComparison.Ordinal);
        var decision = whole.First(c => c!["id"]!.GetValue<long>() > 0)!;
        var one = (await server.Get($"/api/estate/changes/{decision["id"]}")).Body;
        Assert.Equal(decision["after"]!.GetValue<string>(), one["after"]!.GetValue<string>());
        Assert.Equal(HttpStatusCode.NotFound, (await server.Send(HttpMethod.Get, "/api/estate/changes/999999")).StatusCode);
    }
}
