using System.Net;
using System.Net.Http.Headers;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>The price book over HTTP: looked at, drafted, put in force now or on a day to come, and what is refused.</summary>
public sealed class PriceHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<(JsonNode Prices, string Tag)> Prices()
    {
        var (body, tag) = await server.Get("/api/prices");
        return (body["prices"]!, tag);
    }

    private static JsonNode Counter(JsonNode prices) => prices["regions"]![0]!["prices"]![0]!;

    private async Task PassDays(int days) =>
        await server.PassUntil(((DateTimeOffset)(await server.Get("/api/clock")).Body["now"]!).AddDays(days));

    private async Task<double> Year() => (await server.Get("/api/forecast?months=12")).Body["money"]!.AsArray().Sum(m => (double)m!);

    [Fact]
    public async Task Other_amounts_are_drafted_stored_and_charged_and_what_was_stays_told()
    {
        var (prices, tag) = await Prices();
        var writes = (double)Counter(prices)["writes"]!;
        Counter(prices)["writes"] = writes + 5;
        var before = await Year();
        var draft = await server.Did(HttpMethod.Post, "/api/prices/draft", prices.ToJsonString());
        var first = draft["cost"]![0]!;
        Assert.True((double)first["estateAfter"]! > (double)first["estateBefore"]!);
        Assert.Equal(before, await Year());
        Assert.Equal(
            (HttpStatusCode.Conflict, "shown-differs"),
            await server.Refused(HttpMethod.Put, "/api/prices?seen=0000000000000000", prices.ToJsonString(), tag)
        );
        await server.Did(HttpMethod.Put, $"/api/prices?seen={draft["seen"]}", prices.ToJsonString(), tag);
        Assert.True(await Year() > before);
        Assert.Equal(
            (HttpStatusCode.PreconditionFailed, "changed-meanwhile"),
            await server.Refused(HttpMethod.Put, "/api/prices", prices.ToJsonString(), tag)
        );
        server.Restart();
        var now = (await Prices()).Prices;
        Assert.Equal(writes + 5, (double)Counter(now)["writes"]!);
        Assert.Equal(writes, (double)now["earlier"]![0]!["regions"]![0]!["prices"]![0]!["writes"]!);
        // Nobody rewrites what was.
        now["earlier"] = new JsonArray();
        await server.Did(HttpMethod.Put, "/api/prices", now.ToJsonString(), (await Prices()).Tag);
        Assert.Single((await Prices()).Prices["earlier"]!.AsArray());
        Assert.Contains(
            "prices-changed",
            (await server.Http.GetStringAsync(new Uri("/api/estate/changes", UriKind.Relative))),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Amounts_of_a_day_to_come_are_in_the_forecast_and_hold_when_it_comes()
    {
        var (prices, tag) = await Prices();
        var today = DateOnly.Parse(
            (string)(await server.Get("/api/prices")).Body["today"]!,
            System.Globalization.CultureInfo.InvariantCulture
        );
        var dearer = Counter(prices).DeepClone();
        dearer["storage"] = JsonNode.Parse("""[ { "price": 7 } ]""");
        var region = (string)prices["regions"]![0]!["id"]!;
        prices["changes"] = new JsonArray(
            new JsonObject
            {
                ["from"] = today.AddDays(3).ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
                ["regions"] = new JsonArray(new JsonObject { ["id"] = region, ["prices"] = new JsonArray(dearer) }),
            }
        );
        var before = await Year();
        await server.Did(HttpMethod.Put, "/api/prices", prices.ToJsonString(), tag);
        Assert.True(await Year() > 2 * before);
        Assert.NotEqual(7, (double)Counter((await Prices()).Prices)["storage"]![0]!["price"]!);
        await PassDays(3);
        var then = (await Prices()).Prices;
        Assert.Equal(7, (double)Counter(then)["storage"]![0]!["price"]!);
        Assert.Null(then["changes"]?.AsArray().FirstOrDefault());
        // A line that is changed afterwards does not bring the old amounts back.
        var line = then["transfers"]![0]!;
        await server.Did(HttpMethod.Put, $"/api/replication/lines/{line["from"]}/{line["to"]}", new { price = 0.5 }, (await Prices()).Tag);
        await PassDays(1);
        var last = (await Prices()).Prices;
        // What it cost is told, as of every price.
        Assert.Equal((double)line["price"]!, (double)last["earlier"]!.AsArray()[^1]!["transfers"]![0]!["price"]!);
        Assert.Equal((7, 0.5), ((double)Counter(last)["storage"]![0]!["price"]!, (double)last["transfers"]![0]!["price"]!));
    }

    [Fact]
    public async Task A_table_goes_out_and_comes_back_and_its_errors_are_at_their_row()
    {
        var csv = await server.Http.GetStringAsync(new Uri("/api/prices/rows.csv", UriKind.Relative));
        var lines = csv.Trim().Split('\n').Select(l => l.Trim()).ToList();
        Assert.Equal("from,region,to,tier,charge,speed,upTo,amount,agreement", lines[0]);
        var (prices, _) = await Prices();
        Assert.Equal(prices.ToJsonString(), (await Rows(csv)).Body.ToJsonString());
        var row = lines.FindIndex(l => l.Contains(",writes,", StringComparison.Ordinal));
        var other = string.Join(',', lines[row].Split(',')[..7]) + ",";
        var changed = (await Rows($"{lines[0]}\n{other}123.5\n")).Body;
        Assert.Equal(123.5, (double)Counter(changed)["writes"]!);
        var supported = (await Rows($"{lines[0]}\n,aldmouth,,,fixed,,,97,support\n")).Body;
        Assert.Equal(97, (double)supported["agreements"]!["fixed"]![0]!["amount"]!);
        foreach (
            var (text, code) in new[]
            {
                ("region,amount\n", "no-column"),
                ($"{lines[0]}\n{other}dear\n", "not-a-number"),
                ($"{lines[0]}\n01.02.2027{other}1\n", "not-a-date"),
                ($"{lines[0]}\n,attic,,counter,writes,,,1\n", "unknown-reference"),
                ($"{lines[0]}\n,,,,fixed,,,1,attic\n", "unknown-reference"),
            }
        )
        {
            var (status, body) = await Rows(text);
            Assert.Equal(HttpStatusCode.BadRequest, status);
            Assert.Contains(body["problems"]!.AsArray(), p => (string)p!["code"]! == code);
        }

        async Task<(HttpStatusCode Status, JsonNode Body)> Rows(string text)
        {
            using var content = new StringContent(text, new MediaTypeHeaderValue("text/csv"));
            using var request = new HttpRequestMessage(HttpMethod.Post, new Uri("/api/prices/rows", UriKind.Relative))
            {
                Content = content,
            };
            request.Headers.Add("Ripen-Request", "1");
            using var answer = await server.Http.SendAsync(request);
            return (answer.StatusCode, JsonNode.Parse(await answer.Content.ReadAsStringAsync())!);
        }
    }

    [Fact]
    public async Task What_the_estate_needs_cannot_go_and_what_was_metered_cannot_be_counted_otherwise()
    {
        var (prices, tag) = await Prices();
        var without = prices.DeepClone();
        without["regions"]![0]!["prices"]!.AsArray().RemoveAt(0);
        Assert.Equal(HttpStatusCode.BadRequest, (await server.Refused(HttpMethod.Put, "/api/prices", without.ToJsonString(), tag)).Status);
        var dollars = prices.DeepClone();
        dollars["currency"] = "NOK";
        Assert.Equal(
            (HttpStatusCode.BadRequest, "metered-otherwise"),
            await server.Refused(HttpMethod.Put, "/api/prices", dollars.ToJsonString(), tag)
        );
        var unknown = prices.DeepClone();
        unknown["rent"] = 1;
        Assert.Equal(HttpStatusCode.BadRequest, (await server.Refused(HttpMethod.Put, "/api/prices", unknown.ToJsonString(), tag)).Status);
    }
}
