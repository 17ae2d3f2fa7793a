using System.Net;
using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

/// <summary>Advice over HTTP: what a schedule is said to cost opens into quantities and prices, and what is asked wrongly is said.</summary>
public sealed class AdviceHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    [Fact]
    public async Task Quantities_and_prices_make_what_a_schedule_costs()
    {
        var schedule = (await server.Get("/api/cheapest")).Body["buckets"]!
            .AsArray()
            .SelectMany(b => b!["schedules"]!.AsArray())
            .First(s => (string)s!["bucket"]! == "voyage-recorders")!;
        var why = (await server.Get($"/api/cheapest/why?bucket=voyage-recorders&prefix={schedule["prefix"]}")).Body;
        Assert.Equal((double)schedule["asNow"]!, why["now"]!.AsArray().Sum(t => Product(t!["term"]!)), 1e-6);
        Assert.Equal((double)schedule["atBest"]!, why["best"]!.AsArray().Sum(t => (double)t!["term"]!["amount"]!), 1e-6);
        foreach (
            var (asked, status, code) in new[]
            {
                ("bucket=crew-records", HttpStatusCode.NotFound, "no-schedule"),
                ("bucket=nowhere", HttpStatusCode.NotFound, "no-schedule"),
                ("bucket=voyage-recorders&longestWait=-1", HttpStatusCode.BadRequest, "out-of-range"),
            }
        )
            Assert.Equal((status, code), await server.Refused(HttpMethod.Get, $"/api/cheapest/why?{asked}"));
    }

    private static double Product(JsonNode term) =>
        (double)term["quantity"]! / (int)term["per"]! * (double)term["price"]! * (double)term["factor"]!;
}
