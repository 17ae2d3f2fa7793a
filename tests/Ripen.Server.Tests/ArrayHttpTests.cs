using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Local arrays over HTTP: drafts, binding, nights, coming home, and what is refused on the way.</summary>
public sealed class ArrayHttpTests : IDisposable
{
    private const string Array = "/api/arrays/hall";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private const string Hall = """
        { "arrays": [ { "id": "hall", "name": "Hall", "region": "quarrydown", "capacityBytes": 1e13, "pricePerUnitMonth": 0.05, "volumes": [
            { "id": "plans", "name": "Plans", "data": [
                { "folder": "a/", "files": 100, "bytesPerFile": 20000000, "lastUsed": "2026-01-01" },
                { "files": 10, "bytesPerFile": 1000000, "lastUsed": "2026-10-30" } ] },
            { "id": "boot", "name": "Boot", "staysBecause": "machines start from it", "data": [
                { "files": 1, "bytesPerFile": 5000000, "lastUsed": "2026-01-01" } ] } ] } ] }
        """;

    private async Task<string> Tag() => (await server.Get("/api/arrays")).Tag;

    private async Task Make()
    {
        await server.Did(
            HttpMethod.Post,
            "/api/buckets",
            """{ "name": "shelf", "region": "aldmouth", "scheme": "one-site", "tier": "counter" }"""
        );
        await server.Did(HttpMethod.Put, "/api/arrays", Hall, await Tag());
    }

    private static string Leaving(string? bucket, int days) =>
        $$"""{ "bucket": {{(bucket is null ? "null" : $"\"{bucket}\"")}}, "leaving": [ { "id": "old", "afterDays": {{days}} } ] }""";

    private Task PassNight() => server.Pass(TimeSpan.FromDays(1));

    /// <summary>The array's bucket is not there then.</summary>
    private async Task WhatIsReckonedOfOneBucketAloneIsTold()
    {
        const string Asked = """
            { "use": "whole-objects", "objectsPerDay": 10, "bytesPerObject": 1000000, "shareReadPerMonth": 0.1, "mostWaitHours": 0, "survives": "zone" }
            """;
        Assert.NotEmpty((await server.Did(HttpMethod.Post, "/api/advice", Asked))["choices"]!.AsArray());
        Assert.NotNull((await server.Get("/api/targets/office-vault/use")).Body["tenthYear"]);
    }

    [Fact]
    public async Task It_is_drafted_bound_emptied_at_night_and_comes_home()
    {
        await Make();
        var draft = await server.Did(HttpMethod.Post, $"{Array}/leaving/draft", Leaving("shelf", 180));
        Assert.True((bool)draft["binds"]!);
        Assert.Equal(2e9, (double)draft["reading"]!["rules"]![0]!["tonightBytes"]!);
        var year = draft["years"]![0]!;
        Assert.True((double)year["arrayAfter"]! < (double)year["arrayBefore"]!);
        Assert.True((double)year["estateAfter"]! > (double)year["estateBefore"]!);
        Assert.Equal((double)year["estateChange"]!, year["estateTerms"]!.AsArray().Sum(t => (double)t!["amount"]!), 1e-9);
        Assert.Equal((double)year["arrayAfter"]!, (double)year["heldAfter"]!["amount"]!);
        Assert.Null((await server.Get("/api/arrays")).Body["arrays"]![0]!["bucket"]);

        await server.Did(HttpMethod.Put, $"{Array}/leaving", Leaving("shelf", 180), await Tag());
        await WhatIsReckonedOfOneBucketAloneIsTold();
        await PassNight();
        var volume = (await server.Get("/api/arrays")).Body["arrays"]![0]!["volumes"]![0]!;
        Assert.Equal((10_000_000.0, 2e9), ((double)volume["homeBytes"]!, (double)volume["awayBytes"]!));
        Assert.True((double)volume["savedAMonth"]! > 0);
        var document = (await server.Get("/api/arrays/document")).Body["arrays"]![0]!["volumes"]![0]!["data"]![0]!;
        Assert.NotNull(document["away"]);

        Assert.Equal(
            (HttpStatusCode.BadRequest, "array-data-away"),
            await server.Refused(HttpMethod.Put, $"{Array}/leaving", Leaving(null, 180), await Tag())
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "array-data-away"),
            await server.Refused(HttpMethod.Put, "/api/arrays", """{ "arrays": [] }""", await Tag())
        );
        Assert.Equal(
            (HttpStatusCode.Conflict, "array-data-away"),
            await server.Refused(HttpMethod.Put, $"{Array}/leaving", Leaving("harbour-notices", 180), await Tag())
        );
        var (shelf, tag) = await server.Get("/api/buckets/shelf?stock=false");
        Assert.Equal(
            (HttpStatusCode.Conflict, "holds-array-data"),
            await server.Refused(HttpMethod.Delete, "/api/buckets/shelf", null, tag)
        );
        shelf["rules"] = JsonNode.Parse("""[ { "id": "short", "steps": [], "expireAt": 30 } ]""");
        Assert.Equal(
            (HttpStatusCode.BadRequest, "array-data-would-go"),
            await server.Refused(HttpMethod.Put, "/api/buckets/shelf", shelf.ToJsonString(), tag)
        );

        const string read = $"{Array}/volumes/plans/reading?folder=a/";
        var reading = (await server.Get(read)).Body;
        Assert.Equal((2e9, false), ((double)reading["bytes"]!, (bool)reading["comesHome"]!));
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-folder"),
            await server.Refused(HttpMethod.Post, $"{Array}/volumes/plans/reading?folder=b/")
        );
        Assert.Equal(reading.ToJsonString(), (await server.Did(HttpMethod.Post, read)).ToJsonString());
        Assert.Equal(2e9, (double)(await server.Get("/api/arrays")).Body["arrays"]![0]!["awayBytes"]!);
        var home = Leaving("shelf", 180).Replace("{ \"bucket\"", "{ \"homeOnRead\": true, \"bucket\"", StringComparison.Ordinal);
        var price = (await server.Did(HttpMethod.Post, $"{Array}/leaving/draft", home))["reading"]!["readPrice"]!;
        Assert.Equal((2e9, 180), ((double)price["bytes"]!, (int)price["daysAtHome"]!));
        await server.Did(HttpMethod.Put, $"{Array}/leaving", home, await Tag());
        Assert.True((bool)(await server.Get(read)).Body["comesHome"]!);

        var foreseen = (await server.Get($"{Array}/volumes/plans/homecoming")).Body;
        Assert.Equal(2e9, (double)foreseen["bytes"]!);
        var came = await server.Did(HttpMethod.Post, $"{Array}/volumes/plans/homecoming");
        Assert.Equal((double)foreseen["charges"]!["once"]!, (double)came["charges"]!["once"]!);
        Assert.Equal((HttpStatusCode.Conflict, "nothing-away"), await server.Refused(HttpMethod.Post, $"{Array}/volumes/plans/homecoming"));
        await server.Did(HttpMethod.Put, $"{Array}/leaving", Leaving(null, 180), await Tag());
        server.Restart();
        Assert.Equal(2_010_000_000.0, (double)(await server.Get("/api/arrays")).Body["arrays"]![0]!["volumes"]![0]!["homeBytes"]!);
    }

    [Fact]
    public async Task What_is_wrong_is_said_at_its_place()
    {
        await Make();
        foreach (
            var (body, path) in new[]
            {
                (Leaving("nowhere-at-all", 3), "$.bucket"),
                ("""{ "leaving": [ { "id": "a", "afterDays": -1 } ] }""", "$.leaving[0].afterDays"),
                ("""{ "leaving": [ { "id": "a", "afterDays": 1, "volume": "attic" } ] }""", "$.leaving[0].volume"),
                ("""{ "leaving": [ { "id": "a", "afterDays": 1 }, { "id": "a", "afterDays": 2 } ] }""", "$.leaving[1].id"),
            }
        )
        {
            var answer = await server.Send(HttpMethod.Post, $"{Array}/leaving/draft", body);
            var problem = JsonNode.Parse(await answer.Content.ReadAsStringAsync())!;
            Assert.Equal((HttpStatusCode.BadRequest, path), (answer.StatusCode, (string)problem["problems"]![0]!["path"]!));
        }
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-array"),
            await server.Refused(HttpMethod.Post, "/api/arrays/attic/leaving/draft", Leaving(null, 1))
        );
        Assert.Equal(
            HttpStatusCode.PreconditionRequired,
            (await server.Send(HttpMethod.Put, $"{Array}/leaving", Leaving("shelf", 1))).StatusCode
        );
    }
}
