using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Budgets over HTTP: fixed, met to the cent where nothing changes, told on the morning on which a month becomes likely to end above,
/// split so that it adds up, and never changed or lost.</summary>
public sealed class BudgetHttpTests : IDisposable
{
    private static readonly string[] Parts = ["planned", "volume", "mix", "timing", "price"];

    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<int> Fix(object order) => (int)(await server.Did(HttpMethod.Post, "/api/budgets", order))["card"]!["id"]!;

    private async Task<JsonNode> Budget(int id) => (await server.Get($"/api/budgets/{id}")).Body;

    private async Task<JsonNode> Variance(int id, string asked = "") => (await server.Get($"/api/budgets/{id}/variance{asked}")).Body;

    [Fact]
    public async Task Where_nothing_changes_a_budget_fixed_within_a_month_is_met()
    {
        await server.PassUntil("2026-11-13");
        var id = await Fix(new { name = "Winter", months = 3 });
        await server.PassUntil("2027-02-01");
        var budget = await Budget(id);
        Assert.Equal(["2026-11", "2026-12", "2027-01"], budget["months"]!.AsArray().Select(m => (string)m!["month"]!));
        foreach (var month in budget["months"]!.AsArray())
        {
            var planned = (double)month!["planned"]!;
            Assert.True(planned > 0);
            Assert.Equal(planned, (double)month["charged"]!, 1e-9 * planned);
            Assert.Equal(0, (double)month["toCome"]!);
            Assert.False((bool)month["isAbove"]!);
        }
        Assert.Empty(budget["card"]!["alarms"]!.AsArray());
        var all = (await Variance(id))["inAll"]!;
        foreach (var part in Parts[1..])
            Assert.Equal(0, (double)all[part]!, 1e-8 * (double)all["planned"]!);
        foreach (var by in (string[])["tenant", "charge", "month"])
        {
            foreach (var line in (await Variance(id, $"?by={by}"))["lines"]!.AsArray())
            {
                var opened = await Variance(id, $"/line?by={by}&key={Uri.EscapeDataString((string)line!["key"]!)}");
                var made = opened["details"]!.AsArray();
                Assert.Null(opened["charged"]);
                Assert.All(
                    made.Where(d => (double)d!["actual"]! != 0),
                    d => Assert.Equal((double)d!["parts"]!["actual"]!, (double)d["actual"]! * (double)d["actualPrice"]!, 1e-6)
                );
                Assert.Equal((double)line["parts"]!["actual"]!, made.Sum(d => (double)d!["parts"]!["actual"]!), 1e-6);
                Assert.All(made, d => Assert.Equal((double)d!["planned"]!, (double)d["actual"]!, 1e-6 * (1 + (double)d["actual"]!)));
            }
        }
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-line"),
            await server.Refused(HttpMethod.Get, $"/api/budgets/{id}/variance/line?by=tenant&key=Nobody")
        );
        // Only a month that the budget has all of opens as what was charged in it; this one was fixed on the 13th of November.
        foreach (var (month, charged) in new[] { ("2026-11", null), ("2026-12", "2026-12"), ("2027-01", "2027-01") })
        {
            var line = await Variance(id, $"/line?by=tenant&key=Pilots&from={month}&to={month}");
            Assert.Equal(charged, (string?)line["charged"]);
            if (charged is null)
                continue;
            var why = (await server.Get($"/api/forecast/derivation?month={month}&tenant=Pilots&charged=true")).Body;
            Assert.Equal((double)why["amount"]!, line["details"]!.AsArray().Sum(d => (double)d!["parts"]!["actual"]!), 1e-6);
        }
        var whole = await Budget(id);
        var rows = whole["months"]!.AsArray().Append(whole["inAll"]).ToList();
        Assert.Equal(rows.Count, whole["opens"]!.AsArray().Count);
        foreach (var (row, opens) in rows.Zip(whole["opens"]!.AsArray()))
        {
            // Neither that month nor all of them open as what was charged: a part of it was charged before.
            Assert.Equal((double)row!["charged"]! != 0 && (string)row["month"]! != "2026-11", opens!["charged"] is not null);
            foreach (var (kind, charged) in new[] { ("charged", "true"), ("toCome", "false") })
            {
                if (opens[kind] is not { } over)
                    continue;
                var why = (await server.Get($"/api/forecast/derivation?month={over["from"]}&to={over["to"]}&charged={charged}")).Body;
                Assert.Equal((double)row[kind]!, (double)why["amount"]!, 1e-6);
            }
        }
    }

    [Fact]
    public async Task What_differs_is_told_apart_adds_up_and_is_told_on_the_morning_it_becomes_likely()
    {
        await server.PassUntil("2026-11-10");
        var id = await Fix(
            new
            {
                name = "Winter",
                months = 3,
                headroom = 0.01,
            }
        );
        var away = await Fix(new { name = "Put away", months = 3 });
        await server.Did(
            HttpMethod.Patch,
            $"/api/budgets/{away}",
            new
            {
                name = "Put away",
                headroom = 0,
                putAway = true,
            }
        );
        await server.PassUntil("2026-12-05");
        Assert.Empty((await Budget(id))["card"]!["alarms"]!.AsArray());
        // From that day on storage costs a fifth more.
        var (body, tag) = await server.Get("/api/prices");
        var prices = body["prices"]!;
        foreach (var region in prices["regions"]!.AsArray())
        {
            foreach (var tier in region!["prices"]!.AsArray())
            {
                foreach (var band in tier!["storage"]!.AsArray())
                    band!["price"] = (double)band["price"]! * 1.2;
            }
        }
        await server.Did(HttpMethod.Put, "/api/prices", prices.ToJsonString(), tag);
        await server.PassUntil("2026-12-20");
        var alarm = Assert.Single((await Budget(id))["card"]!["alarms"]!.AsArray())!;
        Assert.Equal(("2026-12", "2026-12-06"), ((string)alarm["month"]!, (string)alarm["day"]!));
        Assert.True((double)alarm["expected"]! > (double)alarm["limit"]!);
        Assert.True((double)alarm["charged"]! < (double)alarm["expected"]!);
        await server.PassUntil("2027-02-01");
        var months = (await Budget(id))["months"]!.AsArray();
        // What was foreseen on that morning is what it came to.
        Assert.Equal((double)months[1]!["charged"]!, (double)alarm["expected"]!, 1e-9 * (double)alarm["expected"]!);
        Assert.Empty((await Budget(away))["card"]!["alarms"]!.AsArray());
        Assert.Equal(["2026-12", "2027-01"], (await Budget(id))["card"]!["alarms"]!.AsArray().Select(a => (string)a!["month"]!));

        foreach (var by in (string[])["bucket", "charge", "tier", "region", "month"])
        {
            var told = await Variance(id, $"?by={by}");
            foreach (var line in told["lines"]!.AsArray().Select(l => l!["parts"]!).Append(told["inAll"]!))
                Assert.Equal((double)line["actual"]!, Parts.Sum(p => (double)line[p]!), 1e-9 * (1 + Math.Abs((double)line["actual"]!)));
            foreach (var part in Parts)
                Assert.Equal(
                    (double)told["inAll"]![part]!,
                    told["lines"]!.AsArray().Sum(l => (double)l!["parts"]![part]!),
                    1e-9 * (double)told["inAll"]!["planned"]!
                );
        }
        var all = (await Variance(id))["inAll"]!;
        Assert.Equal((double)all["actual"]! - (double)all["planned"]!, (double)all["price"]!, 1e-8 * (double)all["planned"]!);
        Assert.Equal(months.Sum(m => (double)m!["charged"]!), (double)all["actual"]!, 1e-9 * (double)all["actual"]!);
        // The file has the very same, line by line.
        var lines = (await server.Http.GetStringAsync(new Uri($"/api/budgets/{id}/rows.csv", UriKind.Relative)))
            .Split("\r\n", StringSplitOptions.RemoveEmptyEntries)
            .Skip(1)
            .Select(l => l.Split(','))
            .ToList();
        Assert.Equal((double)all["planned"]!, lines.Sum(l => Number(l[7])), 1e-9 * (double)all["planned"]!);
        Assert.Equal((double)all["price"]!, lines.Sum(l => Number(l[11])), 1e-9 * (double)all["planned"]!);

        static double Number(string text) => double.Parse(text, CultureInfo.InvariantCulture);
    }

    [Fact]
    public async Task A_budget_outlives_a_restart_and_an_import_and_nothing_of_it_but_name_headroom_and_place_is_changed()
    {
        var (document, _) = await server.Get("/api/estate/document");
        using var free = new TestServer(demo: false);
        document["buckets"] = new JsonArray(
            document["buckets"]!.AsArray().Where(b => b!["keep"] is null).Select(b => b!.DeepClone()).ToArray()
        );
        foreach (var bucket in document["buckets"]!.AsArray())
            bucket!.AsObject().Remove("copyTo");
        foreach (var other in (string[])["plans", "targets", "workloads", "arrays", "scenarios"])
            document.AsObject().Remove(other);
        (await free.Send(HttpMethod.Put, "/api/estate/document", document.ToJsonString())).EnsureSuccessStatusCode();
        var id = (int)(await free.Did(HttpMethod.Post, "/api/budgets", new { name = " Spring ", months = 12 }))["card"]!["id"]!;
        var before = (await free.Get($"/api/budgets/{id}")).Body;
        await free.Did(
            HttpMethod.Patch,
            $"/api/budgets/{id}",
            new
            {
                name = "Spring and summer",
                headroom = 0.1,
                putAway = true,
            }
        );
        var tag = (await free.Get("/api/estate/document")).Tag;
        document["buckets"]!.AsArray().RemoveAt(0);
        await free.Did(HttpMethod.Put, "/api/estate/document", document.ToJsonString(), tag);
        free.Restart();
        var after = (await free.Get($"/api/budgets/{id}")).Body;
        Assert.Equal(("Spring and summer", true), ((string)after["card"]!["name"]!, (bool)after["card"]!["putAway"]!));
        Assert.Equal("Spring", (string)before["card"]!["name"]!);
        Assert.Equal(
            before["months"]!.AsArray().Select(m => (double)m!["planned"]!),
            after["months"]!.AsArray().Select(m => (double)m!["planned"]!)
        );
        Assert.Equal((double)after["inAll"]!["planned"]! * 1.1, (double)after["inAll"]!["limit"]!, 1e-6);
        using var removed = await free.Send(HttpMethod.Delete, $"/api/budgets/{id}");
        Assert.Equal(HttpStatusCode.MethodNotAllowed, removed.StatusCode);
    }

    [Fact]
    public async Task A_plan_made_elsewhere_is_taken_from_a_file_or_refused_with_its_lines()
    {
        var rows = await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=6", UriKind.Relative));
        var taken = await Send("From+a+sheet", rows);
        Assert.Equal(HttpStatusCode.Created, taken.Status);
        var id = (int)taken.Body["card"]!["id"]!;
        var money = (await server.Get("/api/forecast?months=6")).Body["money"]!.AsArray().Select(m => (double)m!).ToList();
        var months = (await Budget(id))["months"]!.AsArray();
        for (var m = 0; m < 6; m++)
            Assert.Equal(money[m], (double)months[m]!["planned"]!, 1e-9 * money[m]);

        var broken = await Send(
            "Broken",
            "month,bucket,region,tier,charge,quantity,unit,amount\n2026-13,a,b,c,storage,1,GB,1\n2026-12,,b,c,rent,x,GB,-1\n"
        );
        Assert.Equal(HttpStatusCode.BadRequest, broken.Status);
        Assert.Equal(
            ["line 2, month", "line 3, charge", "line 3, quantity", "line 3, amount", "line 3, bucket"],
            broken.Body["problems"]!.AsArray().Select(p => (string)p!["path"]!)
        );
        var agreed = await Send(
            "Agreed",
            "month,bucket,region,tier,charge,quantity,unit,amount\n2026-12,,,,discount,1,month,1\n2026-12,,,,fixed,1,month,-1\n"
        );
        Assert.Equal(["line 2, amount", "line 3, amount"], agreed.Body["problems"]!.AsArray().Select(p => (string)p!["path"]!));
        foreach (var month in (string[])["9999-12", "0001-01", "2199-01"])
            Assert.Equal(
                HttpStatusCode.BadRequest,
                (await Send("Far", $"month,bucket,region,tier,charge,quantity,unit,amount\n{month},a,b,c,storage,1,GB,1\n")).Status
            );
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await Send("Much", "month,bucket,region,tier,charge,quantity,unit,amount\n2026-12,a,b,c,storage,1,GB,1e308\n")).Status
        );
        var headless = await Send("Headless", "month,amount\n2026-12,5\n");
        Assert.Contains("it lacks bucket, region, tier, charge, quantity", (string)headless.Body["detail"]!, StringComparison.Ordinal);
        Assert.Equal("no-rows", (string)(await Send("Empty", rows.Split("\r\n")[0])).Body["problems"]![0]!["code"]!);
        Assert.Single((await server.Get("/api/budgets")).Body.AsArray());

        async Task<(HttpStatusCode Status, JsonNode Body)> Send(string name, string csv)
        {
            using var body = new StringContent(csv, Encoding.UTF8, "text/csv");
            using var request = new HttpRequestMessage(
                HttpMethod.Post,
                new Uri($"/api/budgets/file?name={name}&headroom=0.05", UriKind.Relative)
            )
            {
                Content = body,
            };
            request.Headers.Add("Ripen-Request", "1");
            using var answer = await server.Http.SendAsync(request);
            return (answer.StatusCode, (await answer.Content.ReadFromJsonAsync<JsonNode>())!);
        }
    }

    [Fact]
    public async Task What_is_asked_wrongly_is_refused_where_it_is_wrong()
    {
        foreach (
            var (order, path) in new (object, string)[]
            {
                (new { name = " ", months = 3 }, "$.name"),
                (new { months = 3 }, "$.name"),
                (new { name = "a", months = 0 }, "$.months"),
                (new { name = "a", months = 37 }, "$.months"),
                (
                    new
                    {
                        name = "a",
                        months = 3,
                        headroom = -0.1,
                    },
                    "$.headroom"
                ),
                (
                    new
                    {
                        name = "a",
                        months = 3,
                        scenario = "nobodys",
                    },
                    "$.scenario"
                ),
            }
        )
        {
            using var answer = await server.Http.PostAsJsonAsync(new Uri("/api/budgets", UriKind.Relative), order);
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
            Assert.Equal(path, (string)(await answer.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!);
        }
        Assert.Empty((await server.Get("/api/budgets")).Body.AsArray());
        var id = await Fix(new { name = "a", months = 2 });
        foreach (var asked in (string[])["?by=colour", "?from=2026-10", "?to=2027-01", "?to=soon", "?from=2026-12&to=2026-11"])
        {
            using var answer = await server.Http.GetAsync(new Uri($"/api/budgets/{id}/variance{asked}", UriKind.Relative));
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        }
        using var none = await server.Http.GetAsync(new Uri("/api/budgets/77", UriKind.Relative));
        Assert.Equal(HttpStatusCode.NotFound, none.StatusCode);
    }

    [Fact]
    public async Task The_running_month_is_told_as_it_stands_now_and_no_longer_once_it_was_mended()
    {
        var id = await Fix(new { name = "Tight", months = 2 });
        // What was charged today before it was fixed is no surprise.
        Assert.False((bool)(await Running())["isAbove"]!);
        Assert.True((double)(await Running())["charged"]! > 0);
        var (body, tag) = await server.Get("/api/prices");
        var prices = body["prices"]!;
        var before = prices.ToJsonString();
        prices["regions"]![0]!["prices"]![0]!["storage"]![0]!["price"] = 9;
        await server.Did(HttpMethod.Put, "/api/prices", prices.ToJsonString(), tag);
        Assert.True((bool)(await Running())["isAbove"]!);
        // The morning's alarm stays on record; what is said of now does not.
        await server.PassUntil("2026-11-02");
        Assert.Single((await Budget(id))["card"]!["alarms"]!.AsArray());
        await server.Did(HttpMethod.Patch, $"/api/budgets/{id}", new { headroom = 10 });
        var reading = await Budget(id);
        Assert.Equal(("Tight", 10.0), ((string)reading["card"]!["name"]!, (double)reading["card"]!["headroom"]!));
        await server.Did(HttpMethod.Patch, $"/api/budgets/{id}", new { putAway = true });
        Assert.Empty((await server.Get("/api/budgets/running")).Body.AsArray());
        Assert.Equal(10, (double)(await Budget(id))["card"]!["headroom"]!);

        async Task<JsonNode> Running() => (await server.Get("/api/budgets/running")).Body.AsArray().Single()!["month"]!;
    }

    [Fact]
    public async Task Money_of_another_currency_is_not_held_against_a_budget()
    {
        var document = (await server.Get("/api/estate/document")).Body;
        foreach (var bucket in document["buckets"]!.AsArray())
            bucket!.AsObject().Remove("keep");
        using var free = new TestServer(demo: false);
        (await free.Send(HttpMethod.Put, "/api/estate/document", document.ToJsonString())).EnsureSuccessStatusCode();
        var id = (int)(await free.Did(HttpMethod.Post, "/api/budgets", new { name = "Euros", months = 3 }))["card"]!["id"]!;
        document["priceBook"]!["currency"] = "XTS";
        await free.Did(HttpMethod.Put, "/api/estate/document", document.ToJsonString(), (await free.Get("/api/estate/document")).Tag);
        foreach (var path in (string[])[$"/api/budgets/{id}", $"/api/budgets/{id}/variance", $"/api/budgets/{id}/rows.csv"])
            Assert.Equal((HttpStatusCode.Conflict, "other-currency"), await free.Refused(HttpMethod.Get, path));
        Assert.Empty((await free.Get("/api/budgets/running")).Body.AsArray());
        await free.PassUntil("2026-12-02");
        Assert.Empty((await free.Get("/api/budgets")).Body[0]!["alarms"]!.AsArray());
    }

    [Fact]
    public async Task A_scenario_is_fixed_as_it_foretells()
    {
        var tag = (await server.Get("/api/scenarios")).Tag;
        await server.Did(
            HttpMethod.Put,
            "/api/scenarios",
            """{ "scenarios": [ { "id": "more", "name": "More", "assumptions": [ { "growth": { "bucket": "deck-cameras", "arrivals": 3 } } ] } ] }""",
            tag
        );
        var told = (await server.Get("/api/scenarios/more/difference?months=4")).Body["outlook"]!["money"]!.AsArray();
        var id = await Fix(
            new
            {
                name = "More",
                months = 4,
                scenario = "more",
            }
        );
        var budget = await Budget(id);
        Assert.Equal("the scenario 'More'", (string)budget["card"]!["source"]!);
        // On top of what was charged today already.
        for (var m = 0; m < 4; m++)
        {
            var (planned, charged) = ((double)budget["months"]![m]!["planned"]!, (double)budget["months"]![m]!["charged"]!);
            Assert.Equal((double)told[m]! + charged, planned, 1e-9 * planned);
        }
        // The estate as it stands costs less.
        Assert.True((double)budget["inAll"]!["toCome"]! < (double)budget["inAll"]!["planned"]!);
    }
}
