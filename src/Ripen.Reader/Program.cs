using Ripen.Reader;
using static Ripen.Reader.RowProtocol;

// Reads an inventory, a file from somebody, and tells its rows on standard output. A process of its own, so that a file that makes a parser
// run for ever or take all memory takes nothing else with it. First argument: the file.
await using var output = Console.OpenStandardOutput();
await using var to = new BinaryWriter(new BufferedStream(output, 1 << 16));
try
{
    await using var file = await InventoryFiles.Open(args[0]);
    Write(to, Told.Columns, [file.Format, .. file.Columns]);
    to.Flush();
    var rows = 0L;
    await foreach (var row in file.Rows(CancellationToken.None))
    {
        Write(to, Told.Row, row);
        // A preview wants the first ones, and no more.
        if (++rows <= 20)
            to.Flush();
    }
    Write(to, Told.End);
    return 0;
}
catch (IOException) when (!File.Exists(args[0]))
{
    return 1;
}
catch (Exception unreadable) when (unreadable is not OutOfMemoryException)
{
    Write(
        to,
        Told.Unreadable,
        unreadable is UnreadableException ? unreadable.Message : $"This is neither CSV with a header line nor Parquet: {unreadable.Message}"
    );
    return 0;
}
