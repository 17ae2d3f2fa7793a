using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json.Nodes;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Files;

namespace Ripen.Server.Tests;

public sealed class CommandLineTests : IDisposable
{
    private static readonly string Demo = Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json");

    private static readonly string Backups = Path.Combine(AppContext.BaseDirectory, "ferry-backups.json");

    private readonly string folder = Directory.CreateTempSubdirectory("ripen-cli-").FullName;

    public void Dispose() => Directory.Delete(folder, recursive: true);

    [Fact]
    public async Task Check_passes_a_good_estate_in_silence_and_names_every_error_of_a_bad_one()
    {
        Assert.Equal((0, "", ""), await CommandLine.Run("check", Demo));

        var bad = Path.Combine(folder, "bad.json");
        await File.WriteAllTextAsync(
            bad,
            (await File.ReadAllTextAsync(Demo))
                .Replace("\"EUR\"", "\"euros\"", StringComparison.Ordinal)
                .Replace("\"2026-11-01\"", "\"soon\"", StringComparison.Ordinal)
        );
        var (code, output, errors) = await CommandLine.Run("check", bad);
        Assert.Equal((2, ""), (code, output));
        Assert.Contains("$.priceBook.currency: invalid-currency:", errors, StringComparison.Ordinal);
        Assert.Contains("$.today: invalid-date:", errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_file_that_is_not_there_is_an_error_and_not_a_crash()
    {
        var (code, _, errors) = await CommandLine.Run("check", Path.Combine(folder, "missing.json"));
        Assert.Equal(2, code);
        Assert.Contains("cannot be read", errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Forecast_writes_the_same_rows_as_csv_and_json_and_to_a_file()
    {
        var csv = (await CommandLine.Run("forecast", Demo, "--months", "3")).Output;
        var json = JsonNode.Parse((await CommandLine.Run("forecast", Demo, "--months", "3", "--format", "json")).Output)!.AsArray();
        Assert.Equal(
            csv.Split("\r\n")[1..^1],
            json.Select(r =>
                $"{r!["month"]},{r["bucket"]},{r["region"]},{r["tier"]},{r["charge"]},{r["quantity"]!.GetValue<double>():R},{r["unit"]},{r["amount"]!.GetValue<double>():R}"
            )
        );

        var file = Path.Combine(folder, "out.csv");
        Assert.Equal((0, "", ""), await CommandLine.Run("forecast", Demo, "--months", "3", "--out", file));
        Assert.Equal(csv, await File.ReadAllTextAsync(file));
        Assert.Equal([file], Directory.GetFiles(folder));
    }

    /// <summary>The program is compiled ahead of time, with only what it needs of the libraries: what these write with all of them around says whether
    /// anything is missed.</summary>
    [Fact]
    public async Task Every_kind_of_file_is_what_the_libraries_write()
    {
        var estate = EstateDocument.Read(await File.ReadAllTextAsync(Demo)).Value;
        var projection = Projection.Of(estate, 3);
        var of = new BillOf(estate.Name, estate, IsProjected: true);
        var lines = projection.Rows().Select(BillLine.Of).ToList();
        Assert.Equal(Text(to => ForecastFiles.WriteCsv(projection, to)), await Forecast("csv"));
        Assert.Equal(Text(to => Write(to, writer => ForecastFiles.WriteJson(projection.Rows(), writer))), await Forecast("json"));
        Assert.Equal(Text(to => Write(to, writer => FocusFile.Write(lines, of, writer))), await Forecast("focus"));
        Assert.Equal(Text(to => ParquetFile.Write(lines, to, CancellationToken.None).GetAwaiter().GetResult()), await Forecast("parquet"));
        var (own, expected) = (Sheets(await Forecast("xlsx")), Sheets(Text(to => Workbook.Write(lines, of, to))));
        Assert.True(expected.Count > 3);
        Assert.Equal(expected, own);
        Assert.Equal(EstateDocument.Schema(), (await CommandLine.Run("schema")).Output);

        async Task<byte[]> Forecast(string format)
        {
            var file = Path.Combine(folder, format);
            Assert.Equal((0, "", ""), await CommandLine.Run("forecast", Demo, "--months", "3", "--format", format, "--out", file));
            return await File.ReadAllBytesAsync(file);
        }

        static byte[] Text(Action<Stream> write)
        {
            using var to = new MemoryStream();
            write(to);
            return to.ToArray();
        }

        static void Write(Stream to, Action<TextWriter> write)
        {
            using var writer = new StreamWriter(to, new UTF8Encoding(false), leaveOpen: true);
            write(writer);
        }

        // What ties the sheets together has random ids.
        static SortedDictionary<string, string> Sheets(byte[] workbook)
        {
            using var zip = new ZipArchive(new MemoryStream(workbook));
            var sheets = zip.Entries.Where(e => e.FullName.StartsWith("xl/worksheets/sheet", StringComparison.Ordinal));
            return new(sheets.ToDictionary(e => e.FullName, e => new StreamReader(e.Open()).ReadToEnd()));
        }
    }

    [Fact]
    public async Task Points_and_the_estimate_of_a_restore_are_what_the_library_says()
    {
        var estate = EstateDocument.Read(await File.ReadAllTextAsync(Backups)).Value;
        var on = estate.Today.AddDays(60);
        var points = RestorePoints.On(estate, on);
        Assert.True(points.Count > 20);
        using var json = new StringWriter();
        RestorePoints.WriteJson(points, json);
        Assert.Equal(json.ToString(), (await CommandLine.Run("points", Backups, "--on", Day(on), "--format", "json")).Output);
        var point = points.First(p => p.Taken > estate.Today);
        var question = new RestoreQuestion
        {
            Plan = point.Plan,
            Workload = point.Workload,
            Target = point.Target,
            Taken = point.Taken,
            On = on,
        };
        string[] which = ["--plan", point.Plan, "--workload", point.Workload, "--target", point.Target];
        string[] asked = ["restore-estimate", Backups, .. which, "--taken", Day(point.Taken), "--on", Day(on)];
        var (code, output, errors) = await CommandLine.Run(asked);
        Assert.Equal((0, ""), (code, errors));
        Assert.Equal(EstateDocument.Text(RestoreEstimate.Of(estate, question)) + "\n", output);

        static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
    }

    [Theory]
    [InlineData("0")]
    [InlineData("1201")]
    [InlineData("two")]
    public async Task Months_out_of_range_are_refused(string months)
    {
        var (code, output, errors) = await CommandLine.Run("forecast", Demo, "--months", months);
        Assert.NotEqual(0, code);
        Assert.DoesNotContain("2026-11,", output, StringComparison.Ordinal);
        Assert.NotEmpty(errors);
    }
}
