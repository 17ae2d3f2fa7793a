using System.Text.Json.Nodes;

namespace Ripen.Server.Tests;

public sealed class CommandLineTests : IDisposable
{
    private static readonly string Demo = Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json");

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
