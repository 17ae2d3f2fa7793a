using Ripen.Backup.Points;

namespace Ripen.Backup.Pools;

/// <summary>The content of a file of a point, read forward, one chunk in memory at a time. It says that it can seek, so that who writes a head
/// before it may ask how long it is; it goes nowhere but forward.</summary>
internal sealed class ChunkStream(Pool pool, Entry file) : Stream
{
    private ReadOnlyMemory<byte> chunk;
    private int next;
    private long read;

    public override bool CanRead => true;

    public override bool CanSeek => true;

    public override bool CanWrite => false;

    public override long Length => file.Size;

    public override long Position
    {
        get => read;
        set => throw new NotSupportedException();
    }

    public override int Read(Span<byte> buffer)
    {
        while (chunk.Length == 0)
        {
            if (next == file.ChunkCount)
                return 0;
            chunk = pool.Chunk(file.Chunk(next++), CancellationToken.None).GetAwaiter().GetResult();
        }
        var count = Math.Min(buffer.Length, chunk.Length);
        chunk.Span[..count].CopyTo(buffer);
        chunk = chunk[count..];
        read += count;
        return count;
    }

    public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}
