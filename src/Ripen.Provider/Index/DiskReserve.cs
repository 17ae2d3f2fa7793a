namespace Ripen.Provider.Index;

/// <summary>
/// A megabyte of the disk that is held back, so that on a full one there is still room to delete and to start: the index needs a
/// little to say that something is gone.
/// </summary>
internal sealed class DiskReserve(string folder)
{
    private const int Bytes = 1_000_000;

    /// <summary>Less than this free at a start lets the reserve go first.</summary>
    private const long ScarceBytes = 500_000;

    private readonly string file = Path.Combine(folder, "reserve");

    /// <summary>Gives the room back; false when there is none to give.</summary>
    public bool Release()
    {
        if (!File.Exists(file))
            return false;
        File.Delete(file);
        return true;
    }

    public void ReleaseWhenScarce()
    {
        if (new DriveInfo(folder).AvailableFreeSpace < ScarceBytes)
            Release();
    }

    /// <summary>Takes the room again, as soon as there is any.</summary>
    public void Take()
    {
        if (File.Exists(file) || new DriveInfo(folder).AvailableFreeSpace < Bytes + ScarceBytes)
            return;
        try
        {
            // Written and not only named: a file of holes holds nothing back.
            File.WriteAllBytes(file, new byte[Bytes]);
        }
        catch (IOException)
        {
            File.Delete(file);
        }
    }
}
