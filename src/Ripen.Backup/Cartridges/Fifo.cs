using System.Runtime.InteropServices;

namespace Ripen.Backup.Cartridges;

/// <summary>A named pipe (POSIX mkfifo) under a name that programs open like a tape's device file. This end never blocks in a way that
/// cannot be stopped.</summary>
internal sealed partial class Fifo : Stream
{
    private const int ReadOnly = 0;
    private const int WriteOnly = 1;
    private const int NonBlocking = 0x800;
    private const int SetFlags = 4;
    private const int TryAgain = 11;
    private const short Readable = 1;
    private const short Writable = 4;
    private const int PollMilliseconds = 200;

    /// <summary>For the user who runs this program alone.</summary>
    private const uint Mode = 0x180;

    private readonly int handle;
    private readonly bool writes;
    private bool closed;

    private Fifo(int handle, bool writes) => (this.handle, this.writes) = (handle, writes);

    public override bool CanRead => !writes;
    public override bool CanWrite => writes;
    public override bool CanSeek => false;
    public override long Length => throw new NotSupportedException();
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    /// <summary>Puts a new one under the name, in one step: who opens it now meets nobody who opened it before.</summary>
    public static void Put(string path)
    {
        var beside = $"{path}.{Guid.NewGuid():N}";
        if (MakeFifo(beside, Mode) != 0)
            throw Failed($"Cannot make the pipe '{path}'");
        File.Move(beside, path, overwrite: true);
    }

    /// <summary>Waits until a program opens the other end; <see cref="Wake"/> ends that as well.</summary>
    public static Fifo Open(string path, bool writes)
    {
        var handle = Open(path, writes ? WriteOnly : ReadOnly);
        if (handle < 0)
            throw Failed($"Cannot open the pipe '{path}'");
        _ = SetControl(handle, SetFlags, NonBlocking);
        return new Fifo(handle, writes);
    }

    /// <summary>Lets go whoever waits for somebody to open the other end, to write or to read.</summary>
    public static void Wake(string path)
    {
        foreach (var way in (int[])[ReadOnly, WriteOnly])
        {
            var handle = Open(path, way | NonBlocking);
            if (handle >= 0)
                _ = Close(handle);
        }
    }

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
    {
        while (true)
        {
            cancellationToken.ThrowIfCancellationRequested();
            int count;
            unsafe
            {
                fixed (byte* into = buffer.Span)
                    count = (int)Read(handle, into, (nuint)buffer.Length);
            }
            if (count >= 0)
                return count;
            await Wait(Readable, "read");
        }
    }

    public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        while (buffer.Length > 0)
        {
            cancellationToken.ThrowIfCancellationRequested();
            int count;
            unsafe
            {
                fixed (byte* from = buffer.Span)
                    count = (int)Write(handle, from, (nuint)buffer.Length);
            }
            if (count >= 0)
                buffer = buffer[count..];
            else
                await Wait(Writable, "write");
        }
    }

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    protected override void Dispose(bool disposing)
    {
        if (!closed)
            _ = Close(handle);
        closed = true;
        base.Dispose(disposing);
    }

    private Task Wait(short what, string act)
    {
        if (Marshal.GetLastPInvokeError() != TryAgain)
            throw Failed($"Cannot {act} the pipe");
        return Task.Run(() =>
        {
            var asked = new Poll { Handle = handle, Events = what };
            _ = PollFor(ref asked, 1, PollMilliseconds);
        });
    }

    private static IOException Failed(string what) => new($"{what}: {Marshal.GetLastPInvokeErrorMessage()}.");

    [LibraryImport("libc", EntryPoint = "mkfifo", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int MakeFifo(string path, uint mode);

    [LibraryImport("libc", EntryPoint = "open", SetLastError = true, StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Open(string path, int flags);

    [LibraryImport("libc", EntryPoint = "fcntl", SetLastError = true)]
    private static partial int SetControl(int handle, int command, int flags);

    [LibraryImport("libc", EntryPoint = "read", SetLastError = true)]
    private static unsafe partial nint Read(int handle, byte* into, nuint bytes);

    [LibraryImport("libc", EntryPoint = "write", SetLastError = true)]
    private static unsafe partial nint Write(int handle, byte* from, nuint bytes);

    [LibraryImport("libc", EntryPoint = "poll")]
    private static partial int PollFor(ref Poll asked, uint count, int milliseconds);

    [LibraryImport("libc", EntryPoint = "close")]
    private static partial int Close(int handle);

    private struct Poll
    {
        public int Handle;
        public short Events;
        public short Answer;
    }
}
