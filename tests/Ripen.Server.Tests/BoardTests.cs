using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>The board in stretches: what is found, in which order, and that sums are of all that match.</summary>
public sealed class BoardTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<JsonNode> Board(string query) => (await server.Get($"/api/estate/board?{query}")).Body;

    private static string[] Names(JsonNode board) => [.. board["buckets"]!.AsArray().Select(b => b!["name"]!.GetValue<string>())];

    [Fact]
    public async Task Stretches_put_together_are_the_whole_board_in_any_order()
    {
        foreach (var order in new[] { "estate", "name", "region", "objects", "bytes", "cost", "later", "growth" })
        {
            var whole = Names(await Board($"sort={order}&descending=true"));
            var parts = new List<string>();
            for (var at = 0; at < whole.Length; at += 5)
                parts.AddRange(Names(await Board($"sort={order}&descending=true&offset={at}&limit=5")));
            Assert.Equal(whole, parts);
            Assert.Equal(whole.Length, whole.Distinct().Count());
        }
    }

    [Fact]
    public async Task Figures_are_sorted_by_what_the_rows_say()
    {
        var costs = (await Board("sort=cost&descending=true"))["buckets"]!
            .AsArray()
            .Select(b => b!["monthCost"]!.GetValue<double>())
            .ToList();
        Assert.Equal(costs.OrderDescending(), costs);
        var bytes = (await Board("sort=bytes"))["buckets"]!.AsArray().Select(b => b!["bytes"]!.GetValue<double>()).ToList();
        Assert.Equal(bytes.Order(), bytes);
        var names = Names(await Board("sort=name"));
        Assert.Equal(names.Order(StringComparer.Ordinal), names);
    }

    [Fact]
    public async Task Sums_are_of_all_that_match_and_not_of_the_stretch()
    {
        var whole = await Board("region=aldmouth");
        var part = await Board("region=aldmouth&limit=1");
        Assert.Single(Names(part));
        Assert.Equal(Names(whole).Length, part["matching"]!.GetValue<int>());
        Assert.True(part["inAll"]!.GetValue<int>() > part["matching"]!.GetValue<int>());
        Assert.Equal(
            whole["buckets"]!.AsArray().Sum(b => b!["monthCost"]!.GetValue<double>()),
            part["monthCost"]!.GetValue<double>(),
            1e-9
        );
        Assert.Equal(whole["buckets"]!.AsArray().Sum(b => b!["bytes"]!.GetValue<double>()), part["bytes"]!.GetValue<double>(), 1);
    }

    [Theory]
    [InlineData("find=telemetry", "engine-telemetry,telemetry-far")]
    [InlineData("find=kestrel+telemetry", "telemetry-far")]
    [InlineData("find=TELEMETRY&region=aldmouth", "engine-telemetry")]
    [InlineData("state=step-costs-more", "engine-telemetry")]
    [InlineData("find=no-such-thing", "")]
    [InlineData("costFrom=1000&sort=name", "port-sonar,ticketing-backups")]
    public async Task Buckets_are_found_by_words_region_state_and_cost(string query, string names)
    {
        Assert.Equal(names, string.Join(',', Names(await Board(query))));
    }

    [Fact]
    public async Task A_state_holds_for_just_those_buckets_whose_own_draft_says_so()
    {
        var told = Names(await Board("state=step-costs-more"));
        foreach (var name in Names(await Board("")))
        {
            var bucket = (await server.Get($"/api/buckets/{name}?stock=false")).Body;
            var draft = await server.Send(HttpMethod.Post, $"/api/buckets/{name}/draft", bucket.ToJsonString());
            var steps = JsonNode.Parse(await draft.Content.ReadAsStringAsync())!["consequences"]!["steps"]!.AsArray();
            Assert.Equal(steps.Any(s => s!["netPerYear"]!.GetValue<double>() < 0), told.Contains(name));
        }
    }

    [Theory]
    [InlineData("region=aldmouth&sort=cost&descending=true")]
    [InlineData("find=sonar&limit=1")]
    public async Task Names_are_those_of_all_that_the_board_finds(string query)
    {
        var names = (await server.Get($"/api/estate/names?{query}")).Body.AsArray().Select(n => n!.GetValue<string>()).ToList();
        Assert.Equal(Names(await Board(query.Replace("&limit=1", "", StringComparison.Ordinal))), names);
    }

    [Theory]
    [InlineData("limit=0")]
    [InlineData("limit=501")]
    [InlineData("offset=-1")]
    [InlineData("sort=colour")]
    [InlineData("state=lucky")]
    [InlineData("state=1")]
    [InlineData("on=2020-01-01")]
    public async Task What_cannot_be_asked_is_refused(string query)
    {
        var answer = await server.Send(HttpMethod.Get, $"/api/estate/board?{query}");
        Assert.True(answer.StatusCode == HttpStatusCode.BadRequest, $"{answer.StatusCode}; {server.Errors.Newest}");
    }

    [Fact]
    public async Task Asked_for_nothing_in_particular_it_is_the_estate_in_its_order()
    {
        var board = (await server.Get("/api/estate/board")).Body;
        Assert.Equal((int)board["matching"]!, board["buckets"]!.AsArray().Count);
        Assert.Equal(Names(await Board("sort=estate&months=120&offset=0&limit=200&descending=false")), Names(board));
    }

    [Fact]
    public async Task One_bucket_is_told_as_the_board_tells_it()
    {
        var row = (await Board("find=port-sonar&on=2028-02-14"))["buckets"]![0]!;
        var one = (await server.Get("/api/estate/board/port-sonar?on=2028-02-14")).Body;
        Assert.Equal(row.ToJsonString(), one["row"]!.ToJsonString());
        Assert.Equal(HttpStatusCode.NotFound, (await server.Send(HttpMethod.Get, "/api/estate/board/nowhere")).StatusCode);
    }
}
