using System.Runtime.InteropServices;

namespace Ripen.Core;

/// <summary>Forces a folder's list of names to the disk, so that a rename outlives a power cut (POSIX fsync on a directory).</summary>
public static partial class Durable
{
    public static void Folder(string path) => Force(path, Sync);

    /// <summary>Forces everything on the file system of <paramref name="path"/> (Linux syncfs): for many files at once.</summary>
    public static void Everything(string path) => Force(path, SyncFileSystem);

    private static void Force(string path, Func<int, int> sync)
    {
        var handle = Open(path, 0);
        if (handle < 0)
            throw new IOException($"Cannot open '{path}' to force it to the disk.", Marshal.GetLastPInvokeError());
        var failed = sync(handle) != 0;
        _ = Close(handle);
        if (failed)
            throw new IOException($"Cannot force '{path}' to the disk.");
    }

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    private static partial int Sync(int handle);

    [LibraryImport("libc", EntryPoint = "syncfs", SetLastError = true)]
    private static partial int SyncFileSystem(int handle);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int handle);
}
