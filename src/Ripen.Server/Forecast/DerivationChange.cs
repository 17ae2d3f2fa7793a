namespace Ripen.Server.Forecasts;

/// <summary>Two amounts, between which a change lies: each opens by itself.</summary>
/// <param name="Before">Without the assumption. Money.</param>
/// <param name="After">With it.</param>
public sealed record DerivationChange(double Before, double After)
{
    /// <summary>What leads from one reading of a part to another: line by line, the largest first, months in their order.</summary>
    /// <returns>Null where neither is charged for it.</returns>
    internal static DerivationReading? Between(DerivationReading? before, DerivationReading? after)
    {
        if ((after ?? before) is not { } one)
            return null;
        var had = (before?.Lines ?? []).ToLookup(Key, l => l.Amount);
        var has = (after?.Lines ?? []).ToLookup(Key, l => l.Amount);
        var lines = one
            .Lines.Concat(before?.Lines ?? [])
            .DistinctBy(Key)
            .Select(l => l with { Amount = has[Key(l)].Sum() - had[Key(l)].Sum() })
            .Where(l => l.Amount != 0)
            .ToList();
        var change = new DerivationChange(before?.Amount ?? 0, after?.Amount ?? 0);
        return new DerivationReading(
            one.Month,
            one.To,
            change.After - change.Before,
            [.. lines.OrderByDescending(l => l.Month is null ? Math.Abs(l.Amount) : 0)],
            null,
            Change: change
        );
    }

    private static DerivationLine Key(DerivationLine line) => line with { Amount = 0 };
}
