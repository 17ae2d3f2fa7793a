using System.Buffers.Binary;
using System.Net.Sockets;
using System.Text;

namespace Ripen.Server.Tests;

/// <summary>As much of an NBD client as the tests need: one request after the other, over the oldest option.</summary>
internal sealed class NbdClient : IDisposable
{
    private readonly TcpClient client = new();
    private readonly NetworkStream stream;

    public NbdClient(Uri address)
    {
        client.Connect(address.Host, address.Port);
        stream = client.GetStream();
        stream.ReadExactly(new byte[18]);
        var name = Encoding.UTF8.GetBytes(Uri.UnescapeDataString(address.AbsolutePath[1..]));
        var hello = new byte[20 + name.Length];
        BinaryPrimitives.WriteUInt32BigEndian(hello, 3);
        BinaryPrimitives.WriteUInt64BigEndian(hello.AsSpan(4), 0x49484156454f5054);
        BinaryPrimitives.WriteUInt32BigEndian(hello.AsSpan(12), 1);
        BinaryPrimitives.WriteUInt32BigEndian(hello.AsSpan(16), (uint)name.Length);
        name.CopyTo(hello, 20);
        stream.Write(hello);
        var told = new byte[10];
        stream.ReadExactly(told);
        Size = BinaryPrimitives.ReadInt64BigEndian(told);
    }

    public long Size { get; }

    /// <exception cref="IOException">The server is gone.</exception>
    public uint Write(long offset, byte[] content) => Ask(1, offset, content.Length, content);

    public byte[] Read(long offset, int count)
    {
        Assert.Equal(0u, Ask(0, offset, count, []));
        var content = new byte[count];
        stream.ReadExactly(content);
        return content;
    }

    public void Dispose() => client.Dispose();

    private uint Ask(ushort command, long offset, int length, byte[] payload)
    {
        var request = new byte[28 + payload.Length];
        BinaryPrimitives.WriteUInt32BigEndian(request, 0x25609513);
        BinaryPrimitives.WriteUInt16BigEndian(request.AsSpan(6), command);
        BinaryPrimitives.WriteInt64BigEndian(request.AsSpan(16), offset);
        BinaryPrimitives.WriteInt32BigEndian(request.AsSpan(24), length);
        payload.CopyTo(request, 28);
        stream.Write(request);
        var reply = new byte[16];
        stream.ReadExactly(reply);
        return BinaryPrimitives.ReadUInt32BigEndian(reply.AsSpan(4));
    }
}
