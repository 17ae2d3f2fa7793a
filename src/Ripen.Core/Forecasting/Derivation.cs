using System.Globalization;
using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>A stretch of a graduated price, and how far the estate fills it. Money.</summary>
public sealed record DerivationBand(double From, double? UpTo, double Price, double Units, double Amount)
{
    /// <summary>What is priced, and where the price is graduated, which part of it.</summary>
    public string Of(string what) =>
        (From, UpTo) switch
        {
            (0, null) => what,
            (0, { } end) => string.Create(CultureInfo.InvariantCulture, $"{what}, the first {end:#,0}"),
            (_, null) => string.Create(CultureInfo.InvariantCulture, $"{what}, above {From:#,0}"),
            (_, { } end) => string.Create(CultureInfo.InvariantCulture, $"{what}, from {From:#,0} to {end:#,0}"),
        };
}

/// <summary>A price put on a quantity: <see cref="Quantity"/> / <see cref="Per"/> × <see cref="Price"/> × <see cref="Factor"/>.</summary>
/// <param name="From">The first of its days.</param>
/// <param name="To">The last.</param>
/// <param name="What">Is priced.</param>
/// <param name="Quantity">Of it.</param>
/// <param name="Unit">Of the quantity.</param>
/// <param name="Price">Of one, or of 1,000.</param>
/// <param name="Per">1, or 1,000.</param>
/// <param name="Factor">The scheme's, for storage.</param>
/// <param name="Amount">Money.</param>
/// <param name="Bands">What makes the price where it is graduated: the whole estate's unit-months of the region and tier in the month.</param>
public sealed record DerivationTerm(
    DateOnly From,
    DateOnly To,
    string What,
    double Quantity,
    string Unit,
    double Price,
    int Per,
    double Factor,
    double Amount,
    IReadOnlyList<DerivationBand> Bands
);

/// <summary>Some of a quantity: where it comes from, and why it is charged there.</summary>
public sealed record DerivationPart(string What, string Why, double Quantity);

/// <summary>How one row of a forecast comes about: its terms make the amount, and its parts the quantity.</summary>
public sealed record Derivation(ForecastRow Row, IReadOnlyList<DerivationTerm> Terms, IReadOnlyList<DerivationPart> Parts)
{
    /// <param name="projection">Whose row it is.</param>
    /// <param name="bucket">The place of the bucket.</param>
    /// <param name="month">Counted from the first.</param>
    /// <param name="tier">From warm, 0, to cold.</param>
    /// <param name="charge">Of the row.</param>
    /// <returns>Null where nothing is charged.</returns>
    public static Derivation? Of(Projection projection, int bucket, int month, int tier, Charge charge)
    {
        var rows = new List<BillRow>();
        projection.Bill.AddRows(bucket, month, rows);
        if (!rows.Any(r => r.Tier == tier && r.Charge == charge))
            return null;
        var row = rows.Single(r => r.Tier == tier && r.Charge == charge);
        var (prices, of) = (projection.Estate.PriceBook, projection.Usages[bucket].Bucket);
        return new Derivation(
            new ForecastRow(
                Month.Of(projection.Calendar.Date(month)),
                of.Name,
                of.Region,
                prices.Tiers[tier].Id,
                charge,
                row.Quantity,
                Units.Of(charge, prices.Unit),
                row.Amount
            ),
            [.. new DerivationTerms(projection, bucket, tier).Of(charge, month)],
            charge == Charge.Transfer ? [] : [.. new DerivationParts(projection, bucket, tier).Of(charge, month)]
        );
    }
}
