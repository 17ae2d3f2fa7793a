using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>What was charged opens over HTTP: from a month to its buckets, their charges, prices and days.</summary>
public sealed class ChargedHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<JsonNode> Why(string asked) => (await server.Get($"/api/forecast/derivation?{asked}")).Body;

    private static double Sum(JsonNode list) => list.AsArray().Sum(l => (double)l!["amount"]!);

    [Theory]
    [InlineData("month=2026-11")]
    [InlineData("month=2026-12&charged=true")]
    public async Task A_month_that_was_charged_opens_down_to_prices_and_days(string asked)
    {
        await server.PassUntil("2026-12-10");
        var month = asked.Substring("month=".Length, "yyyy-MM".Length);
        var all = await Why(asked);
        var ledger = (await server.Get($"/api/ledger?from={month}-01&to={(month == "2026-11" ? "2026-12-01" : "2027-01-01")}")).Body;
        Assert.Equal(Sum(ledger), (double)all["amount"]!, 1e-6);
        Assert.Equal(Sum(ledger), Sum(all["lines"]!), 1e-6);
        Assert.True((bool)all["isCharged"]!);
        var opened = 0;
        foreach (var bucket in all["lines"]!.AsArray())
        {
            var of = $"{asked}&bucket={bucket!["bucket"]}";
            var charges = (await Why(of))["lines"]!;
            Assert.Equal((double)bucket["amount"]!, Sum(charges), 1e-6);
            foreach (var charge in charges.AsArray())
            {
                var tier = (string?)charge!["tier"] is { } id ? $"&tier={id}" : "";
                var told = (await Why($"{of}{tier}&charge={charge["charge"]}"))["metered"]!;
                Assert.Equal((double)charge["amount"]!, Sum(told["days"]!), 1e-6);
                Assert.Equal((double)charge["amount"]!, Sum(told["terms"]!) + (double)told["rest"]!, 1e-6);
                if ((string)charge["charge"]! is "recall" or "transfer")
                    Assert.Equal(0, (double)told["rest"]!, 1e-6);
                opened++;
            }
        }
        Assert.True(opened > 40, $"{opened} opened");
        Assert.Contains(all["lines"]!.AsArray(), l => (string)l!["bucket"]! == "*");
    }

    /// <summary>What was charged, and what is to come.</summary>
    [Fact]
    public async Task Several_buckets_open_together_and_each_of_them_is_a_part()
    {
        await server.PassUntil("2026-12-10");
        foreach (var month in new[] { "2026-11", "2027-03" })
        {
            foreach (var of in new[] { $"month={month}", $"month={month}&tier=counter", $"month={month}&tier=counter&charge=storage" })
            {
                var all = (await Why(of))["lines"]!.AsArray().ToDictionary(l => (string)l!["bucket"]!, l => (double)l!["amount"]!);
                var together = await Why($"{of}&bucket=port-sonar,crew-records,*");
                var lines = together["lines"]!.AsArray().ToDictionary(l => (string)l!["bucket"]!, l => (double)l!["amount"]!);
                Assert.Equal(all.Keys.Intersect(["*", "crew-records", "port-sonar"]).Order(), lines.Keys.Order());
                Assert.True(lines.Count > 1, of);
                Assert.All(lines, l => Assert.Equal(all[l.Key], l.Value, 1e-9));
                Assert.Equal(lines.Values.Sum(), (double)together["amount"]!, 1e-9);
            }
        }
    }

    /// <summary>Every part once: tenants, regions and charges each make the month, and none has what another has.</summary>
    [Fact]
    public async Task A_month_that_was_charged_is_the_sum_of_its_parts_however_it_is_parted()
    {
        await server.PassUntil("2026-12-10");
        const string month = "month=2026-11";
        var all = (double)(await Why(month))["amount"]!;
        var estate = (await server.Get("/api/estate")).Body;
        var ledger = (await server.Get("/api/ledger?from=2026-11-01&to=2026-12-01")).Body.AsArray();
        await MakeAll([.. estate["tenants"]!.AsArray().Select(t => $"tenant={Uri.EscapeDataString((string)t!)}"), "tenant=-", "bucket=*"]);
        await MakeAll([.. ledger.Select(l => (string)l!["region"]!).Distinct().Select(r => $"region={(r == "" ? "*" : r)}")]);
        await MakeAll([.. ledger.Select(l => (string)l!["charge"]!).Distinct().Select(c => $"charge={c}")]);
        var pilots = ledger.Where(l => (string)l!["bucket"]! is "port-sonar" or "sonar-quarry").Sum(l => (double)l!["amount"]!);
        Assert.Equal(pilots, (double)(await Why($"{month}&tenant=Pilots"))["amount"]!, 1e-6);
        // What is not a tenant's does not open as theirs; a charge in several tiers opens into them.
        Assert.Equal(
            (HttpStatusCode.NotFound, "not-charged"),
            await server.Refused(
                HttpMethod.Get,
                $"/api/forecast/derivation?{month}&tenant=Safety&bucket=port-sonar&tier=counter&charge=storage"
            )
        );
        var cameras = await Why($"{month}&bucket=deck-cameras&charge=storage");
        Assert.True(cameras["lines"]!.AsArray().Count > 1);
        Assert.Equal((double)cameras["amount"]!, Sum(cameras["lines"]!), 1e-9);

        async Task MakeAll(string[] parts)
        {
            var sum = 0.0;
            foreach (var part in parts)
            {
                var answer = await server.Send(HttpMethod.Get, $"/api/forecast/derivation?{month}&{part}");
                // Of a tenant to whom nothing was charged there is nothing to open.
                if (answer.StatusCode != HttpStatusCode.NotFound)
                    sum += (double)JsonNode.Parse(await answer.Content.ReadAsStringAsync())!["amount"]!;
            }
            Assert.Equal(all, sum, 1e-6);
        }
    }

    [Fact]
    public async Task A_recall_at_another_speed_opens_into_its_bytes_and_requests_at_that_speed()
    {
        await server.Did(
            HttpMethod.Post,
            "/api/buckets/voyage-recorders/recalls",
            new
            {
                days = 3,
                prefix = "",
                speed = "patient",
            }
        );
        var told = (await Why("month=2026-11&charged=true&bucket=voyage-recorders&tier=cave&charge=recall"))["metered"]!;
        Assert.Equal(0, (double)told["rest"]!, 1e-9);
        var price = (await server.Get("/api/prices")).Body["prices"]!["regions"]![0]!["prices"]!
            .AsArray()
            .Single(p => (string)p!["tier"]! == "cave")!["recallSpeeds"]![0]!;
        foreach (
            var (what, amount, per) in new[] { ("recalled as Patient", "recall", 1), ("of recalls as Patient", "recallRequests", 1000) }
        )
        {
            var term = told["terms"]!.AsArray().Single(t => (string)t!["what"]! == what)!;
            Assert.Equal(((double)price[amount]!, per), ((double)term["price"]!, (int)term["per"]!));
            Assert.True((double)term["quantity"]! > 0);
        }
    }

    [Fact]
    public async Task An_import_begins_another_ledger()
    {
        const string why = "/api/forecast/derivation?month=2026-11";
        var document = (await server.Get("/api/estate/document")).Body;
        foreach (var bucket in document["buckets"]!.AsArray())
            bucket!.AsObject().Remove("keep");
        using var free = new TestServer(demo: false);
        (await free.Send(HttpMethod.Put, "/api/estate/document", document.ToJsonString())).EnsureSuccessStatusCode();
        await free.PassUntil("2026-12-03");
        var before = (double)(await free.Get(why)).Body["amount"]!;
        Assert.True(before > 1000);
        document["buckets"] = new JsonArray();
        foreach (var other in (string[])["plans", "targets", "workloads", "arrays", "scenarios"])
            document.AsObject().Remove(other);
        await free.Did(HttpMethod.Put, "/api/estate/document", document.ToJsonString(), (await free.Get("/api/estate/document")).Tag);
        await free.PassUntil("2026-12-03");
        var after = (await free.Get(why)).Body;
        // Nothing is left but what is paid for nothing.
        Assert.True((double)after["amount"]! < before / 2);
        Assert.Equal("*", (string)Assert.Single(after["lines"]!.AsArray())!["bucket"]!);
    }

    /// <summary>Months that were charged open together, the running one with what was charged in it so far; and never with what is to come.</summary>
    [Fact]
    public async Task Months_that_were_charged_open_into_each_of_them()
    {
        await server.PassUntil("2027-01-10");
        foreach (var part in new[] { "", "&bucket=deck-cameras", "&charge=storage", "&tenant=Pilots" })
        {
            var span = await Why($"month=2026-11&to=2027-01&charged=true{part}");
            var months = span["lines"]!.AsArray();
            Assert.Equal(["2026-11", "2026-12", "2027-01"], months.Select(m => (string)m!["month"]!));
            Assert.True((bool)span["isCharged"]!);
            foreach (var month in months)
                Assert.Equal((double)month!["amount"]!, (double)(await Why($"month={month["month"]}&charged=true{part}"))["amount"]!, 1e-6);
            Assert.Equal((double)span["amount"]!, Sum(months), 1e-6);
        }
        Assert.Equal(2, (await Why("month=2026-11&to=2026-12"))["lines"]!.AsArray().Count);
        foreach (var span in new[] { "month=2026-11&to=2027-02", "month=2026-12&to=2027-02&charged=true" })
        {
            Assert.Equal(
                (HttpStatusCode.BadRequest, "out-of-range"),
                await server.Refused(HttpMethod.Get, $"/api/forecast/derivation?{span}")
            );
        }
    }

    [Fact]
    public async Task What_was_not_charged_does_not_open()
    {
        await server.PassUntil("2026-12-02");
        const string why = "/api/forecast/derivation";
        Assert.Equal((HttpStatusCode.NotFound, "not-charged"), await server.Refused(HttpMethod.Get, $"{why}?month=2026-09"));
        Assert.Equal((HttpStatusCode.NotFound, "not-charged"), await server.Refused(HttpMethod.Get, $"{why}?month=2026-11&bucket=nobodys"));
        Assert.Equal(
            (HttpStatusCode.NotFound, "not-charged"),
            await server.Refused(HttpMethod.Get, $"{why}?month=2026-11&bucket=deck-cameras&tier=counter&charge=rent")
        );
        Assert.Equal(
            (HttpStatusCode.BadRequest, "out-of-range"),
            await server.Refused(HttpMethod.Get, $"{why}?month=2027-01&charged=true")
        );
    }
}
