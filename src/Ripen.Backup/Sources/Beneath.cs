using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Ripen.Backup.Sources;

/// <summary>Opens files below a folder and nowhere else: a name that has become a link since it was looked at, or whose folder has, is not
/// followed (Linux openat2, RESOLVE_BENEATH and RESOLVE_NO_SYMLINKS).</summary>
internal static partial class Beneath
{
    private const int OpenAt2Number = 437;
    private const int HereInstead = -100;
    private const int CloseOnExec = 0x80000;

    /// <summary>What has become a pipe is not waited for.</summary>
    private const int NonBlocking = 0x800;
    private const ulong NoMagicLinks = 2;
    private const ulong NoSymlinks = 4;
    private const ulong OnlyBeneath = 8;
    private const int NotImplemented = 38;
    private const int NoEntry = 2;
    private const int NotAllowed = 13;
    private const int IsLink = 40;

    private static int NoFollow => RuntimeInformation.ProcessArchitecture == Architecture.Arm64 ? 0x8000 : 0x20000;

    /// <exception cref="IOException">It is gone, has become a link, or cannot be opened.</exception>
    /// <exception cref="UnauthorizedAccessException">It may not be read.</exception>
    public static FileStream Open(string folder, string path)
    {
        var root = Open(HereInstead, folder, CloseOnExec, 0);
        if (root < 0)
            throw Failed(path);
        var how = new OpenHow { Flags = CloseOnExec | NonBlocking, Resolve = OnlyBeneath | NoSymlinks | NoMagicLinks };
        var handle = (int)OpenAt2(OpenAt2Number, root, path, ref how, Marshal.SizeOf<OpenHow>());
        // A kernel from before 5.6: at least the last name is not followed.
        if (handle < 0 && Marshal.GetLastPInvokeError() == NotImplemented)
            handle = Open(root, path, CloseOnExec | NonBlocking | NoFollow, 0);
        var error = Marshal.GetLastPInvokeError();
        _ = Close(root);
        Marshal.SetLastPInvokeError(error);
        return handle < 0 ? throw Failed(path) : new FileStream(new SafeFileHandle(handle, ownsHandle: true), FileAccess.Read, 0);
    }

    private static Exception Failed(string path) =>
        Marshal.GetLastPInvokeError() switch
        {
            NoEntry => new FileNotFoundException("It is gone.", path),
            NotAllowed => new UnauthorizedAccessException("It may not be read."),
            IsLink => new IOException("It has become a link since it was looked at, or a folder above it has; links are not followed."),
            _ => new IOException(Marshal.GetLastPInvokeErrorMessage()),
        };

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(int folder, string path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial nint OpenAt2(nint number, nint folder, string path, ref OpenHow how, nint bytes);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int handle);

    private struct OpenHow
    {
        public ulong Flags;
        public ulong Mode;
        public ulong Resolve;
    }
}
