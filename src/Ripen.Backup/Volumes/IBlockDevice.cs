namespace Ripen.Backup.Volumes;

/// <summary>A run of bytes that holds something, or nothing but zeros.</summary>
/// <param name="Bytes">Its length.</param>
/// <param name="IsHole">Whether nothing is stored for it.</param>
public readonly record struct DeviceExtent(long Bytes, bool IsHole);

/// <summary>Bytes by their offset, from 0 to <see cref="SizeBytes"/>; what was never written is zero. Calls may overlap in time.</summary>
public interface IBlockDevice
{
    long SizeBytes { get; }

    bool IsReadOnly { get; }

    Task Read(long offset, Memory<byte> into, CancellationToken cancel);

    /// <summary>On return it is on a disk for good, and the memory may be used anew, also where it failed.</summary>
    /// <exception cref="IOException">It could not be kept.</exception>
    Task Write(long offset, ReadOnlyMemory<byte> content, CancellationToken cancel);

    /// <summary>The same with zeros, and nothing is stored for what is wholly zero.</summary>
    Task Zero(long offset, long bytes, CancellationToken cancel);

    /// <summary>From <paramref name="offset"/> on, until at least <paramref name="bytes"/> are told.</summary>
    IReadOnlyList<DeviceExtent> Extents(long offset, long bytes);
}
