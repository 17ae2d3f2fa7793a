namespace Ripen.Provider.Inventory;

/// <summary>A table from somebody, CSV or Parquet, read by a process of its own.</summary>
public static class ForeignTable
{
    private const long MostBytes = 500_000_000;

    /// <param name="body">The file.</param>
    /// <param name="what">It is, in a word for refusals.</param>
    /// <param name="read">Is given the names of the columns, and the rows while they come.</param>
    /// <param name="cancel">Ends the reading.</param>
    /// <exception cref="RefusalException">It is neither CSV with a header nor Parquet, too large, or reading it takes too much.</exception>
    public static async Task<T> Read<T>(
        Stream body,
        string what,
        Func<IReadOnlyList<string>, IAsyncEnumerable<string[]>, Task<T>> read,
        CancellationToken cancel
    )
    {
        var path = Path.GetTempFileName();
        try
        {
            await using (var file = File.Create(path))
            {
                var buffer = new byte[1 << 16];
                while (await body.ReadAsync(buffer, cancel) is > 0 and var n)
                {
                    if (file.Length + n > MostBytes)
                        throw new RefusalException(RefusalKind.TooLarge, "too-large", $"A {what} has {MostBytes:#,0} bytes at most.");
                    await file.WriteAsync(buffer.AsMemory(0, n), cancel);
                }
            }
            await using var table = await InventoryProcess.Open(path, cancel, what);
            return await read(table.Columns, table.Rows(cancel));
        }
        finally
        {
            File.Delete(path);
        }
    }
}
