using System.Runtime.InteropServices;

namespace Ripen.Backup.Sources;

/// <summary>What Linux says of a file without following a link: statx(2).</summary>
internal readonly partial record struct FileStatus(
    ushort Mode,
    int Owner,
    int Group,
    ulong Inode,
    long Size,
    long Blocks,
    long Modified,
    long Changed,
    (uint Major, uint Minor) Device
)
{
    private const int CurrentFolder = -100;
    private const int NoFollow = 0x100;
    private const uint Basic = 0x7ff;
    private const int TypeBits = 0xf000;

    public bool IsFile => (Mode & TypeBits) == 0x8000;

    public bool IsFolder => (Mode & TypeBits) == 0x4000;

    public bool IsLink => (Mode & TypeBits) == 0xa000;

    public int Permissions => Mode & 0xfff;

    /// <summary>A block has 512 bytes, whatever the file system's are.</summary>
    public bool HasHoles => Blocks * 512 < Size;

    /// <summary>Null when there is nothing of this name, or nobody may look.</summary>
    public static FileStatus? Of(string path)
    {
        if (Statx(CurrentFolder, path, NoFollow, Basic, out var s) != 0)
            return null;
        return new FileStatus(
            s.Mode,
            (int)s.Owner,
            (int)s.Group,
            s.Inode,
            (long)s.Size,
            (long)s.Blocks,
            (s.ModifiedSeconds * 1_000_000_000) + s.ModifiedNanoseconds,
            (s.ChangedSeconds * 1_000_000_000) + s.ChangedNanoseconds,
            (s.DeviceMajor, s.DeviceMinor)
        );
    }

    [LibraryImport("libc", EntryPoint = "statx", StringMarshalling = StringMarshalling.Utf8, SetLastError = true)]
    private static partial int Statx(int folder, string path, int flags, uint mask, out Layout status);

    /// <summary>The same on every architecture, by the kernel's promise.</summary>
    [StructLayout(LayoutKind.Explicit, Size = 256)]
    private struct Layout
    {
        [FieldOffset(20)]
        public uint Owner;

        [FieldOffset(24)]
        public uint Group;

        [FieldOffset(28)]
        public ushort Mode;

        [FieldOffset(32)]
        public ulong Inode;

        [FieldOffset(40)]
        public ulong Size;

        [FieldOffset(48)]
        public ulong Blocks;

        [FieldOffset(96)]
        public long ChangedSeconds;

        [FieldOffset(104)]
        public uint ChangedNanoseconds;

        [FieldOffset(112)]
        public long ModifiedSeconds;

        [FieldOffset(120)]
        public uint ModifiedNanoseconds;

        [FieldOffset(136)]
        public uint DeviceMajor;

        [FieldOffset(140)]
        public uint DeviceMinor;
    }
}
