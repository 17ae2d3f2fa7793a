using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text;
using System.Text.Json.Nodes;
using Ripen.Server.Http;

namespace Ripen.Server.Tests;

/// <summary>What a page elsewhere, a crafted address or a hostile body may not do.</summary>
public sealed class DoorTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private const string Bucket =
        """{ "name": "door", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "versioning": true }""";

    [Theory]
    [InlineData("Origin", "http://evil.example")]
    [InlineData("Origin", "null")]
    [InlineData("Origin", "http://localhost:81")]
    [InlineData("Sec-Fetch-Site", "cross-site")]
    [InlineData("Sec-Fetch-Site", "same-site")]
    public async Task A_page_elsewhere_changes_nothing(string header, string value)
    {
        foreach (
            var (method, path, body) in new[]
            {
                ("POST", "/api/buckets", Bucket),
                ("POST", "/api/clock/passages", """{ "for": "day" }"""),
                ("DELETE", "/api/clock/passages", null),
                ("PUT", "/objects/harbour-notices/a", "x"),
            }
        )
        {
            Assert.Equal((HttpStatusCode.Forbidden, "foreign-origin"), await Answer(new HttpMethod(method), path, body, (header, value)));
        }
        Assert.Equal(HttpStatusCode.NotFound, (await server.Send(HttpMethod.Get, "/api/buckets/door")).StatusCode);
        Assert.Equal(
            HttpStatusCode.Created,
            (
                await Send(HttpMethod.Post, "/api/buckets", Bucket, ("Origin", "http://localhost"), ("Sec-Fetch-Site", "same-origin"))
            ).StatusCode
        );
    }

    [Fact]
    public async Task A_form_or_a_bare_request_is_not_enough()
    {
        using var plain = new HttpRequestMessage(HttpMethod.Post, "/api/buckets")
        {
            Content = new StringContent(Bucket, Encoding.UTF8, "text/plain"),
        };
        Assert.Equal(HttpStatusCode.UnsupportedMediaType, (await server.Http.SendAsync(plain)).StatusCode);
        server.Http.DefaultRequestHeaders.Remove(Door.Intent);
        Assert.Equal((HttpStatusCode.BadRequest, "intent-missing"), await Answer(HttpMethod.Post, "/api/estate/demo", null));
        Assert.Equal((HttpStatusCode.BadRequest, "intent-missing"), await Answer(HttpMethod.Delete, "/api/clock/passages", null));
        using var form = new HttpRequestMessage(HttpMethod.Post, "/api/inventories")
        {
            Content = new StringContent("key,bytes,modified\na,1,2026-01-01", Encoding.UTF8, "text/plain"),
        };
        Assert.Equal(HttpStatusCode.BadRequest, (await server.Http.SendAsync(form)).StatusCode);
    }

    [Theory]
    [InlineData("http://127.0.0.1:5140", false, true)]
    [InlineData("http://localhost:1;http://[::1]:1", false, true)]
    [InlineData("http://0.0.0.0:5140", false, false)]
    [InlineData("http://*:5140", false, false)]
    [InlineData("http://127.0.0.1:1;http://192.168.1.5:1", false, false)]
    [InlineData("http://0.0.0.0:5140", true, true)]
    public void Listening_beyond_this_machine_has_to_be_wanted(string addresses, bool beyond, bool allowed) =>
        Assert.Equal(allowed, Door.Refusal(addresses, beyond) is null);

    [Fact]
    public async Task Only_names_of_this_machine_are_answered_for()
    {
        Assert.Equal(
            (HttpStatusCode.BadRequest, "unknown-host"),
            await Answer(HttpMethod.Get, "/api/estate", null, ("Host", "evil.example"))
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "unknown-host"),
            await Answer(HttpMethod.Get, "/", null, ("Host", "localhost.evil.example"))
        );
        Assert.Equal(HttpStatusCode.OK, (await Send(HttpMethod.Get, "/api/estate", null, ("Host", "127.0.0.1:5140"))).StatusCode);
    }

    [Fact]
    public async Task Every_answer_says_what_may_be_done_with_it()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        await Put("a.html", "<script>fetch('/api/estate')</script>", "text/html");
        foreach (
            var path in new[]
            {
                "/",
                "/api/estate",
                "/api/nothing",
                "/objects/door/a.html",
                "/objects/nothing/a",
                "/api/buckets/door/objects/a.html",
                "/openapi/v1.json",
                "/nowhere/at/all",
                "/health",
            }
        )
        {
            var answer = await Send(HttpMethod.Get, path, null);
            var of = answer.Headers;
            Assert.Equal((path, "nosniff"), (path, of.GetValues("X-Content-Type-Options").Single()));
            Assert.Equal((path, "DENY"), (path, of.GetValues("X-Frame-Options").Single()));
            Assert.Equal((path, "no-referrer"), (path, of.GetValues("Referrer-Policy").Single()));
            Assert.Equal((path, "same-origin"), (path, of.GetValues("Cross-Origin-Resource-Policy").Single()));
            Assert.True(of.Contains("Content-Security-Policy") && of.CacheControl is not null, path);
            Assert.DoesNotContain("script-src 'self'", of.GetValues("Content-Security-Policy").Single(), StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("page.html", "text/html", true)]
    [InlineData("picture.svg", "image/svg+xml", true)]
    [InlineData("program.js", "text/javascript", true)]
    [InlineData("paper.pdf", "application/pdf", true)]
    [InlineData("odd", "nonsense", true)]
    [InlineData("notice.txt", "text/plain; charset=utf-8", false)]
    [InlineData("photo.png", "image/png", false)]
    public async Task What_is_stored_is_shown_or_handed_over_and_never_run(string key, string type, bool asFile)
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        await Put(key, "<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>", type == "nonsense" ? null : type);
        var answer = await Send(HttpMethod.Get, $"/api/buckets/door/objects/{key}", null);
        Assert.Equal(asFile, answer.Content.Headers.ContentDisposition?.DispositionType == "attachment");
        Assert.Equal("sandbox; default-src 'none'", answer.Headers.GetValues("Content-Security-Policy").Single());
        foreach (var destination in new[] { "script", "worker", "serviceworker", "style", "iframe", "embed", "object" })
        {
            Assert.Equal(
                (HttpStatusCode.Forbidden, "not-to-be-run"),
                await Answer(HttpMethod.Get, $"/api/buckets/door/objects/{key}", null, ("Sec-Fetch-Dest", destination))
            );
        }
    }

    [Fact]
    public async Task A_made_up_page_token_stays_under_its_prefix()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        await Put("a/secret", "x");
        await Put("b/open", "x");
        var link = (
            await (
                await server.Send(HttpMethod.Post, "/api/buckets/door/links", """{ "key": "b/", "wholePrefix": true, "for": "day" }""")
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!["path"]!.GetValue<string>();
        foreach (var position in new[] { "0 0 ", "0 0 a/", "1 99 a/secret", "0 0 \0" })
        {
            var page = (
                await server.Get($"{link}&after={Uri.EscapeDataString(Convert.ToBase64String(Encoding.UTF8.GetBytes(position)))}")
            ).Body;
            Assert.Equal(["b/open"], page["objects"]!.AsArray().Select(o => o!["key"]!.GetValue<string>()));
        }
    }

    [Fact]
    public async Task History_is_a_right_of_its_own_and_so_is_destroying_it()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        await Put("a", "first");
        var first = (await server.Get("/api/buckets/door/details/a")).Body["chosen"]!["version"]!.GetValue<long>();
        await Put("a", "second");
        (await server.Send(HttpMethod.Put, "/api/buckets/door/public", """{ "confirm": "door" }""")).EnsureSuccessStatusCode();
        var link = (
            await (
                await server.Send(HttpMethod.Post, "/api/buckets/door/links", """{ "key": "a", "for": "day" }""")
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!["path"]!.GetValue<string>();
        Assert.Equal("second", await server.Http.GetStringAsync(new Uri(link, UriKind.Relative)));
        Assert.Equal((HttpStatusCode.Forbidden, "outside-link"), await Answer(HttpMethod.Get, $"{link}&version={first}", null));
        Assert.Equal("second", await server.Http.GetStringAsync(new Uri("/objects/door/a", UriKind.Relative)));
        Assert.Equal((HttpStatusCode.Unauthorized, "no-access"), await Answer(HttpMethod.Get, $"/objects/door/a?version={first}", null));
        var ordinary = await Key("read", "write");
        Assert.Equal(
            (HttpStatusCode.Forbidden, "no-right"),
            await Answer(HttpMethod.Get, $"/objects/door/a?version={first}", null, ordinary)
        );
        Assert.Equal(
            (HttpStatusCode.Forbidden, "no-right"),
            await Answer(HttpMethod.Delete, $"/objects/door/a?version={first}", null, ordinary)
        );
        var keeper = await Key("read-versions", "delete-versions");
        Assert.Equal(
            "first",
            await (await Send(HttpMethod.Get, $"/objects/door/a?version={first}", null, keeper)).Content.ReadAsStringAsync()
        );
        Assert.Equal(HttpStatusCode.OK, (await Send(HttpMethod.Delete, $"/objects/door/a?version={first}", null, keeper)).StatusCode);

        async Task<(string, string)> Key(params string[] rights)
        {
            var made = await server.Http.PostAsJsonAsync("/api/buckets/door/access", new { label = "x", rights });
            var secret = (await made.Content.ReadFromJsonAsync<JsonNode>())!["secret"]!;
            return ("Authorization", "Basic " + Convert.ToBase64String(Encoding.UTF8.GetBytes($"{secret["keyId"]}:{secret["secret"]}")));
        }
    }

    [Fact]
    public async Task A_missing_and_a_closed_bucket_give_the_very_same_answer()
    {
        var closed = await (await Send(HttpMethod.Get, "/objects/port-sonar/a", null)).Content.ReadAsStringAsync();
        var missing = await (await Send(HttpMethod.Get, "/objects/nothing/a", null)).Content.ReadAsStringAsync();
        Assert.Equal(Plain(closed), Plain(missing));

        static string Plain(string problem) =>
            JsonNode.Parse(problem)!["detail"]!.ToJsonString() + JsonNode.Parse(problem)!["code"]!.ToJsonString();
    }

    [Theory]
    [InlineData("PUT", "/api/replication/lines/aldmouth/kestrel-sound/cut", """{ "hours": 2, "until": "2026-12-01" }""", "$.until")]
    [InlineData("POST", "/api/clock/passages", """{ "for": 1 }""", "$.for")]
    [InlineData("POST", "/api/clock/passages", """{ "for": "fortnight" }""", "$.for")]
    [InlineData("POST", "/api/clock/passages", """{ "for": "day", "and": 1 }""", "$.and")]
    [InlineData("POST", "/api/buckets/harbour-notices/access", """{ "label": "\ud800", "rights": ["read"] }""", "$.label")]
    [InlineData("POST", "/api/buckets/harbour-notices/links", """{ "key": "a", "for": "day", "readOnly": true }""", "$.readOnly")]
    [InlineData("POST", "/api/buckets", """{ "name": "\ud800", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }""", "$")]
    [InlineData("PUT", "/api/estate/document", """{ "ripen": 1, "name": "\udc00" }""", "$")]
    [InlineData("POST", "/api/replication/rules/1/mends", """{ "kind": "failed", "mend": 3 }""", "$.mend")]
    public async Task Bodies_that_say_more_or_other_than_is_known_are_refused_at_their_path(
        string method,
        string path,
        string body,
        string at
    )
    {
        var answer = await server.Send(new HttpMethod(method), path, body, (await server.Get("/api/estate")).Tag);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Equal(at, (await answer.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!.GetValue<string>());
        Assert.DoesNotContain(
            (await server.Get("/api/replication")).Body["lines"]!.AsArray(),
            l => l!["state"]!.GetValue<string>() == "cut"
        );
    }

    [Fact]
    public async Task A_type_that_could_not_be_given_back_is_refused_before_a_byte_is_stored()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        foreach (var type in new[] { "text/plain; name=\"ü\"", "nonsense", "text/", "text/plain; charset" + new string('x', 10) + "=\"" })
        {
            using var put = new HttpRequestMessage(HttpMethod.Put, "/api/buckets/door/objects/a") { Content = new ByteArrayContent([1]) };
            put.Content.Headers.TryAddWithoutValidation("Content-Type", type);
            var answer = await server.Http.SendAsync(put);
            Assert.Equal((type, HttpStatusCode.BadRequest), (type, answer.StatusCode));
        }
        Assert.Equal(HttpStatusCode.NotFound, (await Send(HttpMethod.Get, "/api/buckets/door/objects/a", null)).StatusCode);
    }

    /// <summary>RFC 9110, sections 13.1 and 13.2.2. {tag} is the object's own entity tag; it was written on the provider's
    /// 2026-11-01.</summary>
    public static (string Method, string Header, string Value, int Status)[] Conditions { get; } =
    [
        ("GET", "If-Match", "{tag}", 200),
        ("GET", "If-Match", "*", 200),
        ("GET", "If-Match", "\"other\", {tag}", 200),
        ("GET", "If-Match", "\"other\"", 412),
        ("GET", "If-Match", "W/{tag}", 412),
        ("GET", "If-None-Match", "{tag}", 304),
        ("GET", "If-None-Match", "W/{tag}", 304),
        ("GET", "If-None-Match", "*", 304),
        ("GET", "If-None-Match", "\"other\"", 200),
        ("HEAD", "If-None-Match", "{tag}", 304),
        ("HEAD", "If-Match", "\"other\"", 412),
        ("GET", "If-Unmodified-Since", "Sat, 31 Oct 2026 00:00:00 GMT", 412),
        ("GET", "If-Unmodified-Since", "Mon, 02 Nov 2026 00:00:00 GMT", 200),
        ("GET", "If-Unmodified-Since", "some day", 200),
        ("GET", "If-Modified-Since", "Mon, 02 Nov 2026 00:00:00 GMT", 304),
        ("GET", "If-Modified-Since", "Sat, 31 Oct 2026 00:00:00 GMT", 200),
        ("PUT", "If-Match", "{tag}", 201),
        ("PUT", "If-Match", "\"other\", {tag}", 201),
        ("PUT", "If-Match", "*", 201),
        ("PUT", "If-Match", "W/{tag}", 412),
        ("PUT", "If-Match", "\"other\"", 412),
        ("PUT", "If-Match", "garbage", 400),
        ("PUT", "If-None-Match", "*", 412),
        ("PUT", "If-None-Match", "{tag}", 412),
        ("PUT", "If-None-Match", "\"other\"", 201),
        ("PUT", "If-Unmodified-Since", "Sat, 31 Oct 2026 00:00:00 GMT", 412),
        ("DELETE", "If-Match", "\"other\"", 412),
        ("DELETE", "If-Match", "{tag}", 200),
        ("DELETE", "If-None-Match", "*", 412),
        ("DELETE", "If-Unmodified-Since", "Sat, 31 Oct 2026 00:00:00 GMT", 412),
    ];

    [Fact]
    public async Task Conditions_hold_for_every_method_alike()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        var made = await server.Http.PostAsJsonAsync("/api/buckets/door/access", new { label = "x", rights = new[] { "read", "write" } });
        var secret = (await made.Content.ReadFromJsonAsync<JsonNode>())!["secret"]!;
        var key = ("Authorization", "Basic " + Convert.ToBase64String(Encoding.UTF8.GetBytes($"{secret["keyId"]}:{secret["secret"]}")));
        foreach (var (method, header, value, status) in Conditions)
        {
            await Put("a", "0123456789");
            var tag = (await Send(HttpMethod.Get, "/api/buckets/door/objects/a", null)).Headers.ETag!.Tag;
            var answer = await Send(
                new HttpMethod(method),
                "/objects/door/a",
                method == "PUT" ? "new" : null,
                (header, value.Replace("{tag}", tag, StringComparison.Ordinal)),
                key
            );
            Assert.Equal((method, header, value, status), (method, header, value, (int)answer.StatusCode));
        }
    }

    /// <summary>RFC 9110, section 14.</summary>
    public static (string Range, string? IfRange, int Status, string? Body)[] Ranges { get; } =
    [
        ("bytes=0-9223372036854775807", null, 206, "0123456789"),
        ("bytes=3-5", null, 206, "345"),
        ("bytes=-3", null, 206, "789"),
        ("bytes=-9223372036854775807", null, 206, "0123456789"),
        ("bytes=10-", null, 416, null),
        ("bytes=9223372036854775807-", null, 416, null),
        ("bytes=3-5", "{tag}", 206, "345"),
        ("bytes=3-5", "W/{tag}", 200, "0123456789"),
        ("bytes=3-5", "\"other\"", 200, "0123456789"),
        ("bytes=3-5", "Sun, 01 Nov 2026 00:00:00 GMT", 206, "345"),
        ("bytes=3-5", "Mon, 02 Nov 2026 00:00:00 GMT", 200, "0123456789"),
    ];

    [Fact]
    public async Task Ranges_are_taken_as_they_are_meant()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        await Put("a", "0123456789");
        var tag = (await Send(HttpMethod.Get, "/api/buckets/door/objects/a", null)).Headers.ETag!.Tag;
        foreach (var (range, ifRange, status, body) in Ranges)
        {
            var answer = await Send(
                HttpMethod.Get,
                "/api/buckets/door/objects/a",
                null,
                ("Range", range),
                ("If-Range", ifRange?.Replace("{tag}", tag, StringComparison.Ordinal) ?? "")
            );
            Assert.Equal((range, ifRange, status), (range, ifRange, (int)answer.StatusCode));
            if (body is not null)
                Assert.Equal(body, await answer.Content.ReadAsStringAsync());
            else
                Assert.Equal("range-not-satisfiable", (await answer.Content.ReadFromJsonAsync<JsonNode>())!["code"]!.GetValue<string>());
        }
    }

    [Fact]
    public async Task What_was_written_tomorrow_is_not_said_to_be_modified_tomorrow()
    {
        (await server.Send(HttpMethod.Post, "/api/buckets", Bucket)).EnsureSuccessStatusCode();
        (await server.Send(HttpMethod.Post, "/api/clock/passages", """{ "until": "2027-10-01T00:00:00Z" }""")).EnsureSuccessStatusCode();
        await server.Stands();
        await Put("a", "x");
        var answer = await Send(HttpMethod.Get, "/api/buckets/door/objects/a", null);
        Assert.False(answer.Content.Headers.LastModified > DateTimeOffset.UtcNow);
        Assert.Contains("no-store", answer.Headers.CacheControl!.ToString(), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("/objects/harbour-notices/../../api/estate")]
    [InlineData("/objects/harbour-notices/./a")]
    [InlineData("/objects/harbour-notices/%2e%2e/port-sonar/a")]
    [InlineData("/api/buckets/harbour-notices/objects/../../port-sonar/objects/a")]
    public async Task Dot_segments_in_the_first_line_are_refused(string target)
    {
        await using var process = new ServerProcess();
        await process.Start();
        using var socket = new TcpClient();
        await socket.ConnectAsync(process.Address.Host, process.Address.Port);
        await using var stream = socket.GetStream();
        await stream.WriteAsync(
            Encoding.ASCII.GetBytes($"GET {target} HTTP/1.1\r\nHost: {process.Address.Authority}\r\nConnection: close\r\n\r\n")
        );
        var answer = await new StreamReader(stream).ReadToEndAsync();
        Assert.StartsWith("HTTP/1.1 400", answer, StringComparison.Ordinal);
        Assert.Contains("dot-segments", answer, StringComparison.Ordinal);
    }

    private async Task Put(string key, string text, string? type = null)
    {
        using var content = new ByteArrayContent(Encoding.UTF8.GetBytes(text));
        if (type is not null)
            content.Headers.ContentType = MediaTypeHeaderValue.Parse(type);
        (await server.Http.PutAsync(new Uri($"/api/buckets/door/objects/{key}", UriKind.Relative), content)).EnsureSuccessStatusCode();
    }

    private async Task<HttpResponseMessage> Send(HttpMethod method, string path, string? body, params (string Name, string Value)[] headers)
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        if (body is not null)
            request.Content = new StringContent(body, Encoding.UTF8, "application/json");
        foreach (var (name, value) in headers.Where(h => h.Value.Length > 0))
            request.Headers.TryAddWithoutValidation(name, value);
        return await server.Http.SendAsync(request);
    }

    private async Task<(HttpStatusCode, string?)> Answer(
        HttpMethod method,
        string path,
        string? body,
        params (string Name, string Value)[] headers
    )
    {
        var answer = await Send(method, path, body, headers);
        return (answer.StatusCode, (await answer.Content.ReadFromJsonAsync<JsonNode>())!["code"]?.GetValue<string>());
    }
}
