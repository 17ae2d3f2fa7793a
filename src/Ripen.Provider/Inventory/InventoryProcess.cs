using System.Diagnostics;
using Ripen.Reader;

namespace Ripen.Provider.Inventory;

/// <summary>
/// An inventory that is read by a process of its own, with a limit on memory and on the processor time that it may take without telling a
/// row: whatever a file does to its parser, this process goes on.
/// </summary>
internal sealed class InventoryProcess : IAsyncDisposable
{
    private const string HeapLimit = "0x30000000";
    private const int RowsAtOnce = 1000;
    private static readonly TimeSpan LookEvery = TimeSpan.FromMilliseconds(100);

    private readonly Process process;
    private readonly BinaryReader from;
    private readonly TimeSpan patience;

    private readonly string what;

    private InventoryProcess(Process process, TimeSpan patience, string what)
    {
        (this.process, this.patience, this.what) = (process, patience, what);
        from = new BinaryReader(new BufferedStream(process.StandardOutput.BaseStream, 1 << 16));
    }

    /// <summary>"csv" or "parquet".</summary>
    public string Format { get; private set; } = "";

    public IReadOnlyList<string> Columns { get; private set; } = [];

    /// <param name="path">The file.</param>
    /// <param name="cancel">Ends the reading.</param>
    /// <param name="what">It is, in a word for refusals.</param>
    /// <exception cref="RefusalException">It is neither CSV with a header nor Parquet, or reading it takes too much.</exception>
    public static async Task<InventoryProcess> Open(string path, CancellationToken cancel, string what = "inventory")
    {
        var start = new ProcessStartInfo(Path.Combine(AppContext.BaseDirectory, "Ripen.Reader"), [path])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["DOTNET_GCHeapHardLimit"] = HeapLimit;
        start.Environment["DOTNET_DbgEnableMiniDump"] = "0";
        var started = Process.Start(start) ?? throw Unreadable(what, "The reader could not be started.");
        started.ErrorDataReceived += (_, _) => { };
        started.BeginErrorReadLine();
        // Ten seconds of work, and a second more for every ten megabytes.
        var own = new InventoryProcess(started, TimeSpan.FromSeconds(10 + (new FileInfo(path).Length / 10_000_000)), what);
        try
        {
            if (await own.Next(1, cancel) is not [(RowProtocol.Told.Columns, [var format, .. var columns])])
                throw own.Unreadable("It has no columns.");
            (own.Format, own.Columns) = (format, columns);
            return own;
        }
        catch
        {
            await own.DisposeAsync();
            throw;
        }
    }

    /// <summary>The rows in the file's order; a short one lacks its last columns.</summary>
    /// <exception cref="RefusalException">The file is damaged, or reading it takes too much.</exception>
    public async IAsyncEnumerable<string[]> Rows([System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel)
    {
        // The first ones singly: a preview wants no more.
        for (var most = 1; ; most = RowsAtOnce)
        {
            foreach (var (what, row) in await Next(most, cancel))
            {
                if (what != RowProtocol.Told.Row)
                    yield break;
                yield return row;
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        if (!process.HasExited)
            process.Kill();
        await process.WaitForExitAsync();
        process.Dispose();
        from.Dispose();
    }

    /// <summary>So many messages, or fewer when the end is among them.</summary>
    private async ValueTask<List<(RowProtocol.Told What, string[] Texts)>> Next(int most, CancellationToken cancel)
    {
        var reading = Task.Run(() => ReadSome(most), CancellationToken.None);
        TimeSpan? began = null;
        while (await Task.WhenAny(reading, Task.Delay(LookEvery, CancellationToken.None)) != reading)
        {
            if (ProcessorTime() is not { } spent)
                continue;
            began ??= spent;
            if (!cancel.IsCancellationRequested && spent - began < patience)
                continue;
            process.Kill();
            cancel.ThrowIfCancellationRequested();
            throw Unreadable("Reading it takes longer than a file of its size may take.");
        }
        return await reading;
    }

    private List<(RowProtocol.Told What, string[] Texts)> ReadSome(int most)
    {
        var told = new List<(RowProtocol.Told What, string[] Texts)>();
        while (told.Count < most)
        {
            var one =
                RowProtocol.Read(from)
                ?? throw Unreadable("The reader ended before the file did: it is damaged, or needs more memory than a list may need.");
            if (one is (RowProtocol.Told.Unreadable, [var why]))
                throw Unreadable(why);
            told.Add(one);
            if (one.What == RowProtocol.Told.End)
                break;
        }
        return told;
    }

    /// <summary>Null when it has ended.</summary>
    private TimeSpan? ProcessorTime()
    {
        try
        {
            return process.TotalProcessorTime;
        }
        catch (Exception ended) when (ended is InvalidOperationException or System.ComponentModel.Win32Exception)
        {
            return null;
        }
    }

    private RefusalException Unreadable(string why) => Unreadable(what, why);

    private static RefusalException Unreadable(string what, string why) =>
        new(RefusalKind.Invalid, $"unreadable-{what}", $"This {what} cannot be read. {why}");
}
