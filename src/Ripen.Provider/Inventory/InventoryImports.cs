using System.Globalization;
using CsvHelper;
using Ripen.Provider.Index;
using Ripen.Provider.Stock;

namespace Ripen.Provider.Inventory;

/// <summary>
/// Takes lists of data that is elsewhere into a bucket as lots. An inventory is received once, read with a mapping as often as wanted, and
/// imported whole in one transaction, or not at all.
/// </summary>
public sealed class InventoryImports
{
    private const int ErrorsShown = 100;
    private const int PreviewRows = 12;
    private const int MostRemembered = 20;
    private const long MostBytes = 4_000_000_000;

    private readonly ProviderState state;
    private readonly string folder;

    internal InventoryImports(ProviderState state, string folder)
    {
        (this.state, this.folder) = (state, folder);
        if (Directory.Exists(folder))
            Directory.Delete(folder, recursive: true);
        Directory.CreateDirectory(folder);
    }

    /// <exception cref="RefusalException">It is neither CSV with a header nor Parquet.</exception>
    public async Task<InventoryPreview> Receive(Stream body, CancellationToken cancel)
    {
        var id = Guid.NewGuid().ToString("N");
        try
        {
            ForgetOld();
            await Take(body, PathOf(id), cancel);
            await using var inventory = await InventoryProcess.Open(PathOf(id), cancel);
            var rows = new List<IReadOnlyList<string>>();
            await foreach (var row in inventory.Rows(cancel))
            {
                rows.Add([.. row]);
                if (rows.Count == PreviewRows)
                    break;
            }
            var suggested = Suggest(inventory.Columns);
            return new InventoryPreview(id, inventory.Format, inventory.Columns, rows, suggested);
        }
        catch
        {
            File.Delete(PathOf(id));
            throw;
        }
    }

    /// <summary>Inventories that nobody imported go after a day, or when there are many newer ones.</summary>
    private void ForgetOld()
    {
        var known = new DirectoryInfo(folder).GetFiles().OrderByDescending(f => f.LastWriteTimeUtc).ToList();
        foreach (var file in known.Where((f, i) => i >= MostRemembered || state.WallClock - f.LastWriteTimeUtc > TimeSpan.FromDays(1)))
            file.Delete();
    }

    /// <exception cref="RefusalException">It is too large, or the disk is full; nothing is left of it.</exception>
    private static async Task Take(Stream body, string path, CancellationToken cancel)
    {
        try
        {
            await using var file = File.Create(path);
            var buffer = new byte[1 << 16];
            while (await body.ReadAsync(buffer, cancel) is > 0 and var n)
            {
                if (file.Length + n > MostBytes)
                    throw new RefusalException(
                        RefusalKind.TooLarge,
                        "too-large",
                        $"An inventory has {MostBytes:#,0} bytes at most; send it in parts."
                    );
                await file.WriteAsync(buffer.AsMemory(0, n), cancel);
            }
        }
        catch (IOException full) when (ProviderState.IsFull(full))
        {
            throw ProviderState.DiskFull();
        }
    }

    /// <summary>Reads the whole inventory and says what it would come to. Nothing is imported; the file of errors is written
    /// anew.</summary>
    public async Task<InventoryReading> Check(string id, string bucket, ColumnMapping mapping, CancellationToken cancel)
    {
        var (reading, _) = await Read(id, bucket, mapping, cancel);
        return reading;
    }

    /// <summary>Every error of the last reading, as CSV; null before one, or when there was none.</summary>
    public string? ErrorFile(string id) => File.Exists(ErrorPathOf(Known(id))) ? ErrorPathOf(id) : null;

    /// <summary>Puts the inventory's lots into the bucket and forgets the inventory.</summary>
    /// <exception cref="RefusalException">Rows are broken and were not to be left out.</exception>
    public async Task<InventoryReading> Import(
        string id,
        string bucket,
        ColumnMapping mapping,
        bool leaveOutBroken,
        CancellationToken cancel
    )
    {
        var (reading, lots) = await Read(id, bucket, mapping, cancel);
        if (reading.BrokenRows > 0 && !leaveOutBroken)
        {
            throw new RefusalException(
                RefusalKind.Invalid,
                "broken-rows",
                $"{reading.BrokenRows} of {reading.Rows} rows are broken; nothing was imported. Mend them, or import the others "
                    + "without them."
            );
        }
        state.Change(
            db =>
            {
                var terms = state.TermsIn(db);
                var own = state.ReachToAdd(db, bucket);
                using var insert = db.Repeated(
                    "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, touched) VALUES(?1, "
                        + "0, 1, ?2, ?3, ?4, ?5, ?6, ?7, ?5, ?8)",
                    8
                );
                foreach (var lot in lots.Lots())
                {
                    insert.Again(
                        own.Id,
                        lot.Prefix,
                        (double)lot.Objects,
                        lot.Bytes,
                        lot.Created.DayNumber,
                        ProviderState.Midnight(lot.Created).ToUnixTimeMilliseconds(),
                        terms.TierId(lot.Tier),
                        lot.LastRead?.DayNumber
                    );
                }
                ProviderState.Touch(db, own);
                state.Note(db, bucket, $"imported an inventory of {Wording.Objects(reading.Objects)}");
            },
            cancel
        );
        File.Delete(PathOf(id));
        return reading;
    }

    private async Task<(InventoryReading Reading, LotGatherer Lots)> Read(
        string id,
        string bucket,
        ColumnMapping mapping,
        CancellationToken cancel
    )
    {
        var (terms, own, today) = state.Index.Read(db => (state.TermsIn(db), state.TermsIn(db)[bucket], ProviderState.Today(db)));
        await using var inventory = await InventoryProcess.Open(PathOf(Known(id)), cancel);
        var reader = new RowReader(terms, own, today, inventory.Columns, mapping);
        var lots = new LotGatherer(own.Bucket, terms.Prices, today, mapping.Levels);
        var errors = new List<RowError>();
        var (rows, broken) = (0L, 0L);
        File.Delete(ErrorPathOf(id));
        CsvWriter? file = null;
        try
        {
            await foreach (var row in inventory.Rows(cancel))
            {
                rows++;
                if (reader.Read(row, out var wrong) is { } good)
                {
                    lots.Add(good);
                    continue;
                }
                broken++;
                var error = new RowError(rows, wrong.Column, wrong.Value, wrong.Message);
                if (errors.Count < ErrorsShown)
                    errors.Add(error);
                if (file is null)
                {
                    file = CsvWriter.ToFile(ErrorPathOf(id), new CsvWriterOptions());
                    file.WriteHeader("row", "column", "value", "message");
                }
                file.WriteRecord(error.Row.ToString(CultureInfo.InvariantCulture), error.Column, error.Value, error.Message);
            }
        }
        finally
        {
            file?.Dispose();
        }
        return (
            new InventoryReading(
                rows,
                broken,
                lots.Objects,
                (double)lots.Bytes,
                lots.Lots().Count(),
                reader.AmbiguousDates,
                reader.LaterDates,
                errors,
                Foresee(lots, terms, own, today)
            ),
            lots
        );
    }

    private static List<UntouchedPrefix> Foresee(LotGatherer lots, Terms terms, BucketTerms own, DateOnly today)
    {
        var sums = new UntouchedSums(terms, own);
        foreach (var lot in lots.Lots())
        {
            var touched = lot.LastRead > lot.Created ? lot.LastRead.Value : lot.Created;
            sums.Add(
                lot.Prefix[..(lot.Prefix.IndexOf('/', StringComparison.Ordinal) + 1)],
                lot.Objects,
                lot.Bytes,
                lot.Tier,
                today.DayNumber - touched.DayNumber
            );
        }
        return sums.ByPrefix();
    }

    private static ColumnMapping? Suggest(IReadOnlyList<string> columns)
    {
        string? Like(params string[] words) =>
            words
                .Select(w => columns.FirstOrDefault(c => Plain(c).Contains(w, StringComparison.Ordinal)))
                .FirstOrDefault(c => c is not null);
        var (key, bytes, modified) = (
            Like("key", "path", "object", "name"),
            Like("bytes", "size", "length"),
            Like("modified", "mtime", "written", "created", "date")
        );
        return key is null || bytes is null || modified is null
            ? null
            : new ColumnMapping
            {
                Key = key,
                Bytes = bytes,
                LastModified = modified,
                LastRead = Like("lastread", "accessed", "atime", "read"),
                Tier = Like("tier", "class"),
            };
    }

    private static string Plain(string column) => new([.. column.ToLowerInvariant().Where(char.IsLetter)]);

    private string Known(string id) =>
        Guid.TryParseExact(id, "N", out _) && File.Exists(PathOf(id))
            ? id
            : throw new RefusalException(RefusalKind.NotFound, "no-inventory", "There is no such inventory any more; send it again.");

    private string PathOf(string id) => Path.Combine(folder, id);

    private string ErrorPathOf(string id) => Path.Combine(folder, id + ".errors.csv");
}
