using System.Globalization;
using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>What a draft would cost, and a drawn future, open over HTTP without being stored: every amount that is shown equals what opens.</summary>
public sealed class SupposedHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private Task<JsonNode> Why(string asked, JsonNode assumptions) =>
        server.Did(HttpMethod.Post, $"/api/forecast/derivation?{asked}", Supposed(assumptions).ToJsonString());

    private async Task<JsonNode> Why(string asked) => (await server.Get($"/api/forecast/derivation?{asked}")).Body;

    private static JsonObject Supposed(JsonNode assumptions) =>
        new()
        {
            ["id"] = "supposed",
            ["name"] = "Supposed",
            ["assumptions"] = assumptions.DeepClone(),
        };

    private static string Span(JsonNode year) => $"month={year["from"]}&to={year["to"]}";

    private static double Lines(JsonNode of) => of["lines"]!.AsArray().Sum(l => (double)l!["amount"]!);

    private async Task Opens(double amount, string asked, JsonNode assumptions)
    {
        var opened = await Why(asked, assumptions);
        Assert.Equal(amount, (double)opened["amount"]!, Math.Max(1, Math.Abs(amount)) * 1e-9);
        Assert.Equal(amount, Lines(opened), Math.Max(1, Math.Abs(amount)) * 1e-9);
    }

    [Fact]
    public async Task What_a_buckets_draft_would_cost_opens_down_to_a_price()
    {
        var bucket = (await server.Get("/api/buckets/engine-telemetry?stock=false")).Body;
        bucket["rules"] = JsonNode.Parse("""[{ "id": "x", "steps": [{ "age": 40, "tier": "cellar" }], "expireAt": 500 }]""");
        var draft = await server.Did(HttpMethod.Post, "/api/buckets/engine-telemetry/draft", bucket.ToJsonString());
        var assume = JsonNode.Parse(
            $$"""[{ "bucket": { "stated": "{{(await server.Get("/api/estate")).Body["today"]}}", "as": {{bucket.ToJsonString()}} } }]"""
        )!;
        var cost = draft["consequences"]!["cost"]!.AsArray();
        Assert.NotEqual((double)cost[0]!["bucketBefore"]!, (double)cost[0]!["bucketAfter"]!, 1.0);
        foreach (var year in cost)
        {
            await Opens((double)year!["bucketAfter"]!, $"{Span(year)}&bucket=engine-telemetry", assume);
            await Opens((double)year["estateAfter"]!, Span(year), assume);
        }
        foreach (var charge in draft["consequences"]!["charges"]!.AsArray())
            await Opens((double)charge!["after"]!, $"{Span(cost[0]!)}&bucket=engine-telemetry&charge={charge["charge"]}", assume);
        var price = await Why("month=2027-05&bucket=engine-telemetry&tier=cellar&charge=storage", assume);
        Assert.Equal((double)price["amount"]!, price["derivation"]!["terms"]!.AsArray().Sum(t => (double)t!["amount"]!), 1e-9);
        Assert.True((double)price["amount"]! > 0);
        Assert.Equal(
            (HttpStatusCode.NotFound, "not-charged"),
            await server.Refused(
                HttpMethod.Get,
                "/api/forecast/derivation?month=2027-05&bucket=engine-telemetry&tier=cellar&charge=storage"
            )
        );
        // Nothing is stored.
        Assert.Equal((double)cost[0]!["bucketBefore"]!, (double)(await Why($"{Span(cost[0]!)}&bucket=engine-telemetry"))["amount"]!, 1e-6);
    }

    [Fact]
    public async Task What_a_draft_of_the_price_book_would_cost_opens_and_is_kept_and_comes_back_as_that_draft()
    {
        var book = (await server.Get("/api/prices")).Body["prices"]!;
        book["regions"]![0]!["prices"]![0]!["writes"] = 2.5;
        book["schemes"]![0]!["storageFactor"] = 1.75;
        book["changes"] = JsonNode.Parse(
            """[{ "from": "2027-03-17", "transfers": [{ "from": "aldmouth", "to": "kestrel-sound", "price": 0.07 }] }]"""
        );
        var draft = await server.Did(HttpMethod.Post, "/api/prices/draft", book.ToJsonString());
        var assume = draft["assume"]!;
        foreach (var year in draft["cost"]!.AsArray())
        {
            Assert.NotEqual((double)year!["estateBefore"]!, (double)year["estateAfter"]!, 1.0);
            await Opens((double)year["estateAfter"]!, Span(year), assume);
            Assert.Equal((double)year["estateBefore"]!, (double)(await Why(Span(year)))["amount"]!, 1e-6);
        }
        var writes = await Why("month=2027-05&bucket=engine-telemetry&tier=counter&charge=writes", assume);
        Assert.Equal(2.5, (double)Assert.Single(writes["derivation"]!["terms"]!.AsArray())!["price"]!);

        var parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", Supposed(assume).ToJsonString());
        var again = await server.Did(HttpMethod.Post, "/api/prices/draft", parts["prices"]!.ToJsonString());
        Assert.Equal(draft["cost"]!.ToJsonString(), again["cost"]!.ToJsonString());
        var (tag, list) = ((await server.Get("/api/scenarios")).Tag, new JsonObject { ["scenarios"] = new JsonArray(Supposed(assume)) });
        await server.Did(HttpMethod.Put, "/api/scenarios", list.ToJsonString(), tag);
        var first = draft["cost"]![0]!;
        Assert.Equal(
            (double)first["estateAfter"]!,
            (double)(await Why($"{Span(first)}&scenario=supposed"))["amount"]!,
            1e-9 * (double)first["estateAfter"]!
        );

        await Fails(HttpStatusCode.Conflict, "other-currency", b => b["currency"] = "XTS");
        await Fails(HttpStatusCode.Conflict, "unknown-reference", b => b["regions"]!.AsArray().RemoveAt(0));
        await Fails(HttpStatusCode.BadRequest, "out-of-range", b => b["regions"]![0]!["prices"]![0]!["writes"] = -1);
        await Fails(HttpStatusCode.BadRequest, "missing-property", b => b.AsObject().Remove("tiers"));

        async Task Fails(HttpStatusCode status, string code, Action<JsonNode> spoil)
        {
            var other = book.DeepClone();
            spoil(other);
            var wrong = Supposed(new JsonArray(new JsonObject { ["priceBook"] = other })).ToJsonString();
            Assert.Equal((status, code), await server.Refused(HttpMethod.Post, $"/api/forecast/derivation?{Span(first)}", wrong));
        }
    }

    [Fact]
    public async Task What_other_terms_of_a_line_would_cost_opens()
    {
        var draft = await server.Did(HttpMethod.Post, "/api/replication/lines/aldmouth/kestrel-sound/draft", """{ "price": 0.31 }""");
        foreach (var year in draft["cost"]!.AsArray())
        {
            Assert.True((double)year!["estateAfter"]! > (double)year["estateBefore"]! + 1);
            await Opens((double)year["estateAfter"]!, Span(year), draft["assume"]!);
        }
    }

    [Fact]
    public async Task What_many_and_a_copy_would_cost_opens_as_they_say()
    {
        var many = await server.Did(
            HttpMethod.Post,
            "/api/bucket-changes/draft",
            """{ "buckets": ["port-sonar", "engine-telemetry"], "change": { "putRule": { "id": "x", "expireAt": 400 } } }"""
        );
        Assert.Equal(2, many["assume"]!.AsArray().Count);
        foreach (var one in many["each"]!.AsArray())
        {
            foreach (var year in one!["cost"]!.AsArray())
                await Opens((double)year!["bucketAfter"]!, $"{Span(year)}&bucket={one["name"]}", many["assume"]!);
        }
        foreach (var year in many["cost"]!.AsArray())
        {
            await Opens((double)year!["bucketBefore"]!, $"{Span(year)}&bucket=engine-telemetry,port-sonar", new JsonArray());
            await Opens((double)year["bucketAfter"]!, $"{Span(year)}&bucket=port-sonar,engine-telemetry", many["assume"]!);
        }
        var copy = await server.Did(
            HttpMethod.Post,
            "/api/replication/drafts",
            """
            { "source": "crew-records", "rule": { "bucket": "crew-far", "followDeletions": true }, "switchVersioningOn": true,
              "newBucket": { "name": "crew-far", "region": "kestrel-sound", "scheme": "one-site", "tier": "counter" } }
            """
        );
        Assert.NotEqual(copy["assumeWith"]!.ToJsonString(), copy["assumeWithout"]!.ToJsonString());
        foreach (var which in new[] { "Without", "With" })
        {
            foreach (var year in copy[$"cost{which}"]!.AsArray())
                await Opens((double)year!["estateAfter"]!, Span(year), copy[$"assume{which}"]!);
        }
    }

    /// <summary>Every cell of a what-if's table: what one assumption changes, given those before it, down to two charges that open.</summary>
    [Theory]
    [InlineData("bucket")]
    [InlineData("charge")]
    [InlineData("year")]
    public async Task What_each_assumption_changes_opens_into_the_changes_that_make_it(string by)
    {
        var scenario = (await server.Get("/api/scenarios")).Body["scenarios"]!
            .AsArray()
            .Single(s => (string)s!["id"]! == "two-more-ferries")!;
        var assumptions = scenario["assumptions"]!.AsArray();
        var told = (await server.Get($"/api/scenarios/two-more-ferries/difference?months=36&by={by}")).Body["difference"]!;
        var opened = 0;
        foreach (var line in told["lines"]!.AsArray().Where(l => (string)l!["key"]! != ""))
        {
            var part = by == "year" ? "" : $"&{by}={line!["key"]}";
            foreach (var (change, step) in line!["changes"]!.AsArray().Select((c, i) => ((double)c!, i)).Where(c => c.Item1 != 0))
            {
                var first = new JsonArray([.. assumptions.Take(step + 1).Select(a => a!.DeepClone())]);
                var why = await Why($"{Span(line)}{part}&change=true", first);
                var near = Math.Max(1, Math.Abs((double)line["after"]!)) * 1e-9;
                Assert.Equal(change, (double)why["amount"]!, near);
                Assert.Equal(change, Lines(why), near);
                Assert.Equal(change, (double)why["change"]!["after"]! - (double)why["change"]!["before"]!, near);
                opened++;
            }
        }
        Assert.True(opened > 8, $"{opened} opened");
    }

    [Fact]
    public async Task A_change_opens_down_to_a_charge_and_is_refused_where_nothing_is_assumed()
    {
        var assumed = JsonNode.Parse("""[{ "growth": { "bucket": "deck-cameras", "arrivals": 2 } }, { "reading": { "times": 3 } }]""")!;
        const string month = "month=2028-03";
        foreach (var bucket in (await Why($"{month}&change=true", assumed))["lines"]!.AsArray())
        {
            var of = $"{month}&bucket={bucket!["bucket"]}";
            var charges = await Why($"{of}&change=true", assumed);
            Assert.Equal((double)bucket["amount"]!, (double)charges["amount"]!, 1e-9);
            foreach (var charge in charges["lines"]!.AsArray())
            {
                var leaf = $"{of}&tier={charge!["tier"]}&charge={charge["charge"]}";
                var told = await Why($"{leaf}&change=true", assumed);
                Assert.Equal((double)charge["amount"]!, (double)told["amount"]!, 1e-9);
                Assert.Equal((double)told["change"]!["after"]!, (double)(await Why(leaf, assumed))["derivation"]!["row"]!["amount"]!, 1e-9);
            }
        }
        foreach (
            var (wrong, status, code) in new[]
            {
                ($"{month}&change=true", HttpStatusCode.BadRequest, "nothing-assumed"),
                ("month=2026-11&charged=true&change=true", HttpStatusCode.BadRequest, "out-of-range"),
                ($"{month}&change=true&scenario=nobodys", HttpStatusCode.NotFound, "no-scenario"),
            }
        )
            Assert.Equal((status, code), await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?{wrong}"));
        var dearer = $"{month}&scenario=dearer-storage";
        Assert.Equal((double)(await Why(dearer))["amount"]!, (double)(await Why($"{dearer}&change=true"))["change"]!["after"]!, 1e-9);
    }

    /// <summary>With prices alone the future's money is the forecast's times (1 + rise)^(months / 12), whatever was drawn; with growth and reading it
    /// is within what the points between which it was drawn allow.</summary>
    [Fact]
    public async Task A_quantile_opens_as_the_future_that_is_nearest_to_it()
    {
        var fan = (await server.Get("/api/forecast/fan?months=36&runs=400&growth=-0.1,0.1,0.4&reading=0.5,1,3&prices=-0.05,0.02,0.1")).Body;
        var years = fan["years"]!.AsArray().Append(Total(fan)).ToList();
        Assert.Equal(4, years.Count);
        foreach (var year in years)
        {
            var futures = year!["money"]!["nearest"]!.AsArray();
            foreach (var (bound, i) in new[] { "p10", "p50", "p90" }.Select((b, i) => (b, i)))
            {
                var opened = await Why($"{Span(year)}&rise={Text(futures[i]!["prices"]!)}", Assumed(futures[i]!));
                var amount = (double)year["money"]![bound]!;
                Assert.Equal(amount, (double)opened["amount"]!, amount * 5e-3);
                Assert.Equal((double)opened["amount"]!, Lines(opened), 1e-6);
            }
        }
        var plain = (await server.Get("/api/forecast?months=24")).Body["money"]!.AsArray();
        var dearer = (await server.Get("/api/forecast/fan?months=24&runs=101&prices=-0.1,0,0.3")).Body["money"]![18]!;
        var future = dearer["nearest"]![2]!;
        Assert.Equal((0, 1), ((double)future["growth"]!, (double)future["reading"]!));
        var month = await Why($"month=2028-05&rise={Text(future["prices"]!)}");
        Assert.Equal(Math.Pow(1 + (double)future["prices"]!, 1.5), (double)month["risen"]!["times"]!, 1e-12);
        Assert.Equal((double)plain[18]! * (double)month["risen"]!["times"]!, (double)month["amount"]!, 1e-6);
        Assert.Equal((double)dearer["p90"]!, (double)month["amount"]!, 1e-6);
        Assert.Equal((double)month["amount"]!, Lines(month), 1e-6);
        var charge = await Why($"month=2028-05&bucket=deck-cameras&tier=counter&charge=storage&rise={Text(future["prices"]!)}");
        Assert.Equal(
            (double)charge["amount"]!,
            (double)charge["risen"]!["times"]! * charge["derivation"]!["terms"]!.AsArray().Sum(t => (double)t!["amount"]!),
            1e-9
        );

        static string Text(JsonNode number) => ((double)number).ToString("R", CultureInfo.InvariantCulture);

        static JsonArray Assumed(JsonNode future) =>
            [
                new JsonObject { ["growth"] = new JsonObject { ["yearlyGrowth"] = (double)future["growth"]! } },
                new JsonObject { ["reading"] = new JsonObject { ["times"] = (double)future["reading"]! } },
            ];

        static JsonObject Total(JsonNode fan) =>
            new()
            {
                ["from"] = fan["months"]![0]!.DeepClone(),
                ["to"] = fan["months"]![35]!.DeepClone(),
                ["money"] = fan["total"]!.DeepClone(),
            };
    }

    [Fact]
    public async Task What_is_assumed_comes_on_top_of_a_scenario_and_is_checked()
    {
        var twice = JsonNode.Parse("""[{ "reading": { "times": 2 } }]""")!;
        const string asked = "month=2027-03&charge=reads";
        var (plain, doubled) = ((double)(await Why(asked))["amount"]!, (double)(await Why(asked, twice))["amount"]!);
        Assert.Equal(2 * plain, doubled, 1e-6);
        const string under = $"{asked}&scenario=two-more-ferries";
        Assert.Equal(2 * (double)(await Why(under))["amount"]!, (double)(await Why(under, twice))["amount"]!, 1e-6);
        Assert.Equal((double)(await Why(asked))["amount"]!, (double)(await Why(asked, new JsonArray()))["amount"]!);
        foreach (
            var (wrong, body, status, code) in new[]
            {
                ("month=2027-03", """[{ "reading": { "times": -1 } }]""", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2027-03", """[{ "reading": { "times": 1 }, "offer": "x" }]""", HttpStatusCode.BadRequest, "not-one-assumption"),
                ("month=2027-03", """[{ "offer": "nobodys" }]""", HttpStatusCode.Conflict, "unknown-reference"),
                ("month=2027-03", """[{ "growth": { "yearlyGrowth": -3 } }]""", HttpStatusCode.Conflict, "shrinks-to-nothing"),
                ("month=2027-03&scenario=none", """[{ "reading": { "times": 2 } }]""", HttpStatusCode.NotFound, "no-scenario"),
                ("month=2026-11&charged=true", """[{ "reading": { "times": 2 } }]""", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2027-03&rise=-1", "[]", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2027-03&rise=NaN", "[]", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2026-11&charged=true&rise=0.1", "[]", HttpStatusCode.BadRequest, "out-of-range"),
            }
        )
        {
            Assert.Equal(
                (status, code),
                await server.Refused(HttpMethod.Post, $"/api/forecast/derivation?{wrong}", Supposed(JsonNode.Parse(body)!).ToJsonString())
            );
        }
        Assert.Equal(
            (HttpStatusCode.BadRequest, "invalid-json"),
            await server.Refused(HttpMethod.Post, "/api/forecast/derivation?month=2027-03", """{ "id": """)
        );
    }
}
