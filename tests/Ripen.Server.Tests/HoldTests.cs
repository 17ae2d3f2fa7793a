using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Legal holds over HTTP: placed and released by name and with a reason, refused on every other way; what is kept, by month.</summary>
public sealed class HoldTests : IDisposable
{
    private const string Notices = "/api/buckets/harbour-notices";

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<string> Tag() => (await server.Get($"{Notices}?stock=false")).Tag;

    private static object Order(string id = "collision-9", string reason = "asked for", string by = "counsel", string prefix = "radar/") =>
        new
        {
            id,
            reason,
            by,
            prefix,
        };

    private async Task Put(string key) => await server.Did(HttpMethod.Put, $"{Notices}/objects/{key}", "a note");

    private async Task<JsonNode> Hold() => (await server.Get($"{Notices}/holds")).Body.AsArray()[^1]!;

    [Fact]
    public async Task A_hold_is_foreseen_placed_and_keeps_what_it_matches_until_somebody_releases_it()
    {
        await Put("radar/1.txt");
        await Put("tides/1.txt");
        var foreseen = await server.Did(HttpMethod.Post, $"{Notices}/holds/draft", new { prefix = "radar/" });
        Assert.Equal(1, (double)foreseen["objects"]!);
        await server.Did(HttpMethod.Post, $"{Notices}/holds", Order(), await Tag());
        var hold = await Hold();
        Assert.Equal(
            ("collision-9", "counsel", true),
            ((string)hold["hold"]!["id"]!, (string)hold["hold"]!["placedBy"]!, (bool)hold["holds"]!)
        );
        Assert.Equal(1, (double)hold["matched"]!["objects"]!);
        await Put("radar/2.txt");
        foreach (var key in new[] { "radar/1.txt", "radar/2.txt" })
            Assert.Equal(
                (HttpStatusCode.Conflict, "kept"),
                await server.Refused(HttpMethod.Delete, $"{Notices}/objects/{key}?version={await Version(key)}")
            );

        // Nothing else changes holds: not a change of the bucket, not many at once, not its deletion, not an import.
        var bucket = (await server.Get($"{Notices}?stock=false")).Body.AsObject();
        bucket["holds"] = new JsonArray();
        Assert.Equal("holds-by-name", (await server.Refused(HttpMethod.Put, Notices, bucket.ToJsonString(), await Tag())).Code);
        Assert.Equal("kept", (await server.Refused(HttpMethod.Delete, Notices, null, await Tag())).Code);
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        Assert.Equal(
            "kept",
            (await server.Refused(HttpMethod.Put, "/api/estate/document", document, (await server.Get("/api/estate")).Tag)).Code
        );
        server.Restart();
        Assert.True((bool)(await Hold())["holds"]!);

        var release = new
        {
            reason = "the case is closed",
            by = "counsel",
            confirm = "collision-9",
        };
        foreach (
            var (order, code) in new (object, string)[]
            {
                (release with { reason = " " }, "no-reason"),
                (release with { by = "" }, "no-name"),
                (release with { confirm = "collision" }, "not-confirmed"),
            }
        )
            Assert.Equal(code, (await server.Refused(HttpMethod.Post, $"{Notices}/holds/collision-9/release", order, await Tag())).Code);
        Assert.Equal("no-hold", (await server.Refused(HttpMethod.Post, $"{Notices}/holds/other/release", release, await Tag())).Code);
        await server.Did(HttpMethod.Post, $"{Notices}/holds/collision-9/release", release, await Tag());
        Assert.Equal(
            "released",
            (await server.Refused(HttpMethod.Post, $"{Notices}/holds/collision-9/release", release, await Tag())).Code
        );
        Assert.False((bool)(await Hold())["holds"]!);
        await server.Did(HttpMethod.Delete, $"{Notices}/objects/radar/1.txt?version={await Version("radar/1.txt")}");

        var log = (await server.Get("/api/estate/changes?most=10")).Body.AsArray();
        Assert.Equal(
            [("hold-released", "the case is closed"), ("hold-placed", "asked for")],
            log.Where(c => ((string)c!["kind"]!).StartsWith("hold", StringComparison.Ordinal))
                .Select(c => ((string)c!["kind"]!, (string)c["reason"]!))
        );
    }

    private async Task<long> Version(string key) =>
        (long)(await server.Get($"{Notices}/objects?prefix={key}&most=1")).Body["objects"]![0]!["version"]!;

    [Theory]
    [InlineData("Not an id", "asked for", "counsel", "$.holds")]
    [InlineData("case", " ", "counsel", "$.reason")]
    [InlineData("case", "asked for", "", "$.by")]
    public async Task What_is_wrong_with_a_hold_is_said_at_its_place(string id, string reason, string by, string path)
    {
        var response = await server.Send(
            HttpMethod.Post,
            $"{Notices}/holds",
            System.Text.Json.JsonSerializer.Serialize(Order(id, reason, by)),
            await Tag()
        );
        Assert.Equal(HttpStatusCode.BadRequest, response.StatusCode);
        var problem = JsonNode.Parse(await response.Content.ReadAsStringAsync())!["problems"]![0]!;
        Assert.StartsWith(path, (string)problem["path"]!, StringComparison.Ordinal);
        Assert.Empty((await server.Get($"{Notices}/holds")).Body.AsArray());
    }

    [Fact]
    public async Task What_is_kept_is_told_by_month_as_a_file_and_with_what_does_not_fit()
    {
        await server.Did(HttpMethod.Post, $"{Notices}/holds", Order(prefix: ""), await Tag());
        var keeping = (await server.Get("/api/keeping?months=12&bucket=harbour-notices")).Body;
        Assert.Equal(12, keeping["calendar"]!["months"]!.AsArray().Count);
        Assert.Contains(keeping["conflicts"]!.AsArray(), c => (string)c!["code"]! == "kept-without-end");
        var csv = await server.Http.GetStringAsync(new Uri("/api/keeping/months.csv?months=12", UriKind.Relative));
        Assert.Equal(14, csv.Split("\r\n").Length);
        Assert.StartsWith("month,freedObjects,", csv, StringComparison.Ordinal);
        var ics = await server.Http.GetStringAsync(new Uri("/api/keeping/days.ics", UriKind.Relative));
        var events = Ical.Net.Calendar.Load(ics)!.Events;
        Assert.Contains(events, e => e.Summary!.Contains("voyage-recorders", StringComparison.Ordinal));
        Assert.Equal("no-bucket", (await server.Refused(HttpMethod.Get, "/api/keeping?bucket=nowhere")).Code);
    }
}
