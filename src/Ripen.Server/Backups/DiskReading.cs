using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>What a target's directory may take of a disk.</summary>
/// <param name="Id">The target's.</param>
/// <param name="Name">The target's.</param>
/// <param name="Deduplicates">Whether its pool does.</param>
/// <param name="CapacityBytes">At most; null for all that the disk has.</param>
public sealed record DiskShare(string Id, string Name, bool Deduplicates, long? CapacityBytes);

/// <summary>A disk of this machine, and what targets may take of it.</summary>
/// <param name="TotalBytes">Of its file system.</param>
/// <param name="FreeBytes">Of these, to be had now.</param>
/// <param name="Shares">Of all targets whose directories lie on it.</param>
public sealed record DiskReading(long TotalBytes, long FreeBytes, IReadOnlyList<DiskShare> Shares)
{
    internal bool IsSharedBy(string target) => Shares.Any(s => s.Id == target);

    /// <summary>Of the disks on which a target lies: that more is promised than there is, or that one may take what another was
    /// promised.</summary>
    internal static IEnumerable<BackupDoubt> Doubts(IReadOnlyList<DiskReading> disks, string target)
    {
        foreach (var disk in disks.Where(d => d.IsSharedBy(target)))
        {
            var promised = disk.Shares.Sum(s => s.CapacityBytes ?? 0);
            var names = string.Join(", ", disk.Shares.Select(s => s.Name).Distinct());
            if (promised > disk.TotalBytes)
                yield return new BackupDoubt(
                    "disk-promised",
                    $"{names} may fill {Wording.Bytes(promised)} of a disk that has {Wording.Bytes(disk.TotalBytes)}: one will find it full "
                        + "before it is full itself. Give them less."
                );
            else if (disk.Shares.Count > 1 && disk.Shares.Any(s => s.CapacityBytes is null))
                yield return new BackupDoubt(
                    "disk-unshared",
                    $"{names} lie on one disk, and not each says at how many bytes it is full: one can take the other's room."
                );
        }
    }
}
