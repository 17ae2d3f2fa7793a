using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Agreements over HTTP: put in force, metered as they were foreseen, in every file, and what is over stands whatever is written
/// later.</summary>
public sealed class AgreementHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task Agree(string agreements)
    {
        var (body, tag) = await server.Get("/api/prices");
        body["prices"]!["agreements"] = JsonNode.Parse(agreements);
        await server.Did(HttpMethod.Put, "/api/prices", body["prices"]!.ToJsonString(), tag);
    }

    /// <summary>Money for what is agreed, by charge.</summary>
    private async Task<Dictionary<string, double>> Metered(string from, string to) =>
        (await server.Get($"/api/ledger?from={from}&to={to}"))
            .Body.AsArray()
            .Where(l => (string)l!["bucket"]! == "")
            .GroupBy(l => (string)l!["charge"]!)
            .ToDictionary(g => g.Key, g => g.Sum(l => (double)l!["amount"]!));

    [Fact]
    public async Task A_month_costs_what_is_agreed_when_it_ends_and_months_that_are_over_stand()
    {
        await server.PassUntil("2026-11-20");
        await Agree("""{ "fixed": [ { "id": "desk", "name": "Night desk", "amount": 60 } ] }""");
        server.Restart();
        await server.PassUntil("2026-12-01");
        var november = await Metered("2026-11-01", "2026-12-01");
        Assert.Equal(60, november["fixed"], 1e-9);
        // Gone again, with what the demo had agreed besides: but for devices, which are no agreement, December has none.
        await Agree("{}");
        await server.PassUntil("2027-01-01");
        Assert.Equal(["devices"], (await Metered("2026-12-01", "2027-01-01")).Keys);
        Assert.Equal(november, await Metered("2026-11-01", "2026-12-01"));
    }

    [Fact]
    public async Task What_was_foreseen_on_the_first_is_metered_and_files_tell_it_apart_from_use()
    {
        await server.PassUntil("2026-12-01");
        await Agree(
            """
            {
              "fixed": [ { "id": "desk", "name": "Night desk", "amount": 60, "region": "aldmouth" } ],
              "allowances": [ { "id": "reads", "name": "Reads", "charge": "reads", "quantity": 1000 } ],
              "commitments": [
                { "id": "all", "name": "All", "amount": 100000, "through": "2026-12" },
                { "id": "off", "name": "Off", "amount": 0, "discount": 0.1 }
              ]
            }
            """
        );
        const string derivation = "/api/forecast/derivation?month=2026-12&bucket=*";
        var foreseen = (await server.Get(derivation)).Body["agreed"]!["lines"]!
            .AsArray()
            .GroupBy(l => (string)l!["charge"]!)
            .ToDictionary(g => g.Key, g => g.Sum(l => (double)l!["amount"]!));
        Assert.Equal(["allowance", "commitment", "devices", "discount", "fixed"], foreseen.Keys.Order());
        var year = (await server.Get("/api/forecast?months=12&by=bucket")).Body;
        var line = year["lines"]!.AsArray().Single(l => (string)l!["key"]! == "*")!;
        Assert.Equal(foreseen.Values.Sum(), (double)line["money"]![0]!, 1e-9 * 100_000);
        await server.PassUntil("2027-01-01");
        var metered = await Metered("2026-12-01", "2027-01-01");
        Assert.Equal(foreseen.Keys.Order(), metered.Keys.Order());
        // What workloads bring was not to be foreseen to the cent on the first; what does not hang on use was.
        Assert.Equal((60, foreseen["devices"]), (metered["fixed"], metered["devices"]));
        var all = (await server.Get("/api/ledger?from=2026-12-01&to=2027-01-01")).Body.AsArray();
        var used = all.Where(l => (string)l!["bucket"]! != "").Sum(l => (double)l!["amount"]!);
        Assert.Equal(-0.1 * (used + metered["allowance"]), metered["discount"], 1e-6);
        Assert.Equal(100_000, used + metered["allowance"] + metered["discount"] + metered["commitment"], 1e-6);

        var focus = (
            await server.Http.GetStringAsync(new Uri("/api/ledger/rows.focus.csv?from=2026-12-31&to=2027-01-01", UriKind.Relative))
        ).Split("\r\n");
        var header = focus[0].Split(',');
        var categories = focus
            .Skip(1)
            .Where(l => l.Length > 0)
            .Select(l => l.Split(','))
            .GroupBy(l => l[Array.IndexOf(header, "ChargeDescription")].Split(' ')[0])
            .ToDictionary(g => g.Key, g => g.Select(l => l[Array.IndexOf(header, "ChargeCategory")]).Distinct().Single());
        Assert.Equal(
            ("Purchase", "Purchase", "Purchase", "Credit", "Usage"),
            (categories["fixed"], categories["devices"], categories["commitment"], categories["discount"], categories["storage"])
        );
        foreach (var format in (string[])["xlsx", "parquet", "focus.csv", "csv"])
        {
            foreach (var what in (string[])["ledger/rows", "forecast/rows"])
                Assert.NotEmpty(await server.Http.GetByteArrayAsync(new Uri($"/api/{what}.{format}?months=3", UriKind.Relative)));
        }
    }

    [Fact]
    public async Task What_cannot_be_agreed_is_refused_at_its_place()
    {
        var (body, tag) = await server.Get("/api/prices");
        foreach (
            var (agreements, code) in new[]
            {
                ("""{ "fixed": [ { "id": "a", "name": "A", "amount": -1 } ] }""", "out-of-range"),
                ("""{ "fixed": [ { "id": "a", "name": "A", "amount": 1, "from": "May" } ] }""", "invalid-month"),
                ("""{ "allowances": [ { "id": "a", "name": "A", "charge": "early-leave", "quantity": 1 } ] }""", "unknown-choice"),
                ("""{ "commitments": [ { "id": "a", "name": "A", "amount": 1, "region": "moon" } ] }""", "unknown-reference"),
                ("""{ "commitments": [ { "id": "a", "name": "A", "amount": 0 } ] }""", "nothing-agreed"),
            }
        )
        {
            body["prices"]!["agreements"] = JsonNode.Parse(agreements);
            Assert.Equal(
                (HttpStatusCode.BadRequest, code),
                await server.Refused(HttpMethod.Put, "/api/prices", body["prices"]!.ToJsonString(), tag)
            );
        }
    }
}
