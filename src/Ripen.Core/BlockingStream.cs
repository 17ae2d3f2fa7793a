namespace Ripen.Core;

/// <summary>Lets a writer that knows only synchronous writing write to an answer that knows only the other.</summary>
public sealed class BlockingStream(Stream answer) : Stream
{
    /// <summary>Bytes that went through.</summary>
    public long Written { get; private set; }

    public override bool CanRead => false;
    public override bool CanSeek => false;
    public override bool CanWrite => true;
    public override long Length => throw new NotSupportedException();
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    public override void Flush() => answer.FlushAsync().GetAwaiter().GetResult();

    public override Task FlushAsync(CancellationToken cancellationToken) => answer.FlushAsync(cancellationToken);

    public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) =>
        WriteAsync(buffer.AsMemory(offset, count)).AsTask().GetAwaiter().GetResult();

    public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
    {
        await answer.WriteAsync(buffer, cancellationToken);
        Written += buffer.Length;
    }
}
