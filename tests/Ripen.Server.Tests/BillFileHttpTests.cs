using System.Net;
using System.Text;

namespace Ripen.Server.Tests;

/// <summary>Forecast and ledger as files, over HTTP and by the command line; what is in them is the files' own tests'.</summary>
public sealed class BillFileHttpTests : IDisposable
{
    private readonly TestServer server = new();

    public void Dispose() => server.Dispose();

    private static string Begins(byte[] file, int bytes) => Encoding.ASCII.GetString(file, 0, bytes);

    [Theory]
    [InlineData("xlsx", "PK", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")]
    [InlineData("parquet", "PAR1", "application/vnd.apache.parquet")]
    [InlineData("focus.csv", "AvailabilityZone,BilledCost", "text/csv")]
    [InlineData("csv", "month,bucket", "text/csv")]
    public async Task A_forecast_is_handed_over_as_it_is_asked_for(string format, string begins, string type)
    {
        var answer = await server.Http.GetAsync(new Uri($"/api/forecast/rows.{format}?months=3", UriKind.Relative));
        Assert.Equal((HttpStatusCode.OK, type), (answer.StatusCode, answer.Content.Headers.ContentType!.MediaType));
        Assert.Equal($"forecast-3-months.{format}", answer.Content.Headers.ContentDisposition!.FileName);
        Assert.Equal(begins, Begins(await answer.Content.ReadAsByteArrayAsync(), begins.Length));
        var ledger = await server.Http.GetAsync(new Uri($"/api/ledger/rows.{format}", UriKind.Relative));
        Assert.Equal((HttpStatusCode.OK, type), (ledger.StatusCode, ledger.Content.Headers.ContentType!.MediaType));
        if (format == "csv")
            return;
        var own = Path.Combine(Path.GetTempPath(), $"{Guid.NewGuid():N}.{format}");
        var run = await CommandLine.Run(
            "forecast",
            Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json"),
            "--months",
            "3",
            "--format",
            format == "focus.csv" ? "focus" : format,
            "--out",
            own
        );
        Assert.Equal((0, ""), (run.Code, run.Errors));
        Assert.Equal(begins, Begins(await File.ReadAllBytesAsync(own), begins.Length));
        File.Delete(own);
    }

    [Fact]
    public async Task A_format_that_nobody_knows_is_refused()
    {
        Assert.Equal((HttpStatusCode.BadRequest, "unknown-choice"), await server.Refused(HttpMethod.Get, "/api/forecast/rows.ods"));
        Assert.Equal((HttpStatusCode.BadRequest, "unknown-choice"), await server.Refused(HttpMethod.Get, "/api/ledger/rows.ods"));
        Assert.Equal((HttpStatusCode.BadRequest, "out-of-range"), await server.Refused(HttpMethod.Get, "/api/forecast/rows.xlsx?months=0"));
    }
}
