namespace Ripen.Backup.Cartridges;

/// <summary>What a loaded cartridge is for.</summary>
public enum DriveUse
{
    Write,
    Read,
}

/// <summary>How a drive stands.</summary>
/// <param name="Cartridge">Loaded; null for none.</param>
/// <param name="Use">What it was loaded for.</param>
/// <param name="File">That is under way or comes next; of a cartridge that is written, the one behind its last.</param>
/// <param name="Busy">Whether a program has it open.</param>
/// <param name="Bytes">Of the file under way.</param>
/// <param name="Said">What went wrong last; null for nothing.</param>
public sealed record DriveStatus(int? Cartridge, DriveUse Use, int File, bool Busy, long Bytes, string? Said);

/// <summary>
/// A drive: a named pipe that a program opens like a tape's device file that does not rewind. Each time that it is opened and closed for
/// writing makes one file; each time that it is opened for reading gives the next one.
/// </summary>
/// <param name="shelf">Whose cartridges it takes.</param>
/// <param name="path">Of the pipe.</param>
public sealed class CartridgeDrive(CartridgeShelf shelf, string path) : IAsyncDisposable
{
    private readonly SemaphoreSlim loading = new(1);
    private readonly SemaphoreSlim inUse = new(1);
    private CancellationTokenSource? stop;
    private Task running = Task.CompletedTask;

    public string Path => path;

    public DriveStatus Status { get; private set; } = new(null, DriveUse.Write, 0, false, 0, null);

    /// <summary>Puts a cartridge in, for one use.</summary>
    /// <exception cref="RefusalException">There is one in it, or none of this number, or it may not be written.</exception>
    public async Task Load(int number, DriveUse use, CancellationToken cancel)
    {
        await loading.WaitAsync(cancel);
        try
        {
            if (Status.Cartridge is { } there)
                throw new RefusalException(RefusalKind.Conflict, "drive-loaded", $"Cartridge {there} is in this drive: unload it first.");
            var cartridge = await shelf.Find(number, cancel);
            if (use == DriveUse.Write && cartridge.Label.Protected)
                throw new RefusalException(
                    RefusalKind.Forbidden,
                    "write-protected",
                    $"Cartridge {number} is write-protected: load it for reading, or take the protection away."
                );
            Directory.CreateDirectory(System.IO.Path.GetDirectoryName(path)!);
            Fifo.Put(path);
            stop = new CancellationTokenSource();
            var token = stop.Token;
            Status = new DriveStatus(number, use, use == DriveUse.Write ? cartridge.Files.Count + 1 : 1, false, 0, null);
            running = Task.Factory.StartNew(() => Serve(token), token, TaskCreationOptions.LongRunning, TaskScheduler.Default).Unwrap();
        }
        finally
        {
            loading.Release();
        }
    }

    /// <summary>Takes the cartridge out. A file that a program is writing breaks off, and is not on it.</summary>
    public async Task Unload()
    {
        await loading.WaitAsync();
        try
        {
            if (stop is null)
                return;
            await stop.CancelAsync();
            while (!running.IsCompleted)
            {
                Fifo.Wake(path);
                await Task.WhenAny(running, Task.Delay(20));
            }
            File.Delete(path);
            stop.Dispose();
            stop = null;
            Status = Status with { Cartridge = null, Busy = false, Bytes = 0, File = 0 };
        }
        finally
        {
            loading.Release();
        }
    }

    /// <summary>Writes a file as a program would through the pipe.</summary>
    /// <exception cref="RefusalException">No cartridge is loaded for writing, it is in use, or it does not take the file.</exception>
    public async Task<CartridgeFile?> Write(Stream source, CancellationToken cancel)
    {
        if (Status is not { Cartridge: { } number, Use: DriveUse.Write })
            throw new RefusalException(RefusalKind.Conflict, "not-loaded", "No cartridge is loaded for writing in this drive.");
        if (!await inUse.WaitAsync(0, cancel))
            throw new RefusalException(RefusalKind.Conflict, "drive-in-use", "A program is using this drive; wait until it is done.");
        try
        {
            return await Take(number, source, cancel);
        }
        finally
        {
            inUse.Release();
        }
    }

    public async ValueTask DisposeAsync()
    {
        await Unload();
        loading.Dispose();
        inUse.Dispose();
    }

    private async Task Serve(CancellationToken cancel)
    {
        while (!cancel.IsCancellationRequested)
        {
            await using var pipe = Fifo.Open(path, writes: Status.Use == DriveUse.Read);
            if (cancel.IsCancellationRequested)
                return;
            // Whoever opens the name from now on waits for the next file.
            Fifo.Put(path);
            await inUse.WaitAsync(cancel);
            try
            {
                if (Status.Use == DriveUse.Write)
                    await Take(Status.Cartridge!.Value, pipe, cancel);
                else
                    await Give(pipe, cancel);
            }
            catch (Exception failed) when (failed is RefusalException or IOException)
            {
                Status = Status with { Said = failed.Message };
            }
            catch (OperationCanceledException)
            {
                return;
            }
            finally
            {
                Status = Status with { Busy = false, Bytes = 0 };
                inUse.Release();
            }
        }
    }

    private async Task<CartridgeFile?> Take(int number, Stream source, CancellationToken cancel)
    {
        Status = Status with { Busy = true, Bytes = 0, Said = null };
        try
        {
            var written = await shelf.Append(number, source, bytes => Status = Status with { Bytes = bytes }, cancel);
            if (written is not null)
                Status = Status with { File = written.Number + 1 };
            return written;
        }
        catch (RefusalException refused)
        {
            Status = Status with { Said = refused.Message };
            throw;
        }
        finally
        {
            Status = Status with { Busy = false, Bytes = 0 };
        }
    }

    private async Task Give(Stream target, CancellationToken cancel)
    {
        var file = Status.File;
        var known = (await shelf.Find(Status.Cartridge!.Value, cancel)).Files.Count;
        // Behind the last file a tape gives nothing, and so does this.
        if (file > known)
            return;
        Status = Status with { Busy = true, Said = null, File = file + 1 };
        try
        {
            await shelf.Send(Status.Cartridge!.Value, file, target, cancel);
        }
        catch (IOException)
        {
            // The program has read enough: tar stops at the archive's end, and not at the file's.
        }
    }
}
