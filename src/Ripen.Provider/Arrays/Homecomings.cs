using Ripen.Core;

namespace Ripen.Provider.Arrays;

/// <summary>What bringing a volume home does, and costs once.</summary>
/// <param name="Objects">How many come.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Charges">Money.</param>
/// <param name="RoomAfter">Bytes that are free on the array then.</param>
/// <param name="Refusal">Why it cannot be done now; null where it can.</param>
public sealed record Homecoming(double Objects, double Bytes, AwayCharges Charges, double RoomAfter, string? Refusal);

/// <summary>Brings a local array's volumes home: what was away is read, goes to the array, and leaves its bucket.</summary>
public sealed class Homecomings
{
    private readonly ProviderState state;

    internal Homecomings(ProviderState state) => this.state = state;

    /// <exception cref="RefusalException">There is no such array or volume.</exception>
    public Homecoming Foresee(string array, string volume) =>
        state.Index.Read(db =>
        {
            var away = AwayParts.Find(db, state, array, volume, "");
            return Of(away, WhyNot(away)?.Message);
        });

    /// <exception cref="RefusalException">There is no such array or volume, or it cannot be done now; nothing was.</exception>
    public Homecoming Bring(string array, string volume) =>
        state.Change(db =>
        {
            var away = AwayParts.Find(db, state, array, volume, "");
            if (WhyNot(away) is { } obstacle)
                throw obstacle.Refusal();
            var done = Of(away, null);
            away.Take(home: true);
            state.Note(
                db,
                away.Array.Bucket!,
                $"'{away.Volume.Name}' of the array '{away.Array.Name}' came home: {Wording.Objects(done.Objects)}."
            );
            return done;
        });

    private static Homecoming Of(AwayParts away, string? refusal) =>
        new(away.Objects, away.Bytes, away.Charges(home: true), away.RoomAfter, refusal);

    private static Obstacle? WhyNot(AwayParts away) =>
        away.IsEmpty ? new("nothing-away", "Nothing of this volume is away.") : away.NotHome() ?? away.NotReadable();
}
