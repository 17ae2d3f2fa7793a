using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Bills from elsewhere over HTTP: in this product's own files and others, mapped, fitted, and refused.</summary>
public sealed class BillHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<(HttpStatusCode Status, JsonNode Body)> Bring(byte[] file, string asked = "?name=bill")
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, new Uri($"/api/bills{asked}", UriKind.Relative))
        {
            Content = new ByteArrayContent(file),
        };
        request.Headers.Add("Ripen-Request", "1");
        using var answer = await server.Http.SendAsync(request);
        return (answer.StatusCode, (await answer.Content.ReadFromJsonAsync<JsonNode>())!);
    }

    private Task<(HttpStatusCode Status, JsonNode Body)> Bring(string csv, string asked = "?name=bill") =>
        Bring(System.Text.Encoding.UTF8.GetBytes(csv), asked);

    /// <summary>Every file that the ledger can be had in is a bill, and its prices are those that were charged.</summary>
    [Theory]
    [InlineData("focus.csv")]
    [InlineData("parquet")]
    [InlineData("csv")]
    public async Task What_was_metered_comes_back_as_a_bill_and_is_met_by_the_price_book(string format)
    {
        await server.PassUntil("2027-01-01");
        var file = await server.Http.GetByteArrayAsync(new Uri($"/api/ledger/rows.{format}", UriKind.Relative));
        var (status, bill) = await Bring(file);
        Assert.Equal(HttpStatusCode.Created, status);
        // What is agreed for the estate is of no bucket.
        var ledger = (await server.Get("/api/ledger")).Body.AsArray();
        Assert.Equal(ledger.Where(l => (string)l!["bucket"]! == "").Sum(l => (double)l!["amount"]!), (double)bill["aside"]!, 1e-9);
        var months = bill["months"]!.AsArray();
        Assert.Equal(["2026-11", "2026-12"], months.Select(m => (string)m!["month"]!));
        Assert.All(months, m => Assert.Equal((double)m!["metered"]!, (double)m["mapped"]!, 1e-9 * (double)m["mapped"]!));
        Assert.Contains(bill["fit"]!["prices"]!.AsArray(), p => (string)p!["how"]! == "rows" && (string)p["charge"]! == "storage");
        Assert.All(
            bill["fit"]!["charges"]!.AsArray(),
            c => Assert.Equal((double)c!["billed"]!, (double)c["asFitted"]!, 1e-6 * (1 + (double)c["billed"]!))
        );
        // Row by row it is the same; every page of it but once.
        var id = (int)bill["card"]!["id"]!;
        var rows = (await server.Get($"/api/bills/{id}/rows?limit=1000")).Body;
        Assert.Equal((int)rows["inAll"]!, rows["rows"]!.AsArray().Count);
        Assert.Equal((double)bill["mapped"]!, rows["rows"]!.AsArray().Sum(r => (double?)r!["as"]?["amount"] ?? 0), 1e-9);
        var aside = (await server.Get($"/api/bills/{id}/rows?aside=true&limit=1000")).Body["rows"]!.AsArray();
        Assert.All(aside, r => Assert.Equal("no-bucket", (string)r!["aside"]!));
        Assert.Equal((double)bill["aside"]!, aside.Sum(r => (double)r!["billed"]!["amount"]!), 1e-9);
        var second = (await server.Get($"/api/bills/{id}/rows?offset=3&limit=2")).Body["rows"]!.AsArray();
        Assert.Equal(rows["rows"]!.AsArray().Skip(3).Take(2).Select(r => r!.ToJsonString()), second.Select(r => r!.ToJsonString()));
        Assert.Equal((HttpStatusCode.BadRequest, "out-of-range"), await server.Refused(HttpMethod.Get, $"/api/bills/{id}/rows?limit=0"));
        // Taken up, they change nothing.
        var book = (await server.Get($"/api/bills/{id}/prices")).Body;
        var draft = await server.Did(HttpMethod.Post, "/api/prices/draft", book.ToJsonString());
        var year = draft["cost"]![0]!;
        Assert.Equal((double)year["estateBefore"]!, (double)year["estateAfter"]!, 1e-6 * (double)year["estateBefore"]!);
    }

    [Fact]
    public async Task Names_of_somebody_else_are_said_and_hold_over_a_restart()
    {
        const string csv = """
            wann;wofuer;posten;einheit;menge;betrag
            2026-11-01;harbour/cams;warm shelf GB;GB-hours;720000;40
            2026-11-30;harbour/cams;warm shelf GB;GB-hours;720000;40
            2026-12-31;harbour/cams;warm shelf GB;GB-hours;744000;45
            2026-12-31;other team;warm shelf GB;GB-hours;1;0.5
            """;
        const string columns = "?name=theirs&date=wann&resource=wofuer&item=posten&unit=einheit&quantity=menge&amount=betrag";
        var (status, bill) = await Bring(csv, columns);
        Assert.Equal(HttpStatusCode.Created, status);
        Assert.Equal((0, 125.5), ((double)bill["mapped"]!, (double)bill["aside"]!));
        var id = (int)bill["card"]!["id"]!;
        const string mapping = """
            { "resources": [ { "resource": "harbour/cams", "bucket": "deck-cameras" } ],
              "items": [ { "item": "warm shelf GB", "unit": "GB-hours", "tier": "counter", "charge": "storage" } ] }
            """;
        var mapped = await server.Did(HttpMethod.Put, $"/api/bills/{id}/mapping", mapping);
        Assert.Equal((125, 0.5), ((double)mapped["mapped"]!, (double)mapped["aside"]!));
        server.Restart();
        var again = (await server.Get($"/api/bills/{id}")).Body;
        Assert.Equal(125, (double)again["mapped"]!);
        // 2,000 GB-months in November and 1,000 in December (of thirty days), times the scheme's factor, for 80 and 45.
        var prices = (await server.Get("/api/prices")).Body["prices"]!;
        var scheme = (string)(await server.Get("/api/buckets/deck-cameras")).Body["scheme"]!;
        var factor = (double)prices["schemes"]!.AsArray().Single(s => (string)s!["id"]! == scheme)!["storageFactor"]!;
        var days = (string)prices["month"]! == "calendar" ? 31 : 30.0;
        var (november, december) = (2000 * factor, 744000 / (24 * days) * factor);
        var expected = ((november * 80) + (december * 45)) / ((november * november) + (december * december));
        Assert.Equal(expected, (double)again["fit"]!["prices"]![0]!["fitted"]!, 1e-9);
        // Whoever says something of other lines at the same time takes nothing of it back.
        await Task.WhenAll(
            Enumerable
                .Range(0, 6)
                .Select(i =>
                    server.Did(
                        HttpMethod.Put,
                        $"/api/bills/{id}/mapping",
                        i % 2 == 0
                            ? """{ "resources": [ { "resource": "other team", "bucket": "deck-cameras" } ], "items": [] }"""
                            : """{ "resources": [], "items": [ { "item": "warm shelf GB", "unit": "GB-hours", "tier": "counter", "charge": "storage", "times": 0.002 } ] }"""
                    )
                )
        );
        var both = (await server.Get($"/api/bills/{id}")).Body;
        Assert.Equal((125.5, 0.002), ((double)both["mapped"]!, (double)both["items"]![0]!["times"]!));
        await server.Did(
            HttpMethod.Put,
            $"/api/bills/{id}/mapping",
            """{ "resources": [ { "resource": "other team", "bucket": null } ], "items": [] }"""
        );
        foreach (
            var (wrong, path) in new[]
            {
                (
                    """{ "resources": [ { "resource": "other team", "bucket": null }, { "resource": "other team", "bucket": null } ], "items": [] }""",
                    "$.resources[1].resource"
                ),
                ("""{ "resources": [ { "resource": "nobody", "bucket": null } ], "items": [] }""", "$.resources[0].resource"),
                ("""{ "resources": [ { "resource": "other team", "bucket": "nobodys" } ], "items": [] }""", "$.resources[0].bucket"),
                (
                    """{ "resources": [], "items": [ { "item": "warm shelf GB", "unit": "GB-hours", "tier": "attic" } ] }""",
                    "$.items[0].tier"
                ),
                ("""{ "resources": [], "items": [ { "item": "warm shelf GB", "unit": "GB-hours", "times": 0 } ] }""", "$.items[0].times"),
            }
        )
        {
            using var refused = await server.Send(HttpMethod.Put, $"/api/bills/{id}/mapping", wrong);
            Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
            Assert.Equal(path, (string)(await refused.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!);
        }
        Assert.Equal(125, (double)(await server.Get($"/api/bills/{id}")).Body["mapped"]!);
        await server.Did(HttpMethod.Delete, $"/api/bills/{id}");
        Assert.Empty((await server.Get("/api/bills")).Body.AsArray());
        Assert.Equal((HttpStatusCode.NotFound, "no-bill"), await server.Refused(HttpMethod.Delete, $"/api/bills/{id}", null, ""));
    }

    [Fact]
    public async Task Speeds_of_recalls_and_ways_of_transfers_are_known_by_name_or_said()
    {
        const string csv = """
            date,resource,item,unit,quantity,amount
            2026-11-01,voyage-recorders,cave/recall/patient,GB,1000,14
            2026-12-01,voyage-recorders,cave/recall/patient,GB,500,7
            2026-11-01,voyage-recorders,cave/recall,GB,200,9
            2026-11-01,crew-records,counter/transfer to the sound,GB,300,15
            """;
        var (_, bill) = await Bring(csv, "?name=theirs&date=date&resource=resource&item=item&unit=unit&quantity=quantity&amount=amount");
        var id = (int)bill["card"]!["id"]!;
        Assert.Equal("patient", (string)Item(bill, "cave/recall/patient")["way"]!);
        Assert.Null(Item(bill, "cave/recall")["way"]);
        Assert.Equal((0.014, 0.0118), Price(bill, "recall", "patient"), Close);
        Assert.Equal((0.045, 0.0367), Price(bill, "recall", null), Close);
        Assert.DoesNotContain(bill["fit"]!["prices"]!.AsArray(), p => (string)p!["charge"]! == "transfer");
        const string transfer =
            "\"item\": \"counter/transfer to the sound\", \"unit\": \"GB\", \"tier\": \"counter\", \"charge\": \"transfer\"";
        var said = await server.Did(
            HttpMethod.Put,
            $"/api/bills/{id}/mapping",
            $$"""{ "resources": [], "items": [ { {{transfer}}, "way": "kestrel-sound" } ] }"""
        );
        Assert.Equal(0.05, Price(said, "transfer", null).Fitted, 1e-12);
        var row = (await server.Get($"/api/bills/{id}/rows")).Body["rows"]!
            .AsArray()
            .Single(r => (string)r!["as"]!["charge"]! == "transfer")!;
        Assert.Equal("kestrel-sound", (string)row["way"]!);
        // The prices open as a draft of the price book, the speed's at the speed.
        var cave = (await server.Get($"/api/bills/{id}/prices")).Body["regions"]![0]!["prices"]!
            .AsArray()
            .Single(p => (string)p!["tier"]! == "cave")!;
        Assert.Equal((0.045, 0.014), ((double)cave["recall"]!, (double)cave["recallSpeeds"]![0]!["recall"]!), Close);
        foreach (
            var wrong in new[]
            {
                $$"""{ {{transfer}}, "way": "patient" }""",
                """{ "item": "cave/recall", "unit": "GB", "tier": "cave", "charge": "recall", "way": "kestrel-sound" }""",
                """{ "item": "cave/recall", "unit": "GB", "tier": "cave", "charge": "storage", "way": "patient" }""",
            }
        )
        {
            using var refused = await server.Send(
                HttpMethod.Put,
                $"/api/bills/{id}/mapping",
                $$"""{ "resources": [], "items": [ {{wrong}} ] }"""
            );
            Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
            Assert.Equal("$.items[0].way", (string)(await refused.Content.ReadFromJsonAsync<JsonNode>())!["problems"]![0]!["path"]!);
        }

        static JsonNode Item(JsonNode of, string item) => of["items"]!.AsArray().Single(i => (string)i!["item"]! == item)!;

        static (double Fitted, double Was) Price(JsonNode of, string charge, string? speed) =>
            of["fit"]!["prices"]!
                .AsArray()
                .Where(p => (string)p!["charge"]! == charge && (string?)p["speed"] == speed)
                .Select(p => ((double)p!["fitted"]!, (double)p["was"]!))
                .Single();

        static bool Close((double A, double B) a, (double A, double B) b) => Math.Abs(a.A - b.A) < 1e-9 && Math.Abs(a.B - b.B) < 1e-9;
    }

    [Fact]
    public async Task What_is_no_bill_is_refused_and_nothing_is_kept()
    {
        foreach (
            var (file, code) in new[]
            {
                ("month,bucket\n2026-11,a\n", "missing-column"),
                ("month,bucket,item,unit,quantity,amount,currency\n2026-11,a,b,GB,1,2,XTS\n", "invalid-row"),
                ("month,bucket,item,unit,quantity,amount\n2026-11,a,b,GB,1,much\n", "invalid-row"),
                ("month,bucket,item,unit,quantity,amount\n", "no-rows"),
                ("month,bucket,item,unit,quantity,amount\n9999-12,a,b,GB,1,2\n", "invalid-row"),
                ("month,bucket,item,unit,quantity,amount\n1970-01,a,b,GB,1,2\n2027-01,a,b,GB,1,2\n", "out-of-range"),
                ("month,bucket,item,unit,quantity,amount\n2026-11,a,b,GB,1,1e308\n2026-11,a,b,GB,1,1e308\n", "invalid-row"),
            }
        )
        {
            var (status, body) = await Bring(file);
            Assert.Equal(HttpStatusCode.BadRequest, status);
            Assert.Equal(code, (string)body["problems"]![0]!["code"]!);
        }
        var (broken, why) = await Bring([.. "PAR1"u8, 1, 2, 3, 4, 5, 6, 7, 8, .. "PAR1"u8]);
        Assert.Equal((HttpStatusCode.BadRequest, "unreadable-bill"), (broken, (string)why["code"]!));
        Assert.Equal(HttpStatusCode.BadRequest, (await Bring("a,b\n", "?name=")).Status);
        Assert.Empty((await server.Get("/api/bills")).Body.AsArray());
    }
}
