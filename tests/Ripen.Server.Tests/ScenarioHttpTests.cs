using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Scenarios over HTTP: stored, compared, told apart, refused; and what they foretell is what comes of applying their drafts.</summary>
public sealed class ScenarioHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private static JsonObject Scenario(params string[] assumptions) =>
        new()
        {
            ["id"] = "mine",
            ["name"] = "Mine",
            ["assumptions"] = new JsonArray([.. assumptions.Select(a => JsonNode.Parse(a))]),
        };

    private static string List(params JsonNode[] scenarios) => new JsonObject { ["scenarios"] = new JsonArray(scenarios) }.ToJsonString();

    private async Task<JsonNode> Read(JsonNode scenario, string asked = "") =>
        await server.Did(HttpMethod.Post, $"/api/scenarios/difference{asked}", scenario.ToJsonString());

    private async Task<double> Money(int months) =>
        (await server.Get($"/api/forecast?months={months}")).Body["money"]!.AsArray().Sum(m => (double)m!);

    [Fact]
    public async Task A_list_is_stored_as_written_and_outlives_a_restart_and_an_export()
    {
        var tag = (await server.Get("/api/scenarios")).Tag;
        var mine = Scenario("""{ "growth": { "bucket": "deck-cameras", "arrivals": 2 } }""", """{ "reading": { "times": 3 } }""");
        await server.Did(HttpMethod.Put, "/api/scenarios", List(mine), tag);
        Assert.Equal(
            (HttpStatusCode.PreconditionFailed, "changed-meanwhile"),
            await server.Refused(HttpMethod.Put, "/api/scenarios", List(), tag)
        );
        server.Restart();
        var (stored, now) = await server.Get("/api/scenarios");
        Assert.Equal(2, (double)stored["scenarios"]![0]!["assumptions"]![0]!["growth"]!["arrivals"]!);
        var document = await server.Http.GetStringAsync(new Uri("/api/estate/document", UriKind.Relative));
        Assert.Equal("Mine", (string)JsonNode.Parse(document)!["scenarios"]![0]!["name"]!);
        foreach (
            var (wrong, code) in new[]
            {
                (List(Scenario("{}")), "not-one-assumption"),
                (List(Scenario("""{ "reading": { "times": "twice" } }""")), "wrong-type"),
                (List(mine.DeepClone(), mine.DeepClone()), "duplicate-id"),
                ("""{ "scenario": [] }""", "unknown-property"),
            }
        )
        {
            Assert.Equal((HttpStatusCode.BadRequest, code), await server.Refused(HttpMethod.Put, "/api/scenarios", wrong, now));
        }
        Assert.Equal(now, (await server.Get("/api/scenarios")).Tag);
    }

    [Fact]
    public async Task What_a_scenario_foretells_is_what_its_drafts_bring()
    {
        var scenario = Scenario(
            """{ "growth": { "bucket": "engine-telemetry", "arrivals": 1.5 } }""",
            """{ "place": { "bucket": "harbour-notices", "scheme": "one-site" } }""",
            """{ "prices": { "charge": "storage", "tier": "cave", "times": 2 } }"""
        );
        var before = await Money(24);
        var foretold = await Read(scenario, "?months=24&by=tier");
        var totals = foretold["difference"]!["totals"]!.AsArray().Select(t => (double)t!).ToList();
        Assert.Equal(4, totals.Count);
        Assert.Equal(before, totals[0], before * 1e-11);
        Assert.Equal(totals[^1], foretold["outlook"]!["money"]!.AsArray().Sum(m => (double)m!), before * 1e-11);
        Assert.Equal(before, await Money(24));

        var parts = await server.Did(HttpMethod.Post, "/api/scenarios/parts", scenario.ToJsonString());
        Assert.Equal(["engine-telemetry", "harbour-notices"], parts["buckets"]!.AsArray().Select(b => (string)b!["name"]!).Order());
        foreach (var bucket in parts["buckets"]!.AsArray())
        {
            var tag = (await server.Get($"/api/buckets/{bucket!["name"]}?stock=false")).Tag;
            await server.Did(HttpMethod.Put, $"/api/buckets/{bucket["name"]}", bucket.ToJsonString(), tag);
        }
        await server.Did(HttpMethod.Put, "/api/prices", parts["prices"]!.ToJsonString(), (await server.Get("/api/prices")).Tag);
        Assert.Equal(totals[^1], await Money(24), before * 1e-11);
        Assert.NotEqual(before, await Money(24));
    }

    [Fact]
    public async Task One_assumption_is_a_part_of_its_own_and_a_draft_of_another_bucket_is_a_new_one()
    {
        var only = await server.Did(
            HttpMethod.Post,
            "/api/scenarios/parts",
            Scenario("""{ "prices": { "from": "2031-01-01", "times": 1.5 } }""").ToJsonString()
        );
        Assert.Empty(only["buckets"]!.AsArray());
        Assert.Equal("2031-01-01", (string)only["prices"]!["changes"]!.AsArray()[^1]!["from"]!);
        var added = await server.Did(
            HttpMethod.Post,
            "/api/scenarios/parts",
            Scenario(
                    """
                    { "bucket": { "stated": "2026-11-01", "as": { "name": "fog-horns", "region": "aldmouth", "scheme": "one-site", "tier": "counter",
                      "streams": [ { "objectsPerDay": 5, "bytesPerObject": 1000000 } ] } } }
                    """
                )
                .ToJsonString()
        );
        Assert.Equal("fog-horns", (string)added["buckets"]![0]!["name"]!);

        // A bucket that is only assumed is nothing that the provider knows, also when it is assumed again.
        const string horns = """
            { "bucket": { "stated": "2026-11-01", "as": { "name": "fog-horns", "region": "aldmouth", "scheme": "one-site", "tier": "counter",
              "rules": [ { "id": "old", "prefix": "old/", "expireAt": 30 } ] } } }
            """;
        const string other = """
            { "bucket": { "stated": "2026-11-01", "as": { "name": "fog-horns", "region": "aldmouth", "scheme": "one-site", "tier": "counter",
              "rules": [ { "id": "loud", "prefix": "loud/", "expireAt": 9 } ] } } }
            """;
        var again = await server.Did(HttpMethod.Post, "/api/scenarios/parts", Scenario(horns, other).ToJsonString());
        Assert.Equal("loud", (string)again["buckets"]!.AsArray().Single()!["rules"]![0]!["id"]!);
    }

    [Fact]
    public async Task What_does_not_fit_is_said_and_the_others_are_compared_all_the_same()
    {
        var tag = (await server.Get("/api/scenarios")).Tag;
        var (gone, fits) = (
            Scenario("""{ "reading": { "bucket": "long-gone", "times": 1 } }"""),
            Scenario("""{ "reading": { "times": 2 } }""")
        );
        fits["id"] = "fits";
        await server.Did(HttpMethod.Put, "/api/scenarios", List(gone, fits), tag);
        var outlooks = (await server.Get("/api/scenarios/comparison?months=36")).Body["outlooks"]!.AsArray();
        Assert.Equal(["", "mine", "fits"], outlooks.Select(o => (string)o!["id"]!));
        Assert.Equal([3, 0, 3], outlooks.Select(o => o!["years"]!.AsArray().Count));
        Assert.Equal("$.assumptions[0].reading.bucket", (string)outlooks[1]!["problems"]![0]!["path"]!);
        Assert.Null((await Read(gone))["difference"]);
        Assert.Equal((HttpStatusCode.NotFound, "no-scenario"), await server.Refused(HttpMethod.Get, "/api/scenarios/none/difference"));
        foreach (
            var (asked, code) in new[]
            {
                ("?by=moon", "unknown-choice"),
                ("?months=12&first=12", "out-of-range"),
                ("?months=12&first=2&count=11", "out-of-range"),
                ("?months=12&first=-1", "out-of-range"),
                ("?months=0", "out-of-range"),
            }
        )
        {
            Assert.Equal((HttpStatusCode.BadRequest, code), await server.Refused(HttpMethod.Get, $"/api/scenarios/fits/difference{asked}"));
        }
        var year = (await server.Get("/api/scenarios/fits/difference?months=36&first=12&count=12&by=year")).Body["difference"]!;
        Assert.Equal((double)outlooks[2]!["years"]![1]!["money"]!, (double)year["totals"]!.AsArray()[^1]!, 1e-6);
    }

    /// <summary>Of many scenarios only money is held: what comes next is counted from what is at hand, or from the estate as it stands.</summary>
    [Fact]
    public async Task Figures_are_the_same_in_whatever_order_scenarios_are_looked_at()
    {
        string[] all =
        [
            """{ "growth": { "arrivals": 1.5, "yearlyGrowth": 0.05 } }""",
            """{ "prices": { "from": "2027-03-15", "times": 1.25 } }""",
            """{ "reading": { "times": 3 } }""",
        ];
        var straight = (await Read(Scenario(all), "?months=18&by=charge"))["difference"]!.ToJsonString();
        foreach (var other in all.Reverse())
            await Read(Scenario(other), "?months=18");
        using var another = new TestServer();
        foreach (var some in new[] { all[..1], all[1..2], all[..2], all[2..] })
            await another.Did(HttpMethod.Post, "/api/scenarios/difference?months=18", Scenario(some).ToJsonString());
        var roundabout = await another.Did(HttpMethod.Post, "/api/scenarios/difference?months=18&by=charge", Scenario(all).ToJsonString());
        Assert.Equal(Numbers(straight), Numbers(roundabout["difference"]!.ToJsonString()));
        var tag = (await another.Get("/api/scenarios")).Tag;
        await another.Did(HttpMethod.Put, "/api/scenarios", List(Scenario(all)), tag);
        await another.Get("/api/scenarios/comparison?months=18");
        var csv = await another.Http.GetStringAsync(new Uri("/api/scenarios/mine/rows.csv?months=18", UriKind.Relative));
        var sum = csv.Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .Skip(1)
            .Sum(l => double.Parse(l.TrimEnd('\r').Split(',')[7], System.Globalization.CultureInfo.InvariantCulture));
        Assert.Equal((double)JsonNode.Parse(straight)!["totals"]!.AsArray()[^1]!, sum, 1e-6);

        static List<double> Numbers(string json) =>
            [
                .. System
                    .Text.RegularExpressions.Regex.Matches(json, "-?[0-9]+(\\.[0-9]+)?([eE][-+]?[0-9]+)?")
                    .Select(m => Math.Round(double.Parse(m.Value, System.Globalization.CultureInfo.InvariantCulture), 6)),
            ];
    }

    [Fact]
    public async Task Every_row_of_a_scenario_adds_up_to_its_outlook()
    {
        var months = 12;
        var csv = await server.Http.GetStringAsync(new Uri($"/api/scenarios/sonar-ages/rows.csv?months={months}", UriKind.Relative));
        var rows = csv.Split('\n', StringSplitOptions.RemoveEmptyEntries).Skip(1).Select(l => l.TrimEnd('\r').Split(',')).ToList();
        var outlook = (await server.Get($"/api/scenarios/comparison?months={months}")).Body["outlooks"]!
            .AsArray()
            .Single(o => (string)o!["id"]! == "sonar-ages")!;
        var sum = rows.Sum(r => double.Parse(r[7], System.Globalization.CultureInfo.InvariantCulture));
        Assert.Equal((double)outlook["years"]![0]!["money"]!, sum, 1e-6);
        Assert.Contains(rows, r => r[1] == "port-sonar" && r[3] == "pantry");
        using var sheet = await server.Http.GetAsync(new Uri("/api/scenarios/sonar-ages/rows.xlsx?months=12", UriKind.Relative));
        Assert.Equal("PK"u8.ToArray(), (await sheet.Content.ReadAsByteArrayAsync())[..2]);
        Assert.Equal(
            (HttpStatusCode.BadRequest, "unknown-choice"),
            await server.Refused(HttpMethod.Get, "/api/scenarios/sonar-ages/rows.doc")
        );
    }

    [Fact]
    public async Task How_sure_is_asked_with_three_numbers_each_also_of_a_scenario()
    {
        var known = (await server.Get("/api/forecast/fan?months=24&runs=5")).Body;
        Assert.Equal(await Money(24), (double)known["total"]!["p50"]!, 1e-6);
        Assert.Empty(known["drivers"]!.AsArray());
        const string asked = "/api/forecast/fan?months=24&runs=300&growth=0,0.1,0.4&prices=-0.05,0,0.05";
        var fan = (await server.Get($"{asked}&seed=4")).Body;
        var total = fan["total"]!;
        Assert.True((double)total["p10"]! < (double)total["p50"]! && (double)total["p50"]! < (double)total["p90"]!);
        Assert.True((double)total["p50"]! > await Money(24));
        Assert.Equal(["growth", "prices"], fan["drivers"]!.AsArray().Select(d => (string)d!["driver"]!).Order());
        Assert.Equal(fan.ToJsonString(), (await server.Get($"{asked}&seed=4")).Body.ToJsonString());
        Assert.NotEqual(fan.ToJsonString(), (await server.Get($"{asked}&seed=5")).Body.ToJsonString());
        var aged = (await server.Get($"{asked}&seed=4&scenario=sonar-ages")).Body;
        Assert.True((double)aged["total"]!["p90"]! < (double)total["p50"]!);
        foreach (
            var (wrong, status, code) in new[]
            {
                ("growth=0.2,0.1,0.3", HttpStatusCode.BadRequest, "out-of-range"),
                ("growth=0.1", HttpStatusCode.BadRequest, "out-of-range"),
                ("reading=-1,0,1", HttpStatusCode.BadRequest, "out-of-range"),
                ("prices=0,x,1", HttpStatusCode.BadRequest, "out-of-range"),
                ("growth=-1.5,-1,0&months=12", HttpStatusCode.BadRequest, "shrinks-to-nothing"),
                ("runs=0", HttpStatusCode.BadRequest, "out-of-range"),
                ("scenario=none", HttpStatusCode.NotFound, "no-scenario"),
            }
        )
        {
            Assert.Equal((status, code), await server.Refused(HttpMethod.Get, $"/api/forecast/fan?{wrong}"));
        }
    }

    [Fact]
    public async Task Every_amount_of_a_forecast_opens_into_the_buckets_that_make_it()
    {
        var opened = 0;
        foreach (var by in new[] { "tier", "charge", "region", "bucket", "tenant" })
        {
            var series = (await server.Get($"/api/forecast?months=6&by={by}")).Body;
            foreach (var line in series["lines"]!.AsArray())
            {
                var (key, amount) = ((string)line!["key"]!, (double)line["money"]![3]!);
                if (key == "")
                    continue;
                var part = key == "*" && by == "tenant" ? "bucket=*" : $"{by}={Uri.EscapeDataString(key)}";
                var asked = $"/api/forecast/derivation?month={series["months"]![3]}&{part}";
                var why = (await server.Get(asked)).Body;
                Assert.Equal(amount, (double)why["amount"]!, 1e-6);
                foreach (var bucket in why["lines"]!.AsArray().Where(_ => by != "bucket"))
                {
                    var own = (await server.Get($"{asked}&bucket={bucket!["bucket"]}")).Body;
                    Assert.Equal((double)bucket["amount"]!, (double)own["amount"]!, 1e-6);
                    var rows = (own["agreed"] ?? own)["lines"]!.AsArray();
                    Assert.Equal((double)bucket["amount"]!, rows.Sum(l => (double)l!["amount"]!), 1e-6);
                    opened++;
                }
            }
        }
        Assert.True(opened > 40, $"{opened} opened");
        // What is not a tenant's, or elsewhere, does not open as theirs.
        foreach (var other in new[] { "tenant=Safety", "region=kestrel-sound" })
        {
            const string sonar = "/api/forecast/derivation?month=2026-12&bucket=port-sonar";
            Assert.Equal(0, (double)(await server.Get($"{sonar}&{other}")).Body["amount"]!);
            Assert.Equal(
                (HttpStatusCode.NotFound, "not-charged"),
                await server.Refused(HttpMethod.Get, $"{sonar}&{other}&tier=counter&charge=storage")
            );
        }
        foreach (var wrong in new[] { "tenant=Nobody", "region=atlantis", "tier=loft" })
        {
            Assert.Equal(
                (HttpStatusCode.BadRequest, "unknown-reference"),
                await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?month=2026-12&{wrong}")
            );
        }
    }

    [Theory]
    [InlineData("port-sonar,nobody")]
    [InlineData("port-sonar,")]
    [InlineData(",")]
    public async Task Of_several_buckets_one_that_is_not_there_is_refused(string buckets) =>
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-bucket"),
            await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?month=2026-12&bucket={buckets}")
        );

    [Fact]
    public async Task Years_open_into_months_and_a_scenarios_amounts_into_what_makes_them_there()
    {
        const string years = "/api/forecast/derivation?month=2026-11&to=2036-10";
        var series = (await server.Get("/api/forecast?months=120&by=tenant")).Body;
        var pilots = series["lines"]!.AsArray().Single(l => (string)l!["key"]! == "Pilots")!["money"]!.AsArray();
        var told = (await server.Get($"{years}&tenant=Pilots")).Body;
        Assert.Equal(10, told["lines"]!.AsArray().Count);
        foreach (var (year, i) in told["lines"]!.AsArray().Select((l, i) => (l!, i)))
        {
            Assert.Equal(pilots.Skip(12 * i).Take(12).Sum(v => (double)v!), (double)year["amount"]!, 1e-6);
            var months = (await server.Get($"/api/forecast/derivation?month={year["month"]}&to={year["to"]}&tenant=Pilots")).Body;
            Assert.Equal(12, months["lines"]!.AsArray().Count);
            Assert.Equal(
                pilots.Skip(12 * i).Take(12).Select(v => (double)v!),
                months["lines"]!.AsArray().Select(l => (double)l!["amount"]!),
                (a, b) => Math.Abs(a - b) < 1e-6
            );
        }
        var difference = (await server.Get("/api/scenarios/two-more-ferries/difference?by=tier")).Body["difference"]!;
        foreach (var line in difference["lines"]!.AsArray().Where(l => (string)l!["key"]! != ""))
        {
            var asked = $"{years}&tier={line!["key"]}";
            Assert.Equal((double)line["before"]!, (double)(await server.Get(asked)).Body["amount"]!, 1e-4);
            Assert.Equal((double)line["after"]!, (double)(await server.Get($"{asked}&scenario=two-more-ferries")).Body["amount"]!, 1e-4);
        }
        var assumed = (
            await server.Get(
                "/api/forecast/derivation?month=2030-03&bucket=deck-cameras&tier=counter&charge=storage&scenario=two-more-ferries"
            )
        ).Body;
        Assert.Equal((double)assumed["amount"]!, assumed["derivation"]!["terms"]!.AsArray().Sum(t => (double)t!["amount"]!), 1e-6);
        foreach (
            var (wrong, status, code) in new[]
            {
                ("month=2027-03&to=2027-02", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2027-03&to=later", HttpStatusCode.BadRequest, "invalid-month"),
                ("month=2027-03&to=2099-01", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2026-10&to=2027-02", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2026-11&charged=true&scenario=two-more-ferries", HttpStatusCode.BadRequest, "out-of-range"),
                ("month=2027-03&scenario=none", HttpStatusCode.NotFound, "no-scenario"),
            }
        )
        {
            Assert.Equal((status, code), await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?{wrong}"));
        }
    }

    [Fact]
    public async Task An_amount_opens_down_to_its_prices_and_what_was_put_there()
    {
        var series = (await server.Get("/api/forecast?months=6")).Body;
        var (month, amount) = ((string)series["months"]![3]!, (double)series["money"]![3]!);
        Assert.Equal((double)series["years"]![0]!["money"]!, series["lines"]!.AsArray().Sum(l => (double)l!["yearMoney"]![0]!), 1e-6);
        var all = (await server.Get($"/api/forecast/derivation?month={month}")).Body;
        Assert.Equal(amount, (double)all["amount"]!, 1e-6);
        Assert.Equal(amount, Sum(all), 1e-6);
        var opened = 0;
        foreach (var bucket in all["lines"]!.AsArray())
        {
            var of = $"/api/forecast/derivation?month={month}&bucket={bucket!["bucket"]}";
            var rows = (await server.Get(of)).Body;
            if ((string)bucket["bucket"]! == "*")
            {
                Assert.Equal((double)bucket["amount"]!, rows["agreed"]!["lines"]!.AsArray().Sum(l => (double)l!["amount"]!), 1e-6);
                continue;
            }
            Assert.Equal((double)bucket["amount"]!, Sum(rows), 1e-6);
            foreach (var row in rows["lines"]!.AsArray())
            {
                var told = (await server.Get($"{of}&tier={row!["tier"]}&charge={row["charge"]}")).Body["derivation"]!;
                Assert.Equal((double)row["amount"]!, told["terms"]!.AsArray().Sum(t => (double)t!["amount"]!), 1e-6);
                opened++;
            }
        }
        Assert.True(opened > 20, $"{opened} charges");
        foreach (
            var (wrong, status, code) in new[]
            {
                ("month=2020-01", HttpStatusCode.NotFound, "not-charged"),
                ("month=soon", HttpStatusCode.BadRequest, "invalid-month"),
                ("month=2090-01", HttpStatusCode.BadRequest, "out-of-range"),
                ($"month={month}&bucket=none", HttpStatusCode.NotFound, "no-bucket"),
                ($"month={month}&bucket=port-sonar&tier=loft&charge=storage", HttpStatusCode.BadRequest, "unknown-reference"),
                ($"month={month}&bucket=port-sonar&tier=counter&charge=tea", HttpStatusCode.BadRequest, "unknown-choice"),
                ($"month={month}&bucket=port-sonar&tier=cave&charge=storage", HttpStatusCode.NotFound, "not-charged"),
            }
        )
        {
            Assert.Equal((status, code), await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?{wrong}"));
        }

        static double Sum(JsonNode of) => of["lines"]!.AsArray().Sum(l => (double)l!["amount"]!);
    }
}
