namespace Ripen.Backup.Volumes;

/// <summary>Brings what one device holds onto another, and passes over its holes.</summary>
public static class VolumeCopy
{
    private const int PartBytes = 4 << 20;

    /// <param name="from">Read from its beginning to its end.</param>
    /// <param name="into">At least as large, and all zeros.</param>
    /// <param name="tell">How many bytes are there.</param>
    /// <param name="cancel">Stops; what was brought stays.</param>
    /// <returns>Bytes that were brought.</returns>
    public static async Task<long> Of(IBlockDevice from, IBlockDevice into, Action<long> tell, CancellationToken cancel)
    {
        var brought = 0L;
        var offset = 0L;
        var part = new byte[PartBytes];
        foreach (var extent in from.Extents(0, from.SizeBytes))
        {
            for (var at = 0L; !extent.IsHole && at < extent.Bytes; )
            {
                var count = (int)Math.Min(part.Length, extent.Bytes - at);
                await from.Read(offset + at, part.AsMemory(0, count), cancel);
                await into.Write(offset + at, part.AsMemory(0, count), cancel);
                at += count;
                tell(brought += count);
            }
            offset += extent.Bytes;
        }
        return brought;
    }
}
