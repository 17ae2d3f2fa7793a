using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Ripen.Server.Http;

/// <summary>Answers that are written as they come to be, however long they are.</summary>
internal static class Streams
{
    private const int BufferBytes = 1 << 16;

    /// <summary>A text file, UTF-8, written to the answer through a buffer.</summary>
    public static PushStreamHttpResult Text(Action<TextWriter> write, string mediaType, string fileName) =>
        TypedResults.Stream(
            async stream =>
            {
                await using var through = new BlockingStream(stream);
                await using var writer = new StreamWriter(through, new UTF8Encoding(false), BufferBytes);
                await Task.Run(() => write(writer));
            },
            mediaType,
            fileName
        );

    /// <summary>Lets a writer that knows only synchronous writing write to an answer that knows only the other.</summary>
    private sealed class BlockingStream(Stream answer) : Stream
    {
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
            answer.WriteAsync(buffer.AsMemory(offset, count)).AsTask().GetAwaiter().GetResult();

        public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default) =>
            answer.WriteAsync(buffer, cancellationToken);
    }
}
