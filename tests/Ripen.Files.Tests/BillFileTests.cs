using System.Globalization;
using System.IO.Compression;
using System.Xml.Linq;
using DuckDB.NET.Data;
using ExcelDataReader;
using Ripen.Core;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Files.Tests;

/// <summary>Files that finance opens, read back by libraries that did not write them.</summary>
public sealed class BillFileTests : IDisposable
{
    private static readonly Estate Demo = EstateDocument.Read(File.ReadAllText("Examples/brackwater-ferries.json")).Value;
    private static readonly BillLine[] Lines = [.. Projection.Of(Demo, 14).Rows().Select(BillLine.Of)];
    private static readonly BillOf Of = new("Brackwater \"Ferries\", Ltd", Demo, IsProjected: true);

    private readonly string folder = Directory.CreateTempSubdirectory("ripen-files-").FullName;

    public void Dispose() => Directory.Delete(folder, recursive: true);

    private static MemoryStream Book(IReadOnlyList<BillLine> lines)
    {
        var file = new MemoryStream();
        Workbook.Write(lines, Of, file);
        file.Position = 0;
        return file;
    }

    [Fact]
    public void A_workbook_has_real_numbers_and_dates_that_add_up_on_every_sheet()
    {
        // The reader knows older workbooks too, whose text is in code pages.
        System.Text.Encoding.RegisterProvider(System.Text.CodePagesEncodingProvider.Instance);
        using var file = Book(Lines);
        using var book = ExcelReaderFactory.CreateReader(file);
        var sheets = new Dictionary<string, List<object?[]>>();
        do
        {
            var rows = sheets[book.Name] = [];
            while (book.Read())
                rows.Add([.. Enumerable.Range(0, book.FieldCount).Select(book.GetValue)]);
        } while (book.NextResult());
        Assert.Equal(["By month", "By bucket", "By tenant", "Lines", "About"], sheets.Keys);
        var total = Lines.Sum(l => l.Amount);

        var lines = sheets["Lines"];
        Assert.Equal(Lines.Length + 1, lines.Count);
        for (var i = 0; i < Lines.Length; i++)
        {
            var (line, row) = (Lines[i], lines[i + 1]);
            Assert.Equal(line.From.ToDateTime(TimeOnly.MinValue), row[0]);
            Assert.Equal((line.Bucket, line.Tier, line.Charge.Name()), ((string?)row[2] ?? "", (string?)row[4] ?? "", (string)row[5]!));
            Assert.Equal(line.Quantity, (double)row[6]!);
            Assert.Equal(line.Amount, (double)row[8]!);
        }
        foreach (var name in new[] { "By month", "By bucket", "By tenant" })
        {
            var rows = sheets[name];
            Assert.Equal("all", rows[0][^1]);
            Assert.Equal(total, rows.Skip(1).Sum(r => (double)r[^1]!), total * 1e-12);
            Assert.All(rows.Skip(1), r => Assert.Equal((double)r[^1]!, r[1..^1].Sum(v => (double)v!), Math.Abs((double)r[^1]!) * 1e-12));
        }
        Assert.Equal(14, sheets["By month"].Count - 1);
        Assert.Equal(new DateTime(2026, 11, 1), sheets["By month"][1][0]);
        var pilots = Lines.Where(l => l.Bucket is "port-sonar" or "sonar-quarry").Sum(l => l.Amount);
        Assert.Equal(pilots, (double)sheets["By tenant"].Single(r => "Pilots".Equals(r[0]))[^1]!, pilots * 1e-12);
        Assert.Contains(sheets["About"], r => Of.Name.Equals(r[1]));
    }

    /// <summary>What makes a program offer to repair a workbook: a part that is named and is not there, or is no XML.</summary>
    [Fact]
    public void Every_part_that_a_workbook_names_is_there_and_money_shows_two_digits()
    {
        using var file = Book(Lines);
        using var zip = new ZipArchive(file);
        var names = zip.Entries.Select(e => "/" + e.FullName).ToHashSet();
        var parts = zip.Entries.Where(e =>
            e.FullName.EndsWith(".xml", StringComparison.Ordinal) || e.FullName.EndsWith(".rels", StringComparison.Ordinal)
        );
        foreach (var part in parts)
        {
            using var text = part.Open();
            var xml = XDocument.Load(text);
            if (!part.FullName.EndsWith(".rels", StringComparison.Ordinal))
                continue;
            var home = new Uri("part:/" + part.FullName.Replace("_rels/", "", StringComparison.Ordinal));
            foreach (var target in xml.Root!.Elements().Select(e => (string)e.Attribute("Target")!))
                Assert.Contains(new Uri(home, target).AbsolutePath, names);
        }
        using var types = zip.GetEntry("[Content_Types].xml")!.Open();
        foreach (var named in XDocument.Load(types).Descendants().Attributes("PartName"))
            Assert.Contains((string)named, names);
        using var styles = zip.GetEntry("xl/styles.xml")!.Open();
        Assert.Contains("#,##0.00", XDocument.Load(styles).Descendants().Attributes("formatCode").Select(a => (string)a));
    }

    [Fact]
    public void More_lines_than_a_sheet_holds_are_refused()
    {
        var many = Enumerable.Repeat(Lines[0], Workbook.MostLines + 1).ToList();
        Assert.Equal("too-many-rows", Assert.Throws<RefusalException>(() => Workbook.Write(many, Of, Stream.Null)).Code);
    }

    [Fact]
    public async Task Parquet_is_read_by_a_database_with_every_number_as_it_was()
    {
        var path = Path.Combine(folder, "rows.parquet");
        await using (var file = File.Create(path))
            await ParquetFile.Write(Lines, file, CancellationToken.None);
        await using var db = new DuckDBConnection("Data Source=:memory:");
        await db.OpenAsync();
        await using var command = db.CreateCommand();
        command.CommandText = $"SELECT \"from\", \"to\", bucket, region, tier, charge, quantity, unit, amount FROM read_parquet('{path}')";
        await using var rows = await command.ExecuteReaderAsync();
        foreach (var line in Lines)
        {
            Assert.True(await rows.ReadAsync());
            Assert.Equal(line.From, DateOnly.FromDateTime(Convert.ToDateTime(rows.GetValue(0).ToString(), CultureInfo.InvariantCulture)));
            Assert.Equal((line.Bucket, line.Region, line.Tier), (rows.GetString(2), rows.GetString(3), rows.GetString(4)));
            Assert.Equal((line.Charge.Name(), line.Unit), (rows.GetString(5), rows.GetString(7)));
            Assert.Equal((line.Quantity, line.Amount), (rows.GetDouble(6), rows.GetDouble(8)));
        }
        Assert.False(await rows.ReadAsync());
    }

    /// <summary>The columns of FOCUS 1.0 from memory; the database finds and types them, and the costs add up.</summary>
    [Fact]
    public async Task Focus_has_its_columns_and_costs_that_add_up()
    {
        var path = Path.Combine(folder, "rows.csv");
        await using (var writer = new StreamWriter(path))
            FocusFile.Write(Lines, Of, writer);
        await using var db = new DuckDBConnection("Data Source=:memory:");
        await db.OpenAsync();
        async Task<object?> Ask(string what)
        {
            await using var command = db.CreateCommand();
            command.CommandText = $"SELECT {what} FROM read_csv('{path}', header = true)";
            return await command.ExecuteScalarAsync();
        }
        Assert.Equal(43, (await File.ReadLinesAsync(path).FirstAsync()).Split(',').Length);
        var total = Lines.Sum(l => l.Amount);
        var list = Lines.Where(l => l.Charge is not (Charge.Allowance or Charge.Discount)).Sum(l => l.Amount);
        Assert.Equal(list, Convert.ToDouble(await Ask("sum(ListCost)"), CultureInfo.InvariantCulture), list * 1e-12);
        foreach (var cost in new[] { "BilledCost", "EffectiveCost", "ContractedCost" })
            Assert.Equal(total, Convert.ToDouble(await Ask($"sum({cost})"), CultureInfo.InvariantCulture), total * 1e-12);
        Assert.Equal(Lines.LongLength, await Ask("count(*)"));
        Assert.Equal(Of.Name, await Ask("any_value(BillingAccountName)"));
        var pilots = Lines.Where(l => l.Bucket is "port-sonar" or "sonar-quarry").Sum(l => l.Amount);
        Assert.Equal(
            pilots,
            Convert.ToDouble(await Ask("sum(BilledCost) FILTER (SubAccountName = 'Pilots')"), CultureInfo.InvariantCulture),
            pilots * 1e-12
        );
        Assert.Equal(
            0L,
            await Ask(
                "count(*) FILTER (ResourceId IS NOT NULL AND ChargeCategory <> 'Usage' OR ServiceCategory <> 'Storage' OR BillingCurrency <> 'EUR')"
            )
        );
        Assert.Equal(
            Lines.LongCount(l => l.Charge.IsAgreed()),
            await Ask("count(*) FILTER (ResourceId IS NULL AND ChargeCategory IN ('Purchase', 'Credit') AND ChargeFrequency = 'Recurring')")
        );
        Assert.Equal(0L, await Ask("count(*) FILTER (ChargePeriodStart < BillingPeriodStart OR ChargePeriodEnd > BillingPeriodEnd)"));
        Assert.Equal(
            0.0,
            Convert.ToDouble(
                await Ask("max(abs(PricingQuantity * ListUnitPrice - ListCost)) FILTER (ListUnitPrice IS NOT NULL)"),
                CultureInfo.InvariantCulture
            ),
            1e-9
        );
    }
}
