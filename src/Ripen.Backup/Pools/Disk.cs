using Ripen.Backup.Sources;

namespace Ripen.Backup.Pools;

/// <summary>The disk, or what stands for one, on which a directory lies.</summary>
/// <param name="Device">Its number; two directories of one number share its room.</param>
/// <param name="TotalBytes">Of its file system.</param>
/// <param name="FreeBytes">Of these, to be had.</param>
public readonly record struct Disk((uint Major, uint Minor) Device, long TotalBytes, long FreeBytes)
{
    /// <param name="folder">Need not be there yet: its nearest ancestor tells.</param>
    public static Disk Under(string folder)
    {
        var there = new DirectoryInfo(folder);
        while (!there.Exists && there.Parent is { } parent)
            there = parent;
        var drive = new DriveInfo(there.FullName);
        return new Disk(FileStatus.Of(there.FullName)?.Device ?? default, drive.TotalSize, drive.AvailableFreeSpace);
    }
}
