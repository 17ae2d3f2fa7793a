using System.Text;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Ripen.Server.Http;

/// <summary>Answers that are written as they come to be, however long they are.</summary>
internal static class Streams
{
    private const int BufferBytes = 1 << 16;

    /// <summary>A text file, UTF-8, written to the answer through a buffer.</summary>
    public static PushStreamHttpResult Text(Action<TextWriter> write, string mediaType, string fileName) =>
        Bytes(
            stream =>
            {
                using var writer = new StreamWriter(stream, new UTF8Encoding(false), BufferBytes);
                write(writer);
            },
            mediaType,
            fileName
        );

    /// <summary>A file, written to the answer.</summary>
    public static PushStreamHttpResult Bytes(Action<Stream> write, string mediaType, string fileName) =>
        TypedResults.Stream(
            async stream =>
            {
                await using var through = new BlockingStream(stream);
                await Task.Run(() => write(through));
            },
            mediaType,
            fileName
        );
}
