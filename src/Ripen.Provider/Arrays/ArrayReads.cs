using Ripen.Core;

namespace Ripen.Provider.Arrays;

/// <summary>What reading a folder of a local array's volume does, and costs once.</summary>
/// <param name="HomeBytes">Read from the array itself, at no charge.</param>
/// <param name="Objects">How many are read from the bucket.</param>
/// <param name="Bytes">Of those.</param>
/// <param name="Charges">Money for those.</param>
/// <param name="ComesHome">Whether they leave the bucket, and are on the array from then on.</param>
/// <param name="StaysBecause">Why they are read where they are although the array wants them home; else null.</param>
/// <param name="Refusal">Why it cannot be done now; null where it can.</param>
public sealed record ArrayRead(
    double HomeBytes,
    double Objects,
    double Bytes,
    AwayCharges Charges,
    bool ComesHome,
    string? StaysBecause,
    string? Refusal
);

/// <summary>Somebody reads from a local array: what is away is read through it, and comes home where the array says so. All that is read
/// counts as used today.</summary>
public sealed class ArrayReads
{
    private readonly ProviderState state;

    internal ArrayReads(ProviderState state) => this.state = state;

    /// <param name="array">Its id.</param>
    /// <param name="volume">Its id.</param>
    /// <param name="folder">How the paths of what is read begin; empty for all of the volume.</param>
    /// <exception cref="RefusalException">There is no such array, volume or folder.</exception>
    public ArrayRead Foresee(string array, string volume, string folder) =>
        state.Index.Read(db => Of(AwayParts.Find(db, state, array, volume, folder)).Read);

    /// <inheritdoc cref="Foresee"/>
    /// <exception cref="RefusalException">There is no such array, volume or folder, or it cannot be read now; nothing was.</exception>
    public ArrayRead Read(string array, string volume, string folder) =>
        state.Change(db =>
        {
            var away = AwayParts.Find(db, state, array, volume, folder);
            var (read, obstacle) = Of(away);
            if (obstacle is not null)
                throw obstacle.Refusal();
            away.Take(read.ComesHome);
            away.UseAtHome();
            if (!away.IsEmpty)
                state.Note(
                    db,
                    away.Array.Bucket!,
                    $"{Wording.Objects(read.Objects)} of '{away.Volume.Name}' on the array '{away.Array.Name}' were read"
                        + (read.ComesHome ? " and came home." : ".")
                );
            return read;
        });

    private static (ArrayRead Read, Obstacle? Obstacle) Of(AwayParts away)
    {
        var meant = away.Volume.Data.Where(away.IsInFolder).ToList();
        if (meant.Count == 0)
            throw new RefusalException(
                RefusalKind.NotFound,
                "no-folder",
                $"'{away.Volume.Name}' has nothing whose path begins with '{away.Folder}'."
            );
        var (obstacle, stays) = (away.NotReadable(), away.Array.HomeOnRead ? away.NotHome() : null);
        var home = away.Array.HomeOnRead && stays is null && !away.IsEmpty;
        var atHome = meant.Where(d => d.Away is null).Sum(d => d.Bytes);
        return (new(atHome, away.Objects, away.Bytes, away.Charges(home), home, stays?.Message, obstacle?.Message), obstacle);
    }
}
