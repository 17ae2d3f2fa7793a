namespace Ripen.Backup.Volumes;

/// <summary>A volume as it was.</summary>
/// <param name="Id">In its volume, for life.</param>
/// <param name="Name">For people.</param>
/// <param name="Taken">When.</param>
/// <param name="Checkpoint">The state that it keeps.</param>
/// <param name="Scheduled">Whether a schedule took it, and may remove it.</param>
public sealed record VolumeSnapshot(string Id, string Name, DateTimeOffset Taken, long Checkpoint, bool Scheduled);

/// <summary>Reads a snapshot, and writes nothing.</summary>
internal sealed class SnapshotDevice(
    VolumeDescription description,
    BlockMap map,
    Func<long, long, int, Memory<byte>, CancellationToken, Task> readStored
) : IBlockDevice
{
    public long SizeBytes => description.SizeBytes;

    public bool IsReadOnly => true;

    public async Task Read(long offset, Memory<byte> into, CancellationToken cancel)
    {
        while (into.Length > 0)
        {
            var (block, within) = Math.DivRem(offset, description.BlockBytes);
            var count = (int)Math.Min(description.BlockBytes - within, into.Length);
            await readStored(block, map[block], (int)within, into[..count], cancel);
            into = into[count..];
            offset += count;
        }
    }

    public Task Write(long offset, ReadOnlyMemory<byte> content, CancellationToken cancel) => throw Refused();

    public Task Zero(long offset, long bytes, CancellationToken cancel) => throw Refused();

    public IReadOnlyList<DeviceExtent> Extents(long offset, long bytes) =>
        DeviceExtents.Of(offset, bytes, SizeBytes, description.BlockBytes, block => map[block] == 0);

    private static RefusalException Refused() => new(RefusalKind.Forbidden, "read-only", "A snapshot is never written.");
}

/// <summary>Runs of blocks with something and with nothing in them.</summary>
internal static class DeviceExtents
{
    public static IReadOnlyList<DeviceExtent> Of(long offset, long bytes, long size, int blockBytes, Func<long, bool> isHole)
    {
        var runs = new List<DeviceExtent>();
        var end = Math.Min(size, offset + bytes);
        for (var at = offset; at < end; )
        {
            var block = at / blockBytes;
            var hole = isHole(block);
            var to = Math.Min(end, (block + 1) * blockBytes);
            if (runs.Count > 0 && runs[^1].IsHole == hole)
                runs[^1] = runs[^1] with { Bytes = runs[^1].Bytes + (to - at) };
            else
                runs.Add(new DeviceExtent(to - at, hole));
            at = to;
        }
        return runs;
    }
}
