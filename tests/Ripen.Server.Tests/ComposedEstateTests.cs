using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>What one sees is composed of what was decided and what the provider holds.</summary>
public sealed class ComposedEstateTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<double> Rate() =>
        (await server.Get("/api/buckets/voyage-recorders")).Body["streams"]![0]!["objectsPerDay"]!.GetValue<double>();

    [Fact]
    public async Task A_streams_rate_has_grown_and_saving_it_as_shown_changes_nothing()
    {
        await server.PassUntil("2027-02-09");
        Assert.Equal(64 * Math.Pow(1.06, 100 / 365.0), await Rate(), 9);
        var forecast = await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=30", UriKind.Relative));
        var (bucket, tag) = await server.Get("/api/buckets/voyage-recorders");
        (await server.Send(HttpMethod.Put, "/api/buckets/voyage-recorders", bucket.ToJsonString(), tag)).EnsureSuccessStatusCode();
        Assert.Equal(forecast, await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=30", UriKind.Relative)));
        await server.PassUntil("2027-03-11");
        Assert.Equal(64 * Math.Pow(1.06, 130 / 365.0), await Rate(), 9);
    }

    [Fact]
    public async Task A_catch_up_is_queued_once_and_what_waits_outlives_a_restart()
    {
        var (bucket, tag) = await server.Get("/api/buckets/crew-records");
        bucket["copyTo"] = new JsonArray(
            new JsonObject
            {
                ["bucket"] = "ticketing-backups",
                ["prefix"] = "",
                ["catchUp"] = true,
            }
        );
        (await server.Send(HttpMethod.Put, "/api/buckets/crew-records", bucket.ToJsonString(), tag)).EnsureSuccessStatusCode();
        var stock = await Objects("crew-records");
        var before = await Objects("ticketing-backups");
        Assert.Equal((false, stock), await Rule());
        server.Restart();
        Assert.Equal((false, stock), await Rule());
        await server.PassUntil("2026-11-02");
        Assert.Equal((false, 0), await Rule());
        // The day's own 140 come along, and five nightly backups arrive.
        Assert.InRange(await Objects("ticketing-backups") - before - stock, 140, 146);

        async Task<(bool CatchUp, double Waiting)> Rule()
        {
            var rule = (await server.Get("/api/buckets/crew-records")).Body["copyTo"]![0]!;
            return (rule["catchUp"]!.GetValue<bool>(), rule["waiting"]!.AsArray().Sum(w => w!["objects"]!.GetValue<double>()));
        }

        async Task<double> Objects(string name) =>
            (await server.Get("/api/estate/board")).Body["buckets"]!.AsArray().Single(b => b!["name"]!.GetValue<string>() == name)![
                "objects"
            ]!.GetValue<double>();
    }

    [Fact]
    public async Task A_bucket_does_not_go_where_what_lies_in_it_has_no_price()
    {
        var (bucket, tag) = await server.Get("/api/buckets/voyage-recorders");
        bucket["region"] = "quarrydown";
        bucket["rules"] = new JsonArray();
        bucket["stock"] = new JsonArray();
        var refused = await server.Send(HttpMethod.Put, "/api/buckets/voyage-recorders", bucket.ToJsonString(), tag);
        var problem = Assert.Single(JsonNode.Parse(await refused.Content.ReadAsStringAsync())!["problems"]!.AsArray());
        Assert.Equal(("not-offered", "$.region"), (problem!["code"]!.GetValue<string>(), problem["path"]!.GetValue<string>()));
        await server.PassUntil("2026-11-03");
    }

    [Fact]
    public async Task A_new_buckets_stock_is_put_at_the_provider_once()
    {
        (
            await server.Send(
                HttpMethod.Post,
                "/api/buckets",
                """
                { "name": "brought-along", "region": "aldmouth", "scheme": "one-site", "tier": "counter",
                  "stock": [{ "prefix": "x/", "created": "2026-01-01", "tier": "pantry", "objects": 12, "fraction": 0.5, "bytesPerObject": 3000 }] }
                """
            )
        ).EnsureSuccessStatusCode();
        for (var i = 0; i < 2; i++)
        {
            var batch = (await server.Get("/api/buckets/brought-along/objects?prefix=x/")).Body["batches"]!.AsArray();
            Assert.Equal((12.5, "pantry"), (batch[0]!["count"]!.GetValue<double>(), batch[0]!["tier"]!.GetValue<string>()));
            Assert.Single(batch);
            server.Restart();
        }
        Assert.Empty((await server.Get("/api/buckets/brought-along?stock=false")).Body["stock"]!.AsArray());
        var lot = (await server.Get("/api/buckets/brought-along")).Body["stock"]![0]!;
        Assert.Equal((12, 0.5), (lot["objects"]!.GetValue<int>(), lot["fraction"]!.GetValue<double>()));
    }
}
