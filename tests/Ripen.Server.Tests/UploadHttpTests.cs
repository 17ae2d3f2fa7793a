using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Uploads by the tus protocol, version 1.0.0 (tus.io/protocols/resumable-upload), from memory section by section.</summary>
public sealed class UploadHttpTests : IDisposable
{
    private const string Bucket = "/api/buckets/small-things";
    private static readonly byte[] Song = Encoding.UTF8.GetBytes("what shall we do with the evening ferry");

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private Task<JsonNode> Make(string more = "") =>
        server.Did(
            HttpMethod.Post,
            "/api/buckets",
            $$"""{ "name": "small-things", "region": "aldmouth", "scheme": "one-site", "tier": "counter"{{more}} }"""
        );

    private async Task<HttpResponseMessage> Tus(
        HttpMethod method,
        string path,
        ReadOnlyMemory<byte>? body = null,
        string? version = "1.0.0",
        string type = "application/offset+octet-stream",
        params (string Name, string Value)[] headers
    )
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        request.Headers.Add("Ripen-Request", "1");
        if (version is not null)
            request.Headers.Add("Tus-Resumable", version);
        foreach (var (name, value) in headers)
            request.Headers.Add(name, value);
        if (body is { } bytes)
            request.Content = new ReadOnlyMemoryContent(bytes) { Headers = { ContentType = new MediaTypeHeaderValue(type) } };
        return await server.Http.SendAsync(request);
    }

    private static string Said(params (string Name, string Value)[] pairs) =>
        string.Join(',', pairs.Select(p => $"{p.Name} {Convert.ToBase64String(Encoding.UTF8.GetBytes(p.Value))}"));

    private async Task<string> Begin(string key = "songs/ü.txt", string root = Bucket + "/uploads")
    {
        var begun = await Tus(
            HttpMethod.Post,
            root,
            headers: [("Upload-Length", $"{Song.Length}"), ("Upload-Metadata", Said(("filename", key), ("filetype", "text/plain")))]
        );
        Assert.Equal(HttpStatusCode.Created, begun.StatusCode);
        return begun.Headers.Location!.OriginalString;
    }

    private Task<HttpResponseMessage> Patch(string at, int from, int to, params (string Name, string Value)[] headers) =>
        Tus(HttpMethod.Patch, at, Song.AsMemory(from..to), headers: [("Upload-Offset", $"{from}"), .. headers]);

    private static string? Header(HttpResponseMessage answer, string name) =>
        answer.Headers.TryGetValues(name, out var values) ? values.Single() : null;

    private static async Task<string> Code(HttpResponseMessage answer) =>
        (string)(await answer.Content.ReadFromJsonAsync<JsonNode>())!["code"]!;

    [Fact]
    public async Task It_says_what_it_can_and_takes_a_file_in_pieces()
    {
        await Make(""", "unfinishedUploadDays": 7""");
        var options = await Tus(HttpMethod.Options, $"{Bucket}/uploads", version: null);
        Assert.Equal(
            ("1.0.0", "creation,creation-with-upload,checksum,termination,expiration"),
            (Header(options, "Tus-Version"), Header(options, "Tus-Extension"))
        );
        var at = await Begin();
        var first = await Patch(at, 0, 10);
        Assert.Equal(
            (HttpStatusCode.NoContent, "10", "1.0.0"),
            (first.StatusCode, Header(first, "Upload-Offset"), Header(first, "Tus-Resumable"))
        );
        Assert.NotNull(Header(first, "Upload-Expires"));
        var head = await Tus(HttpMethod.Head, at);
        Assert.Equal(
            ("10", $"{Song.Length}", "no-store"),
            (Header(head, "Upload-Offset"), Header(head, "Upload-Length"), head.Headers.CacheControl!.ToString())
        );
        var listed = (await server.Get($"{Bucket}/uploads")).Body.AsArray().Single()!;
        Assert.Equal(("songs/ü.txt", 10), ((string)listed["key"]!, (int)listed["received"]!));
        var last = await Patch(at, 10, Song.Length);
        Assert.Equal(HttpStatusCode.NoContent, last.StatusCode);
        Assert.NotNull(last.Headers.ETag);
        var got = await server.Http.GetAsync(new Uri($"{Bucket}/objects/songs/%C3%BC.txt", UriKind.Relative));
        Assert.Equal(Song, await got.Content.ReadAsByteArrayAsync());
        Assert.Equal("text/plain", got.Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.NotFound, (await Tus(HttpMethod.Head, at)).StatusCode);
    }

    [Fact]
    public async Task What_the_protocol_refuses_is_refused_and_nothing_of_it_is_kept()
    {
        await Make();
        var at = await Begin();
        var other = await Tus(HttpMethod.Head, at, version: "0.2.0");
        Assert.Equal((HttpStatusCode.PreconditionFailed, "1.0.0"), (other.StatusCode, Header(other, "Tus-Version")));
        Assert.Equal(HttpStatusCode.Conflict, (await Patch(at, 5, 10)).StatusCode);
        Assert.Equal(
            HttpStatusCode.UnsupportedMediaType,
            (await Tus(HttpMethod.Patch, at, Song, type: "text/plain", headers: [("Upload-Offset", "0")])).StatusCode
        );
        var wrong = await Patch(at, 0, 10, ("Upload-Checksum", $"sha1 {Convert.ToBase64String(new byte[20])}"));
        Assert.Equal((460, "wrong-checksum"), ((int)wrong.StatusCode, await Code(wrong)));
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await Patch(at, 0, 10, ("Upload-Checksum", $"crc32 {Convert.ToBase64String(new byte[4])}"))).StatusCode
        );
        Assert.Equal("0", Header(await Tus(HttpMethod.Head, at), "Upload-Offset"));
        foreach (var (name, algorithm, from) in new[] { ("sha1", HashAlgorithmName.SHA1, 0), ("sha256", HashAlgorithmName.SHA256, 10) })
        {
            var sum = CryptographicOperations.HashData(algorithm, Song.AsSpan(from, 10));
            Assert.Equal(
                HttpStatusCode.NoContent,
                (await Patch(at, from, from + 10, ("Upload-Checksum", $"{name} {Convert.ToBase64String(sum)}"))).StatusCode
            );
        }
        var tooLong = await Tus(HttpMethod.Patch, at, new byte[Song.Length], headers: [("Upload-Offset", "20")]);
        Assert.Equal((HttpStatusCode.RequestEntityTooLarge, "too-long"), (tooLong.StatusCode, await Code(tooLong)));
        Assert.Equal(HttpStatusCode.NoContent, (await Tus(HttpMethod.Delete, at)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await Patch(at, 20, 30)).StatusCode);
        foreach (
            var (length, said) in new[]
            {
                ("-1", Said(("key", "a"))),
                ("5", ""),
                ("5", "key !"),
                ("5", Said(("key", "a"), ("key", "b"))),
                ("5", Said(("key", "a"), ("tags", "="))),
            }
        )
            Assert.Equal(
                (said, HttpStatusCode.BadRequest),
                (
                    said,
                    (
                        await Tus(HttpMethod.Post, $"{Bucket}/uploads", headers: [("Upload-Length", length), ("Upload-Metadata", said)])
                    ).StatusCode
                )
            );
        Assert.Equal("out-of-range", (await Refused(0)).Code);
    }

    private async Task<(HttpStatusCode Status, string Code)> Refused(int days) =>
        await server.Refused(
            HttpMethod.Post,
            "/api/buckets",
            $$"""{ "name": "other", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "unfinishedUploadDays": {{days}} }"""
        );

    [Fact]
    public async Task Nothing_of_other_pages_begins_one_and_a_stranger_needs_an_access()
    {
        await Make();
        using var foreign = new HttpRequestMessage(HttpMethod.Post, new Uri($"{Bucket}/uploads", UriKind.Relative));
        foreign.Headers.Add("Origin", "http://elsewhere.example");
        foreign.Headers.Add("Tus-Resumable", "1.0.0");
        Assert.Equal(HttpStatusCode.Forbidden, (await server.Http.SendAsync(foreign)).StatusCode);
        const string Plain = "/uploads/small-things";
        var begun = await Tus(HttpMethod.Post, Plain, headers: [("Upload-Length", "5"), ("Upload-Metadata", Said(("key", "in/a")))]);
        Assert.Equal(HttpStatusCode.Unauthorized, begun.StatusCode);
        var access = await server.Did(
            HttpMethod.Post,
            $"{Bucket}/access",
            """{ "label": "scanner", "rights": ["write"], "prefix": "in/" }"""
        );
        var secret = access["secret"]!;
        var basic = Convert.ToBase64String(Encoding.UTF8.GetBytes($"{secret["keyId"]}:{secret["secret"]}"));
        server.Http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Basic", basic);
        var elsewhere = await Tus(HttpMethod.Post, Plain, headers: [("Upload-Length", "5"), ("Upload-Metadata", Said(("key", "out/a")))]);
        Assert.Equal(HttpStatusCode.Forbidden, elsewhere.StatusCode);
        var at = await Begin("in/song", Plain);
        Assert.StartsWith(Plain + "/", at, StringComparison.Ordinal);
        await Patch(at, 0, Song.Length);
        server.Http.DefaultRequestHeaders.Authorization = null;
        Assert.Equal(Song, await server.Http.GetByteArrayAsync(new Uri($"{Bucket}/objects/in/song", UriKind.Relative)));
        var others = await Begin("out/song");
        server.Http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Basic", basic);
        var theirs = Plain + others[others.LastIndexOf('/')..];
        Assert.Equal(HttpStatusCode.Forbidden, (await Patch(theirs, 0, 5)).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await Tus(HttpMethod.Delete, theirs)).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await Tus(HttpMethod.Head, theirs)).StatusCode);
    }

    [Fact]
    public async Task A_file_that_comes_with_its_beginning_needs_one_request()
    {
        await Make();
        var begun = await Tus(
            HttpMethod.Post,
            $"{Bucket}/uploads",
            Song,
            headers: [("Upload-Length", $"{Song.Length}"), ("Upload-Metadata", Said(("key", "song"), ("tags", "by=crew")))]
        );
        Assert.Equal((HttpStatusCode.Created, $"{Song.Length}"), (begun.StatusCode, Header(begun, "Upload-Offset")));
        var details = (await server.Get($"{Bucket}/details/song")).Body;
        Assert.Equal("crew", (string)details["chosen"]!["tags"]!["by"]!);
    }
}
