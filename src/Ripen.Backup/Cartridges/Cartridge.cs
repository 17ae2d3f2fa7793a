namespace Ripen.Backup.Cartridges;

/// <summary>What is written on a cartridge's label.</summary>
/// <param name="Number">Its own in the library, from 1 on.</param>
/// <param name="Generation">How often it was begun from its beginning; the first is 1.</param>
/// <param name="Protected">Whether nothing may be written onto it or erased from it.</param>
/// <param name="KeepUntil">It is not erased before this day; null for none.</param>
public sealed record CartridgeLabel(int Number, int Generation, bool Protected, DateOnly? KeepUntil);

/// <summary>What one program wrote, from opening the drive to closing it.</summary>
/// <param name="Number">On its cartridge, from 1 on.</param>
/// <param name="Bytes">That were written.</param>
public sealed record CartridgeFile(int Number, long Bytes)
{
    /// <summary>Where its pieces lie.</summary>
    internal string Folder { get; init; } = "";
}

/// <summary>A cartridge and what is on it.</summary>
/// <param name="Label">As it is now.</param>
/// <param name="Files">In the order in which they were written.</param>
public sealed record Cartridge(CartridgeLabel Label, IReadOnlyList<CartridgeFile> Files)
{
    public long Bytes => Files.Sum(f => f.Bytes);
}
