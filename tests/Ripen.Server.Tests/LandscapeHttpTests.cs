using System.Net;

namespace Ripen.Server.Tests;

/// <summary>Bytes by day and age over HTTP: what lies there today, of the estate and of one bucket.</summary>
public sealed class LandscapeHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private async Task<double> Today(string query)
    {
        var landscape = (await server.Get($"/api/forecast/landscape?months=24{query}")).Body["landscape"]!;
        Assert.Equal(25, landscape["days"]!.AsArray().Count);
        return landscape["tiers"]!.AsArray().Sum(t => t!["bytes"]![0]!.AsArray().Sum(b => (double)b!));
    }

    [Fact]
    public async Task Its_first_column_is_what_lies_there_today()
    {
        var rows = (await server.Get("/api/estate/board?limit=100")).Body["buckets"]!.AsArray();
        var all = rows.Sum(r => (double)r!["bytes"]!);
        Assert.True(all > 0);
        Assert.Equal(all, await Today(""), all * 1e-9);
        Assert.Equal((double)rows[0]!["bytes"]!, await Today($"&bucket={rows[0]!["name"]}"), all * 1e-9);
        Assert.Equal(
            (HttpStatusCode.NotFound, "no-bucket"),
            await server.Refused(HttpMethod.Get, "/api/forecast/landscape?bucket=nobodys")
        );
        Assert.Equal(HttpStatusCode.BadRequest, (await server.Refused(HttpMethod.Get, "/api/forecast/landscape?months=0")).Status);
    }
}
