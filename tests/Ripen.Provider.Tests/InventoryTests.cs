using System.Text;
using Parquet;
using Parquet.Schema;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Tests;
using Ripen.Provider.Inventory;

namespace Ripen.Provider.Tests;

public sealed class InventoryTests
{
    private static readonly Estate Harbour = TestProvider.OneBucket(b =>
        b with
        {
            Rules =
            [
                new LifecycleRule
                {
                    Id = "charts",
                    Prefix = "charts/old",
                    SmallestBytes = 20_000,
                    Steps = [new Step { Age = 400, Tier = "cave" }],
                    ExpireAt = 1500,
                },
            ],
        }
    );

    private static readonly ColumnMapping Mapping = new()
    {
        Key = "path",
        Bytes = "size",
        LastModified = "modified",
        LastRead = "read",
        Tier = "tier",
    };

    private sealed record Row(string Key, long Bytes, DateOnly Modified, DateOnly? Read, string Tier);

    private static List<Row> Rows(int n)
    {
        var random = new Random(11);
        return
        [
            .. Enumerable
                .Range(0, n)
                .Select(i =>
                {
                    var modified = Harbour.Today.AddDays(-random.Next(0, 700));
                    DateOnly? read =
                        random.Next(3) == 0 ? modified.AddDays(random.Next(0, Harbour.Today.DayNumber - modified.DayNumber + 1)) : null;
                    return new Row(
                        $"{(random.Next(2) == 0 ? "charts/old" : "charts/new")}-{i % 9}/{i},\"quoted\".bin",
                        (long)Math.Pow(10, random.NextDouble() * 8),
                        modified,
                        read,
                        random.Next(2) == 0 ? "" : "Pantry"
                    );
                }),
        ];
    }

    private static MemoryStream Csv(IEnumerable<Row> rows)
    {
        var text = new StringBuilder("path,size,modified,read,tier\r\n");
        foreach (var r in rows)
            text.Append(
                $"\"{r.Key.Replace("\"", "\"\"", StringComparison.Ordinal)}\",{r.Bytes},{r.Modified:yyyy-MM-dd}T13:45:00Z,{r.Read:yyyy-MM-dd},{r.Tier}\r\n"
            );
        return new MemoryStream(Encoding.UTF8.GetBytes(text.ToString()));
    }

    private static async Task<MemoryStream> Parquet(IReadOnlyList<Row> rows)
    {
        DataField[] fields =
        [
            new DataField<string>("path"),
            new DataField<long>("size"),
            new DataField<DateTime>("modified"),
            new DataField<DateTime?>("read"),
            new DataField<string>("tier"),
        ];
        var file = new MemoryStream();
        await using (var writer = await ParquetWriter.CreateAsync(new ParquetSchema(fields), file))
        {
            foreach (var part in rows.Chunk(200))
            {
                using var group = writer.CreateRowGroup();
                await group.WriteAsync(fields[0], part.Select(r => r.Key).ToList());
                await group.WriteAsync<long>(fields[1], part.Select(r => r.Bytes).ToArray());
                await group.WriteAsync<DateTime>(
                    fields[2],
                    part.Select(r => r.Modified.ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc)).ToArray()
                );
                await group.WriteAsync<DateTime>(
                    fields[3],
                    part.Select(r => r.Read?.ToDateTime(TimeOnly.MinValue, DateTimeKind.Utc)).ToArray()
                );
                await group.WriteAsync(fields[4], part.Select(r => r.Tier).ToList());
            }
        }
        file.Position = 0;
        return file;
    }

    [Theory]
    [InlineData("csv")]
    [InlineData("parquet")]
    public async Task A_list_becomes_lots_that_cost_what_its_objects_would(string format)
    {
        var rows = Rows(900);
        using var provider = new TestProvider(Harbour);
        var preview = await provider.Inside.Inventories.Receive(format == "csv" ? Csv(rows) : await Parquet(rows), CancellationToken.None);
        Assert.Equal((format, Mapping), (preview.Format, preview.Suggested));
        Assert.Equal(rows[0].Key, preview.Rows[0][0]);
        var reading = await provider.Inside.Inventories.Import(preview.Id, "harbour", Mapping, false, CancellationToken.None);
        Assert.Equal((900, 0, 900), (reading.Rows, reading.BrokenRows, reading.Objects));
        var lots = provider.Inside.Stock(null).Buckets["harbour"].Lots;
        Assert.Equal(rows.Sum(r => (double)r.Bytes), lots.Sum(l => l.Count * l.BytesPerObject));

        var single = rows.Select(r => new Lot
        {
            Prefix = r.Key,
            Created = r.Modified,
            InTierSince = r.Modified,
            Tier = r.Tier == "" ? "counter" : "pantry",
            Objects = 1,
            BytesPerObject = r.Bytes,
        });
        Assert.Null(Compare.Difference(Bill([.. single]), Bill(lots)));

        var untouched = provider.Inside.Untouched("harbour", "");
        Assert.Equal(reading.Untouched.Single().For.Select(f => f.Bytes), untouched.Single().For.Select(f => f.Bytes));
        foreach (var past in untouched.Single().For)
        {
            Assert.Equal(
                rows.Where(r => Harbour.Today.DayNumber - (r.Read > r.Modified ? r.Read.Value : r.Modified).DayNumber >= past.Days)
                    .Sum(r => (double)r.Bytes),
                past.Bytes
            );
        }

        static List<ForecastRow> Bill(IReadOnlyList<Lot> stock) =>
            [.. Projection.Of(Harbour with { Buckets = [Harbour.Buckets[0] with { Stock = stock }] }, 40).Rows()];
    }

    [Fact]
    public async Task Broken_rows_are_told_one_by_one_and_nothing_is_imported_unless_they_may_be_left_out()
    {
        var file =
            "path;size;modified;read;tier\n"
            + "good;10;2026-01-01;;\n"
            + "a/../b;10;2026-01-01;;\n"
            + "big;7300000000000000000;2026-01-01;;\n"
            + "frac;1.5;2026-01-01;;\n"
            + "neg;-1;2026-01-01;;\n"
            + "when;1;yesterday;;\n"
            + "later;1;2027-01-01;;\n"
            + "tier;1;2026-01-01;;attic\n"
            + "short;1\n"
            + "read;1;2026-01-01;soon;\n";
        using var provider = new TestProvider(Harbour);
        var preview = await provider.Inside.Inventories.Receive(new MemoryStream(Encoding.UTF8.GetBytes(file)), CancellationToken.None);
        var reading = await provider.Inside.Inventories.Check(preview.Id, "harbour", Mapping, CancellationToken.None);
        Assert.Equal((10, 9, 1), (reading.Rows, reading.BrokenRows, reading.Objects));
        Assert.Equal(
            [(2, "path"), (3, "size"), (4, "size"), (5, "size"), (6, "modified"), (7, "modified"), (8, "tier"), (9, "tier"), (10, "read")],
            reading.Errors.Select(e => ((int)e.Row, e.Column))
        );
        Assert.Equal(10, (await File.ReadAllLinesAsync(provider.Inside.Inventories.ErrorFile(preview.Id)!)).Length);

        var refusal = await Assert.ThrowsAsync<RefusalException>(() =>
            provider.Inside.Inventories.Import(preview.Id, "harbour", Mapping, false, CancellationToken.None)
        );
        Assert.Equal("broken-rows", refusal.Code);
        Assert.Empty(provider.Inside.Stock(null).Buckets["harbour"].Lots);
        await provider.Inside.Inventories.Import(preview.Id, "harbour", Mapping, true, CancellationToken.None);
        Assert.Equal(10, Assert.Single(provider.Inside.Stock(null).Buckets["harbour"].Lots).BytesPerObject);
        Assert.Equal(
            "no-inventory",
            (
                await Assert.ThrowsAsync<RefusalException>(() =>
                    provider.Inside.Inventories.Check(preview.Id, "harbour", Mapping, CancellationToken.None)
                )
            ).Code
        );
    }

    [Theory]
    [InlineData("")]
    [InlineData("PAR1 and nothing that follows")]
    public async Task What_is_no_list_is_refused(string content)
    {
        using var provider = new TestProvider(Harbour);
        var refusal = await Assert.ThrowsAsync<RefusalException>(() =>
            provider.Inside.Inventories.Receive(new MemoryStream(Encoding.UTF8.GetBytes(content)), CancellationToken.None)
        );
        Assert.Contains(refusal.Code, new[] { "empty-inventory", "unreadable-inventory" });
    }

    [Fact]
    public async Task A_mapping_to_a_column_that_is_not_there_is_refused_with_its_path()
    {
        using var provider = new TestProvider(Harbour);
        var preview = await provider.Inside.Inventories.Receive(Csv(Rows(3)), CancellationToken.None);
        var refusal = await Assert.ThrowsAsync<RefusalException>(() =>
            provider.Inside.Inventories.Check(preview.Id, "harbour", Mapping with { Bytes = "weight" }, CancellationToken.None)
        );
        Assert.Equal(("unknown-column", "$.bytes"), (refusal.Code, refusal.Path));
    }

    [Fact]
    public async Task A_damaged_file_is_a_refusal_and_nothing_worse()
    {
        var seed = Random.Shared.Next(1 << 20);
        var random = new Random(seed);
        using var provider = new TestProvider(Harbour);
        var whole = (await Parquet(Rows(60))).ToArray();
        var refused = 0;
        for (var i = 0; i < 60; i++)
        {
            var bytes = whole.ToArray();
            // Mostly the footer: there is what a reader believes.
            for (var n = random.Next(1, 4); n > 0; n--)
                bytes[random.Next(3) == 0 ? random.Next(bytes.Length) : random.Next(bytes.Length * 2 / 3, bytes.Length)] = (byte)
                    random.Next(256);
            if (random.Next(5) == 0)
                bytes = bytes[..random.Next(bytes.Length)];
            try
            {
                var preview = await provider.Inside.Inventories.Receive(new MemoryStream(bytes), CancellationToken.None);
                await provider.Inside.Inventories.Check(preview.Id, "harbour", Mapping, CancellationToken.None);
            }
            catch (RefusalException refusal)
            {
                Assert.True(refusal.Code is "unreadable-inventory" or "unknown-column", $"Seed {seed}, file {i}: {refusal.Code}");
                refused++;
            }
        }
        Assert.InRange(refused, 1, 60);
        // It goes on afterwards as if nothing had been.
        Assert.Equal("parquet", (await provider.Inside.Inventories.Receive(new MemoryStream(whole), CancellationToken.None)).Format);
    }

    [Fact]
    public async Task Dates_that_could_be_read_two_ways_are_asked_about_and_later_ones_count_as_today_only_when_somebody_says_so()
    {
        const string file = "path,size,modified\na,1,03/04/2026\nb,2,2026-05-06\nc,4,13.04.2026\nd,8,2027-01-01\n";
        var mapping = Mapping with { LastRead = null, Tier = null };
        using var provider = new TestProvider(Harbour);
        var preview = await provider.Inside.Inventories.Receive(new MemoryStream(Encoding.UTF8.GetBytes(file)), CancellationToken.None);
        Task<InventoryReading> Check(ColumnMapping as_) =>
            provider.Inside.Inventories.Check(preview.Id, "harbour", as_, CancellationToken.None);
        var asked = await Check(mapping);
        Assert.Equal((3, 2, 1), (asked.BrokenRows, asked.AmbiguousDates, asked.LaterDates));
        Assert.Equal(1, (await Check(mapping with { Dates = DateOrder.DayFirst })).BrokenRows);
        // There is no thirteenth month.
        Assert.Equal(2, (await Check(mapping with { Dates = DateOrder.MonthFirst })).BrokenRows);
        Assert.Equal(0, (await Check(mapping with { Dates = DateOrder.DayFirst, LaterIsToday = true })).BrokenRows);
        await provider.Inside.Inventories.Import(
            preview.Id,
            "harbour",
            mapping with
            {
                Dates = DateOrder.DayFirst,
                LaterIsToday = true,
            },
            false,
            CancellationToken.None
        );
        Assert.Equal(
            [new(2026, 4, 3), new(2026, 5, 6), new(2026, 4, 13), Harbour.Today],
            provider.Inside.Stock(null).Buckets["harbour"].Lots.OrderBy(l => l.BytesPerObject).Select(l => l.Created)
        );
    }

    [Fact]
    public async Task Inventories_that_nobody_imports_do_not_pile_up()
    {
        using var provider = new TestProvider(Harbour);
        var ids = new List<string>();
        for (var i = 0; i < 24; i++)
            ids.Add((await provider.Inside.Inventories.Receive(Csv(Rows(1)), CancellationToken.None)).Id);
        Assert.InRange(Directory.GetFiles(Path.Combine(provider.Folder, "inventories")).Length, 1, 21);
        Assert.Equal(
            "no-inventory",
            (
                await Assert.ThrowsAsync<RefusalException>(() =>
                    provider.Inside.Inventories.Check(ids[0], "harbour", Mapping, CancellationToken.None)
                )
            ).Code
        );
    }
}
