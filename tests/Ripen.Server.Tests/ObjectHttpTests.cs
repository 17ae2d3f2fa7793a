using System.Net;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Objects, access, clock and the rest of the provider over HTTP.</summary>
public sealed class ObjectHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private static readonly byte[] Content = Encoding.UTF8.GetBytes("First sailing 06:40, last sailing 21:15.\n");

    private async Task<HttpResponseMessage> Send(
        HttpMethod method,
        string path,
        byte[]? body = null,
        params (string Name, string Value)[] headers
    )
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        if (body is not null)
            request.Content = new ByteArrayContent(body);
        foreach (var (name, value) in headers)
        {
            if (!request.Headers.TryAddWithoutValidation(name, value))
                request.Content!.Headers.TryAddWithoutValidation(name, value);
        }
        return await server.Http.SendAsync(request);
    }

    private static async Task<string> Code(HttpResponseMessage response) =>
        (await response.Content.ReadFromJsonAsync<JsonNode>())!["code"]!.GetValue<string>();

    private async Task<JsonNode> PostJson(string path, object body, HttpStatusCode expected)
    {
        var response = await server.Http.PostAsJsonAsync(path, body);
        Assert.Equal(expected, response.StatusCode);
        return (await response.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    private async Task Pass(object order)
    {
        await PostJson("/api/clock/passages", order, HttpStatusCode.Accepted);
        Assert.Null((string?)(await server.Stands())["error"]);
    }

    [Fact]
    public async Task Objects_go_in_and_out_with_etags_digests_ranges_and_conditions()
    {
        const string path = "/api/buckets/port-sonar/objects/a%2Fb/caf%C3%A9%20%F0%9F%9A%A2.txt";
        var made = await Send(
            HttpMethod.Put,
            path,
            Content,
            ("Content-Type", "text/plain"),
            ("If-None-Match", "*"),
            ("Content-Digest", $"sha-256=:{Convert.ToBase64String(SHA256.HashData(Content))}:")
        );
        Assert.Equal(HttpStatusCode.Created, made.StatusCode);
        Assert.Equal("a/b/café 🚢.txt", (await made.Content.ReadFromJsonAsync<JsonNode>())!["key"]!.GetValue<string>());
        var tag = made.Headers.ETag!.Tag;

        var got = await Send(HttpMethod.Get, path);
        Assert.Equal(Content, await got.Content.ReadAsByteArrayAsync());
        Assert.Equal(("text/plain", tag), (got.Content.Headers.ContentType!.MediaType, got.Headers.ETag!.Tag));
        Assert.Equal($"sha-256=:{Convert.ToBase64String(SHA256.HashData(Content))}:", got.Headers.GetValues("Repr-Digest").Single());
        Assert.Contains("sandbox", got.Headers.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);

        var asItIs = await Send(HttpMethod.Get, path, null, ("Accept-Encoding", "gzip"));
        Assert.Equal((0, Content.Length), (asItIs.Content.Headers.ContentEncoding.Count, (int)asItIs.Content.Headers.ContentLength!));
        var part = await Send(HttpMethod.Get, path, null, ("Range", "bytes=6-12"));
        Assert.Equal((HttpStatusCode.PartialContent, "sailing"), (part.StatusCode, await part.Content.ReadAsStringAsync()));
        Assert.Equal($"bytes 6-12/{Content.Length}", part.Content.Headers.ContentRange!.ToString());
        Assert.Equal("21:15.\n", await (await Send(HttpMethod.Get, path, null, ("Range", "bytes=-7"))).Content.ReadAsStringAsync());
        Assert.Equal(
            HttpStatusCode.RequestedRangeNotSatisfiable,
            (await Send(HttpMethod.Get, path, null, ("Range", "bytes=999-"))).StatusCode
        );
        Assert.Equal(HttpStatusCode.OK, (await Send(HttpMethod.Get, path, null, ("Range", "bytes=0-1"), ("If-Range", "\"0\""))).StatusCode);
        Assert.Equal(HttpStatusCode.NotModified, (await Send(HttpMethod.Get, path, null, ("If-None-Match", tag))).StatusCode);
        Assert.Equal(HttpStatusCode.PreconditionFailed, (await Send(HttpMethod.Put, path, [1], ("If-None-Match", "*"))).StatusCode);
        Assert.Equal(HttpStatusCode.PreconditionFailed, (await Send(HttpMethod.Put, path, [1], ("If-Match", "\"1\""))).StatusCode);
        Assert.Equal(HttpStatusCode.Created, (await Send(HttpMethod.Put, path, [1], ("If-Match", tag))).StatusCode);
        Assert.Equal(
            "wrong-checksum",
            await Code(
                await Send(HttpMethod.Put, path, [2], ("Content-Digest", $"sha-256=:{Convert.ToBase64String(SHA256.HashData(Content))}:"))
            )
        );

        var details = (await server.Get(path.Replace("/objects/", "/details/", StringComparison.Ordinal))).Body;
        Assert.Equal(1, details["chosen"]!["bytes"]!.GetValue<int>());
        var charged = details["charged"]!;
        Assert.True(charged["requests"]!.GetValue<double>() > 0);
        Assert.Equal(charged["requests"]!.GetValue<double>(), charged["amount"]!.GetValue<double>());
        Assert.Equal(HttpStatusCode.OK, (await Send(HttpMethod.Delete, path)).StatusCode);
        Assert.Equal("no-object", await Code(await Send(HttpMethod.Get, path)));
    }

    [Fact]
    public async Task Plain_http_wants_a_key_and_takes_exactly_its_rights()
    {
        var access = await PostJson(
            "/api/buckets/port-sonar/access",
            new
            {
                label = "survey boat",
                prefix = "in/",
                rights = new[] { "write", "list" },
            },
            HttpStatusCode.Created
        );
        var secret = access["secret"]!;
        var basic = ("Authorization", "Basic " + Convert.ToBase64String(Encoding.UTF8.GetBytes($"{secret["keyId"]}:{secret["secret"]}")));

        var nobody = await Send(HttpMethod.Put, "/objects/port-sonar/in/a", Content);
        Assert.Equal((HttpStatusCode.Unauthorized, "Basic"), (nobody.StatusCode, nobody.Headers.WwwAuthenticate.Single().Scheme));
        Assert.Equal(HttpStatusCode.Created, (await Send(HttpMethod.Put, "/objects/port-sonar/in/a", Content, basic)).StatusCode);
        Assert.Equal("no-right", await Code(await Send(HttpMethod.Get, "/objects/port-sonar/in/a", null, basic)));
        Assert.Equal("outside-prefix", await Code(await Send(HttpMethod.Put, "/objects/port-sonar/out/a", Content, basic)));
        Assert.Equal("other-bucket", await Code(await Send(HttpMethod.Put, "/objects/deck-cameras/in/a", Content, basic)));
        var listed = await (
            await Send(HttpMethod.Get, "/objects/port-sonar?prefix=in/", null, basic)
        ).Content.ReadFromJsonAsync<JsonNode>();
        Assert.Equal("in/a", listed!["objects"]![0]!["key"]!.GetValue<string>());
        Assert.Equal(HttpStatusCode.MethodNotAllowed, (await Send(HttpMethod.Post, "/objects/port-sonar/in/a", Content, basic)).StatusCode);
        Assert.Equal("other-bucket", await Code(await Send(HttpMethod.Get, "/objects/nowhere/a", null, basic)));

        var added = await PostJson($"/api/buckets/port-sonar/access/{access["access"]!["id"]}/keys", new { }, HttpStatusCode.OK);
        (await Send(HttpMethod.Put, "/objects/port-sonar/in/a", Content, basic)).EnsureSuccessStatusCode();
        (
            await server.Send(HttpMethod.Delete, $"/api/buckets/port-sonar/access/{access["access"]!["id"]}/keys/{secret["keyId"]}")
        ).EnsureSuccessStatusCode();
        Assert.Equal("unknown-key", await Code(await Send(HttpMethod.Put, "/objects/port-sonar/in/a", Content, basic)));
        var renewed = added["secret"]!;
        var tested = await PostJson(
            "/api/buckets/port-sonar/access/test",
            new { keyId = renewed["keyId"]!.GetValue<string>(), secret = renewed["secret"]!.GetValue<string>() },
            HttpStatusCode.OK
        );
        Assert.Equal([true, true, false, true], tested.AsArray().Select(s => s!["worked"]!.GetValue<bool>()));
    }

    [Fact]
    public async Task A_timed_link_works_and_then_does_not_and_public_reading_must_be_confirmed()
    {
        (await Send(HttpMethod.Put, "/api/buckets/port-sonar/objects/a", Content)).EnsureSuccessStatusCode();
        var link = await PostJson("/api/buckets/port-sonar/links", new { key = "a", @for = "hour" }, HttpStatusCode.Created);
        var address = link["path"]!.GetValue<string>();
        Assert.Equal(Content, await (await Send(HttpMethod.Get, address)).Content.ReadAsByteArrayAsync());
        Assert.Equal("link-unknown", await Code(await Send(HttpMethod.Get, address + "0")));
        await Pass(new { @for = "hour" });
        Assert.Equal("link-ended", await Code(await Send(HttpMethod.Get, address)));

        var wrong = await server.Send(HttpMethod.Put, "/api/buckets/port-sonar/public", """{ "confirm": "port" }""");
        Assert.Equal("$.confirm", (await wrong.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!.GetValue<string>());
        Assert.Equal(HttpStatusCode.Unauthorized, (await Send(HttpMethod.Get, "/objects/port-sonar/a")).StatusCode);
        (await server.Send(HttpMethod.Put, "/api/buckets/port-sonar/public", """{ "confirm": "port-sonar" }""")).EnsureSuccessStatusCode();
        Assert.Equal(Content, await (await Send(HttpMethod.Get, "/objects/port-sonar/a")).Content.ReadAsByteArrayAsync());
        (await server.Send(HttpMethod.Delete, "/api/buckets/port-sonar/public")).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await Send(HttpMethod.Get, "/objects/port-sonar/a")).StatusCode);
        var log = (await server.Get("/api/estate/changes")).Body.AsArray().Select(c => (string?)c!["after"]);
        Assert.Contains("opened the bucket to public reading", log);
    }

    [Fact]
    public async Task The_estates_today_and_stock_are_the_providers()
    {
        await Pass(new { until = "2026-11-11T00:00:00Z" });
        var estate = (await server.Get("/api/estate")).Body;
        Assert.Equal("2026-11-11", estate["today"]!.GetValue<string>());
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        var overHttp = await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=14", UriKind.Relative));
        var file = Path.GetTempFileName();
        await File.WriteAllTextAsync(file, document);
        var (code, output, errors) = await CommandLine.Run("forecast", file, "--months", "14");
        File.Delete(file);
        Assert.Equal((0, ""), (code, errors));
        Assert.Equal(output, overHttp);

        // What is kept here is in nobody's way elsewhere: the document of the later day goes in there as it came out.
        var tag = (await server.Get("/api/estate")).Tag;
        Assert.Equal("kept", await Code(await server.Send(HttpMethod.Put, "/api/estate/document?discardContents=true", document, tag)));
        using var other = new TestServer(demo: false);
        (await other.Send(HttpMethod.Put, "/api/estate/document", document)).EnsureSuccessStatusCode();
        Assert.Equal(document, await other.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative)));
    }

    [Fact]
    public async Task A_draft_is_weighed_with_what_lies_in_the_bucket_and_a_change_leaves_it_there()
    {
        for (var i = 0; i < 5; i++)
            (
                await Send(HttpMethod.Put, $"/api/buckets/harbour-notices/objects/archive/cam-{i % 2}/{i}", new byte[100_000])
            ).EnsureSuccessStatusCode();
        var (bucket, tag) = await server.Get("/api/buckets/harbour-notices");
        bucket["rules"] = JsonNode.Parse("""[{ "id": "half", "prefix": "archive/cam-1", "steps": [{ "age": 0, "tier": "cave" }] }]""");
        bucket["stock"] = new JsonArray();
        var draft = await PostJson("/api/buckets/harbour-notices/draft", bucket, HttpStatusCode.OK);
        var now = Assert.Single(draft["consequences"]!["now"]!.AsArray());
        Assert.Equal((2, 200_000), (now!["objects"]!.GetValue<int>(), now["bytes"]!.GetValue<int>()));
        (await server.Send(HttpMethod.Put, "/api/buckets/harbour-notices", bucket.ToJsonString(), tag)).EnsureSuccessStatusCode();
        // Applied, the same two move: the stock is cut by the new rule.
        var applied = await PostJson(
            "/api/buckets/harbour-notices/draft",
            (await server.Get("/api/buckets/harbour-notices")).Body,
            HttpStatusCode.OK
        );
        Assert.Equal(2, Assert.Single(applied["consequences"]!["now"]!.AsArray())!["objects"]!.GetValue<int>());
        await Pass(new { @for = "day" });
        var objects = (await server.Get("/api/buckets/harbour-notices/objects?prefix=archive/cam")).Body["objects"]!.AsArray();
        Assert.Equal(5, objects.Count);
        Assert.All(
            objects,
            o =>
                Assert.Equal(
                    o!["key"]!.GetValue<string>().Contains("cam-1", StringComparison.Ordinal) ? "cave" : "counter",
                    o["tier"]!.GetValue<string>()
                )
        );
        var key = objects.Last(o => o!["tier"]!.GetValue<string>() == "cave")!["key"]!.GetValue<string>();
        Assert.Equal("needs-recall", await Code(await Send(HttpMethod.Get, $"/api/buckets/harbour-notices/objects/{key}")));
    }

    [Fact]
    public async Task A_bucket_with_kept_objects_cannot_be_deleted_with_them()
    {
        (
            await server.Send(
                HttpMethod.Post,
                "/api/buckets",
                """
                { "name": "kept-here", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "keep": { "days": 3, "strength": "sealed" } }
                """
            )
        ).EnsureSuccessStatusCode();
        (await Send(HttpMethod.Put, "/api/buckets/kept-here/objects/a", Content)).EnsureSuccessStatusCode();
        var tag = (await server.Get("/api/buckets/kept-here")).Tag;
        Assert.Equal("kept", await Code(await server.Send(HttpMethod.Delete, "/api/buckets/kept-here", ifMatch: tag)));
        await Pass(new { until = "2026-11-04T00:00:00Z" });
        Assert.Equal(HttpStatusCode.NoContent, (await server.Send(HttpMethod.Delete, "/api/buckets/kept-here", ifMatch: tag)).StatusCode);
        Assert.Equal("no-bucket", await Code(await Send(HttpMethod.Get, "/api/buckets/kept-here/objects/a")));
    }

    [Fact]
    public async Task Metered_and_projected_money_meet_at_today()
    {
        await Pass(new { until = "2026-11-16T00:00:00Z" });
        var money = (await server.Get("/api/buckets/port-sonar/money?months=12")).Body;
        var (metered, projected) = (money["metered"]!.AsArray(), money["projected"]!.AsArray());
        Assert.Equal("2026-11", Assert.Single(metered)!["month"]!.GetValue<string>());
        Assert.Equal("2026-11", projected[0]!["month"]!.GetValue<string>());
        var whole = metered[0]!["amount"]!.GetValue<double>() + projected[0]!["amount"]!.GetValue<double>();
        var december = projected[1]!["amount"]!.GetValue<double>();
        Assert.InRange(whole / december, 0.9, 1.1);
        var ledger = await server.Http.GetStringAsync(new Uri("/api/ledger/rows.csv?bucket=port-sonar", UriKind.Relative));
        var sum = ledger.Split("\r\n")[1..^1].Sum(l => double.Parse(l.Split(',')[^1], System.Globalization.CultureInfo.InvariantCulture));
        Assert.Equal(metered[0]!["amount"]!.GetValue<double>(), sum, 9);
    }

    [Theory]
    [InlineData("""{ "until": "2026-10-01T00:00:00Z" }""", "clock-backwards")]
    [InlineData("""{ }""", "time-order")]
    [InlineData("""{ "for": "day", "until": "2027-01-01T00:00:00Z" }""", "time-order")]
    [InlineData("""{ "until": "3000-01-01T00:00:00Z" }""", "out-of-range")]
    public async Task A_clock_that_is_asked_the_impossible_says_so(string order, string code)
    {
        var response = await server.Send(HttpMethod.Post, "/api/clock/passages", order);
        var problem = (await response.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.Equal((HttpStatusCode.BadRequest, code), (response.StatusCode, problem["problems"]![0]!["code"]!.GetValue<string>()));
    }

    [Fact]
    public async Task Time_is_stopped_under_way()
    {
        await PostJson("/api/clock/passages", new { until = "2056-11-01T00:00:00Z", confirm = "2056-11-01" }, HttpStatusCode.Accepted);
        var again = await server.Http.PostAsJsonAsync("/api/clock/passages", new { @for = "day" });
        Assert.Equal("time-passes", await Code(again));
        await Task.Delay(300);
        (await server.Send(HttpMethod.Delete, "/api/clock/passages")).EnsureSuccessStatusCode();
        JsonNode clock;
        do
        {
            await Task.Delay(50);
            clock = (await server.Get("/api/clock?runs=1000")).Body;
        } while (clock["passage"]!["running"]!.GetValue<bool>());
        Assert.True(clock["passage"]!["stopped"]!.GetValue<bool>());
        Assert.InRange(clock["runs"]!.AsArray().Count, 1, 1000);
        Assert.Equal(clock["today"]!.GetValue<string>(), (await server.Get("/api/estate")).Body["today"]!.GetValue<string>());
    }

    [Fact]
    public async Task Schemes_are_compared_and_a_bad_one_is_refused_at_its_path()
    {
        var schemes = (await server.Get("/api/schemes")).Body.AsArray();
        Assert.Equal(6, schemes.Count);
        var line = new { megabitsPerSecond = 8, roundTripMilliseconds = 0 };
        var compared = await PostJson(
            "/api/schemes/comparison",
            new
            {
                fileBytes = 1_000_000,
                lines = new
                {
                    uplink = line,
                    betweenZones = line,
                    betweenRegions = line,
                },
            },
            HttpStatusCode.OK
        );
        // A megabyte over 8 Mbit/s takes a second; three copies sent one after another take three.
        Assert.Equal(
            (3, 1),
            (compared[0]!["secondsOneAfterAnother"]!.GetValue<double>(), compared[0]!["secondsFannedOut"]!.GetValue<double>())
        );
        var dead = await server.Http.PostAsJsonAsync(
            "/api/schemes/comparison",
            new
            {
                lines = new
                {
                    uplink = line with
                    {
                        megabitsPerSecond = 0,
                    },
                    betweenZones = line,
                    betweenRegions = line,
                },
            }
        );
        Assert.Equal(
            "$.lines.uplink.megabitsPerSecond",
            (await dead.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!.GetValue<string>()
        );
        Assert.Equal(
            "spread-too-narrow",
            schemes.Single(s => s!["scheme"]!["id"]!.GetValue<string>() == "ten-and-four")!["doubts"]![0]!["code"]!.GetValue<string>()
        );
        var bad = await server.Http.PostAsJsonAsync(
            "/api/schemes/draft",
            new
            {
                scheme = new
                {
                    id = "x",
                    name = "X",
                    copies = 3,
                    spread = "zone",
                    storageFactor = 1,
                    coded = new { data = 0, parity = 1 },
                },
            }
        );
        var problems = (await bad.Content.ReadFromJsonAsync<JsonNode>())!["problems"]!
            .AsArray()
            .Select(p => p!["path"]!.GetValue<string>());
        Assert.Equal(["$.scheme.coded.data", "$.scheme.copies"], problems.Order());
    }

    [Fact]
    public async Task An_inventory_is_sent_read_and_imported_over_http()
    {
        var csv = Encoding.UTF8.GetBytes("key,bytes,modified\nx/1,5,2026-01-01\nx/2,oops,2026-01-01\n");
        var preview = (await (await Send(HttpMethod.Post, "/api/inventories", csv)).Content.ReadFromJsonAsync<JsonNode>())!;
        var order = new { mapping = preview["suggested"], leaveOutBroken = true };
        var at = $"/api/buckets/port-sonar/inventories/{preview["id"]}";
        var reading = await PostJson($"{at}/draft", order, HttpStatusCode.OK);
        Assert.Equal(1, reading["brokenRows"]!.GetValue<int>());
        Assert.StartsWith(
            "row,column,value,message",
            await server.Http.GetStringAsync(new Uri($"/api/inventories/{preview["id"]}/errors.csv", UriKind.Relative)),
            StringComparison.Ordinal
        );
        await PostJson(at, order, HttpStatusCode.OK);
        Assert.Equal(1, (await server.Get("/api/buckets/port-sonar/objects?prefix=x/")).Body["batches"]![0]!["count"]!.GetValue<int>());
    }
}
