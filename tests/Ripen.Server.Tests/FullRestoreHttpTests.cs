using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>What having everything back costs, over HTTP: of what it is, and what is refused.</summary>
public sealed class FullRestoreHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<JsonNode> Read(string query) => (await server.Get($"/api/full-restore?{query}")).Body;

    private static (double Objects, double Bytes) There(JsonNode read)
    {
        var there = read["there"]!.AsArray();
        return (there.Sum(t => (double)t!["objects"]!), there.Sum(t => (double)t!["bytes"]!));
    }

    [Fact]
    public async Task A_prefix_a_bucket_and_everything_are_what_the_store_holds()
    {
        await server.Did(
            HttpMethod.Post,
            "/api/buckets",
            """{ "name": "shelf", "region": "aldmouth", "scheme": "one-site", "tier": "counter", "versioning": true }"""
        );
        var before = There(await Read(""));
        await server.Did(HttpMethod.Put, "/api/buckets/shelf/objects/a/1", "0123456789");
        await server.Did(HttpMethod.Put, "/api/buckets/shelf/objects/a/1", "01234");
        await server.Did(HttpMethod.Put, "/api/buckets/shelf/objects/b", "012");
        Assert.Equal((1.0, 5.0), There(await Read("bucket=shelf&prefix=a/")));
        Assert.Equal((2.0, 8.0), There(await Read("bucket=shelf")));
        var all = There(await Read(""));
        Assert.Equal((before.Objects + 2, before.Bytes + 8), all);
        Assert.Equal(all.Bytes, (double)(await server.Get("/api/estate/board")).Body["bytes"]!, all.Bytes * 1e-9);

        // A band and the line by hand: all of it out at 100 Mbit/s.
        var ordinary = (await Read("megabitsPerSecond=100"))["restore"]!["speeds"]![0]!;
        Assert.True((double)ordinary["hours"]! >= all.Bytes / 12.5e6 / 3600 - 1e-6);
        var home = (await Read("to=quarrydown&bucket=shelf"))["restore"]!;
        Assert.Equal(8 / 1e9 * 0.0412, (double)home["speeds"]![0]!["transfer"]!, 1e-15);
        Assert.True((double)home["warmCopyAYear"]! > 0);
    }

    [Fact]
    public async Task What_is_not_there_is_said()
    {
        Assert.Equal((HttpStatusCode.NotFound, "no-bucket"), await server.Refused(HttpMethod.Get, "/api/full-restore?bucket=attic"));
        Assert.Equal((HttpStatusCode.BadRequest, "unknown-reference"), await server.Refused(HttpMethod.Get, "/api/full-restore?to=attic"));
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range"),
            await server.Refused(HttpMethod.Get, "/api/full-restore?megabitsPerSecond=0")
        );
    }
}
