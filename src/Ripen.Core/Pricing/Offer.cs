using Ripen.Core.Estates;

namespace Ripen.Core.Pricing;

/// <summary>A price book that is kept beside the one in force: what somebody offers, or what others would take. Nothing follows from
/// it.</summary>
public sealed record Offer
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>In a currency, unit and billing month of its own. It knows no earlier amounts: it never held.</summary>
    public required PriceBook Prices { get; init; }

    /// <summary>The estate if this held from its today on, or what of it the offer has no prices for.</summary>
    public Checked<Estate> Of(Estate estate)
    {
        var (under, findings) = (Under(estate), new Findings());
        EstateChecks.Check(under, findings);
        return findings.Problems.Count > 0 ? new(findings.Problems) : new(under);
    }

    /// <summary>The same, not looked over.</summary>
    internal Estate Under(Estate estate) => estate.Priced(Prices);
}
