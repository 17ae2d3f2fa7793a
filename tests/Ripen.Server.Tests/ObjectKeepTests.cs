using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Retention of one object over HTTP, attacked on the ways that could shorten it; bundles beside it.</summary>
public sealed class ObjectKeepTests : IDisposable
{
    private const string Bucket = "/api/buckets/small-things";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task Make()
    {
        await server.Did(
            HttpMethod.Post,
            "/api/buckets",
            """{ "name": "small-things", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }"""
        );
        foreach (var key in new[] { "a", "b", "c/ü" })
            await server.Did(HttpMethod.Put, $"{Bucket}/objects/{Uri.EscapeDataString(key)}", $"what {key} says");
    }

    [Fact]
    public async Task A_sealed_object_is_kept_less_by_nobody()
    {
        await Make();
        const string Sealed = """{ "until": "2030-01-01", "strength": "sealed" }""";
        var foreseen = await server.Did(HttpMethod.Post, $"{Bucket}/kept-drafts/a", Sealed);
        Assert.Equal("2030-01-01", (string)foreseen["after"]!["until"]!);
        await server.Did(HttpMethod.Delete, $"{Bucket}/objects/b");
        await server.Did(HttpMethod.Put, $"{Bucket}/kept/a", Sealed);
        foreach (
            var (body, code) in new[]
            {
                ("""{ "until": "2029-12-31", "strength": "sealed", "by": "me", "reason": "because" }""", "sealed"),
                ("""{ "until": "2030-01-01", "strength": "liftable", "by": "me", "reason": "because" }""", "sealed"),
                ("""{ "by": "me", "reason": "because" }""", "nothing-to-lift"),
                ("""{ "until": "2020-01-01" }""", "out-of-range"),
                ("""{ "until": "2031-01-01", "days": 5 }""", "one-of"),
                ("""{ "days": 0 }""", "out-of-range"),
            }
        )
            Assert.Equal((body, code), (body, (await server.Refused(HttpMethod.Put, $"{Bucket}/kept/a", body)).Code));
        Assert.Equal((HttpStatusCode.Conflict, "kept"), await server.Refused(HttpMethod.Delete, $"{Bucket}/objects/a"));
        Assert.Equal((HttpStatusCode.Conflict, "kept"), await server.Refused(HttpMethod.Put, $"{Bucket}/objects/a", "other"));
        Assert.Equal("kept", (await server.Refused(HttpMethod.Delete, Bucket, null, (await server.Get($"{Bucket}?stock=false")).Tag)).Code);
        Assert.Equal((HttpStatusCode.NotFound, "no-object"), await server.Refused(HttpMethod.Put, $"{Bucket}/kept/nobody", Sealed));
    }

    [Fact]
    public async Task What_is_kept_stays_out_of_a_bundle_and_the_others_are_read_from_it()
    {
        await Make();
        await server.Did(HttpMethod.Put, $"{Bucket}/kept/a", """{ "days": 30 }""");
        var draft = await server.Did(HttpMethod.Post, $"{Bucket}/bundle-drafts", new { prefix = "", smallerThan = 100 });
        Assert.Equal((2, 1), ((int)draft["objects"]!, (int)draft["kept"]!));
        var made = await server.Did(HttpMethod.Post, $"{Bucket}/bundles", new { prefix = "", smallerThan = 100 });
        var bundle = (string)made["bundle"]!;
        var members = (await server.Get($"{Bucket}/bundle-members/{bundle}")).Body["members"]!.AsArray();
        Assert.Equal(["b", "c/ü"], members.Select(m => (string)m!["key"]!));
        Assert.Equal(
            "what c/ü says",
            await server.Http.GetStringAsync(new Uri($"{Bucket}/bundle-member/{bundle}?member=c%2F%C3%BC", UriKind.Relative))
        );
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await server.Http.GetAsync(new Uri($"{Bucket}/bundle-member/{bundle}?member=a", UriKind.Relative))).StatusCode
        );
        Assert.Equal("what a says", await server.Http.GetStringAsync(new Uri($"{Bucket}/objects/a", UriKind.Relative)));
        Assert.Equal(HttpStatusCode.NotFound, (await server.Http.GetAsync(new Uri($"{Bucket}/objects/b", UriKind.Relative))).StatusCode);
    }
}
