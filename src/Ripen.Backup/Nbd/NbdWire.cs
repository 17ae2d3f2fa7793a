namespace Ripen.Backup.Nbd;

/// <summary>Numbers of the NBD protocol: github.com/NetworkBlockDevice/nbd, doc/proto.md. Everything on the wire is big-endian.</summary>
internal static class NbdWire
{
    public const ulong Greeting = 0x4e42444d41474943;
    public const ulong OptionMagic = 0x49484156454f5054;
    public const ulong OptionReplyMagic = 0x3e889045565a9;
    public const uint RequestMagic = 0x25609513;
    public const uint SimpleReplyMagic = 0x67446698;
    public const uint StructuredReplyMagic = 0x668e33ef;

    public const ushort FixedNewstyle = 1;
    public const ushort NoZeroes = 2;

    /// <summary>Clients that were told no limit may send as much.</summary>
    public const int MostPayload = 32 << 20;
    public const int MostOption = 1 << 16;
}

internal enum NbdOption : uint
{
    ExportName = 1,
    Abort = 2,
    List = 3,
    Info = 6,
    Go = 7,
    StructuredReply = 8,
    ListMetaContext = 9,
    SetMetaContext = 10,
}

internal enum NbdReply : uint
{
    Ack = 1,
    Server = 2,
    Info = 3,
    MetaContext = 4,
    Unsupported = 0x80000001,
    Invalid = 0x80000003,
    Unknown = 0x80000006,
}

internal enum NbdInfo : ushort
{
    Export = 0,
    BlockSize = 3,
}

[Flags]
internal enum NbdTransmission : ushort
{
    HasFlags = 1,
    ReadOnly = 2,
    Flush = 4,
    Fua = 8,
    Trim = 32,
    WriteZeroes = 64,
    DontFragment = 128,
    MultiConnection = 256,
}

internal enum NbdCommand : ushort
{
    Read = 0,
    Write = 1,
    Disconnect = 2,
    Flush = 3,
    Trim = 4,
    WriteZeroes = 6,
    BlockStatus = 7,
}

internal enum NbdChunk : ushort
{
    None = 0,
    OffsetData = 1,
    BlockStatus = 5,
    Error = 0x8001,
}

/// <summary>Errors as the protocol numbers them.</summary>
internal enum NbdError : uint
{
    None = 0,
    NotPermitted = 1,
    Io = 5,
    Invalid = 22,
    NoSpace = 28,
    Unsupported = 95,
}
