using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Price books beside the one in force, over HTTP: stored, compared, assumed, taken; and what is in force stays what it is.</summary>
public sealed class OfferHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<double[]> Money(int months) =>
        [.. (await server.Get($"/api/forecast?months={months}")).Body["money"]!.AsArray().Select(m => (double)m!)];

    private async Task<JsonNode> InForce() => (await server.Get("/api/prices")).Body["prices"]!.DeepClone();

    private static JsonObject Offer(string id, JsonNode prices) =>
        new()
        {
            ["id"] = id,
            ["name"] = $"From {id}",
            ["prices"] = prices,
        };

    private async Task Store(params JsonNode[] offers) =>
        await server.Did(
            HttpMethod.Put,
            "/api/offers",
            new JsonObject { ["offers"] = new JsonArray(offers) }.ToJsonString(),
            (await server.Get("/api/offers")).Tag
        );

    private static JsonNode TwiceStored(JsonNode prices)
    {
        foreach (var region in prices["regions"]!.AsArray())
        {
            foreach (var tier in region!["prices"]!.AsArray())
            {
                foreach (var band in tier!["storage"]!.AsArray())
                    band!["price"] = 2 * (double)band["price"]!;
            }
        }
        return prices;
    }

    [Fact]
    public async Task An_offer_is_compared_assumed_and_taken_and_until_then_changes_nothing()
    {
        var before = await Money(24);
        await Store(Offer("dearer", TwiceStored(await InForce())), Offer("same", await InForce()));
        Assert.Equal(before, await Money(24));

        var outlooks = (await server.Get("/api/offers/comparison?months=24&year=0")).Body["outlooks"]!.AsArray();
        Assert.Equal(["", "dearer", "same"], outlooks.Select(o => (string)o!["id"]!));
        Assert.Equal(before.Sum(), outlooks[0]!["years"]!.AsArray().Sum(y => (double)y!["money"]!), before.Sum() * 1e-11);
        Assert.All(outlooks[2]!["more"]!.AsArray(), m => Assert.Equal(0, (double)m!, before.Sum() * 1e-12));
        var more = outlooks[1]!["more"]!.AsArray().Sum(m => (double)m!);
        Assert.Equal(more, outlooks[1]!["charges"]!.AsArray().Sum(c => (double)c!["more"]!), before.Sum() * 1e-11);
        Assert.True(more > 0);
        // The same amounts open under the offer, down to its prices.
        const string why = "/api/forecast/derivation?month=2026-11&to=2028-10&offer=dearer";
        Assert.Equal(before.Sum() + more, (double)(await server.Get(why)).Body["amount"]!, before.Sum() * 1e-11);
        foreach (var charge in outlooks[1]!["charges"]!.AsArray())
        {
            Assert.Equal(
                (double)charge!["amount"]!,
                (double)(await server.Get($"{why}&charge={charge["charge"]}")).Body["amount"]!,
                before.Sum() * 1e-11
            );
        }
        const string storage = "/api/forecast/derivation?month=2027-03&bucket=port-sonar&tier=counter&charge=storage";
        var (now, then) = ((await server.Get(storage)).Body, (await server.Get($"{storage}&offer=dearer")).Body);
        Assert.Equal(2 * (double)now["amount"]!, (double)then["amount"]!, 1e-9);
        Assert.Equal(2 * (double)now["derivation"]!["terms"]![0]!["price"]!, (double)then["derivation"]!["terms"]![0]!["price"]!, 1e-12);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "not-one-assumption"),
            await server.Refused(HttpMethod.Get, $"{storage}&offer=dearer&scenario=two-more-ferries")
        );
        Assert.Equal((HttpStatusCode.Conflict, "unknown-reference"), await server.Refused(HttpMethod.Get, $"{storage}&offer=nobodys"));

        var scenario = """{ "id": "s", "name": "S", "assumptions": [{ "offer": "dearer" }] }""";
        var difference = (await server.Did(HttpMethod.Post, "/api/scenarios/difference?months=24", scenario))["difference"]!;
        Assert.Equal(more, (double)difference["changes"]![0]!, before.Sum() * 1e-11);

        var parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", scenario);
        var (_, tag) = await server.Get("/api/prices");
        await server.Did(HttpMethod.Put, "/api/prices", parts["prices"]!.ToJsonString(), tag);
        Assert.Equal(before.Sum() + more, (await Money(24)).Sum(), before.Sum() * 1e-11);
    }

    [Fact]
    public async Task Offers_outlive_a_restart_and_what_is_wrong_with_them_is_said_where_it_is()
    {
        var krone = await InForce();
        krone["currency"] = "NOK";
        var homeless = await InForce();
        homeless["regions"] = new JsonArray(homeless["regions"]!.AsArray().Skip(1).Select(r => r!.DeepClone()).ToArray());
        homeless["transfers"] = new JsonArray();
        homeless["agreements"] = new JsonObject();
        await Store(Offer("krone", krone), Offer("homeless", homeless));
        server.Restart();
        var (stored, tag) = await server.Get("/api/offers");
        Assert.Equal("NOK", (string)stored["offers"]![0]!["prices"]!["currency"]!);
        var outlooks = (await server.Get("/api/offers/comparison?months=12")).Body["outlooks"]!.AsArray();
        Assert.Null(outlooks[1]!["more"]);
        Assert.NotEmpty(outlooks[1]!["years"]!.AsArray());
        Assert.Equal("unknown-reference", (string)outlooks[2]!["problems"]![0]!["code"]!);
        Assert.Empty(outlooks[2]!["years"]!.AsArray());
        Assert.Equal(
            (HttpStatusCode.BadRequest, "duplicate-id"),
            await server.Refused(
                HttpMethod.Put,
                "/api/offers",
                new JsonObject { ["offers"] = new JsonArray(Offer("a", await InForce()), Offer("a", await InForce())) }.ToJsonString(),
                tag
            )
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range"),
            await server.Refused(HttpMethod.Get, "/api/offers/comparison?months=12&year=2", null, null)
        );
        var assumed = await server.Did(
            HttpMethod.Post,
            "/api/scenarios/difference",
            """{ "id": "s", "name": "S", "assumptions": [{ "offer": "krone" }] }"""
        );
        Assert.Equal("other-currency", (string)assumed["problems"]![0]!["code"]!);
    }
}
