using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>What is told of an estate under an offer: a fraction of its projected money, to be held of many.</summary>
/// <param name="Currency">Of its amounts.</param>
/// <param name="Years">Twelve months each.</param>
/// <param name="ByCharge">In the order of <see cref="Charge"/>, then by month.</param>
public sealed record OfferMoney(string Currency, IReadOnlyList<ForecastYear> Years, double[][] ByCharge)
{
    public static OfferMoney Of(ProjectedMoney money) => new(money.Estate.PriceBook.Currency, money.Years, money.Table.ByCharge);
}

/// <summary>What an estate costs under an offer, or by the prices in force.</summary>
/// <param name="Id">Of the offer; empty for the prices in force.</param>
/// <param name="Name">For people.</param>
/// <param name="Currency">Of its amounts.</param>
/// <param name="Problems">Why the estate cannot be priced so; what follows is then empty.</param>
/// <param name="Years">Twelve months each.</param>
/// <param name="More">How much more than by the prices in force, by year; null in another currency.</param>
/// <param name="Charges">Of the months asked for: those that come to anything here or by the prices in force.</param>
public sealed record OfferOutlook(
    string Id,
    string Name,
    string Currency,
    IReadOnlyList<Problem> Problems,
    IReadOnlyList<ForecastYear> Years,
    IReadOnlyList<double>? More,
    IReadOnlyList<OfferCharge> Charges
)
{
    /// <summary>What the estate costs by the prices in force.</summary>
    /// <param name="inForce">Of the estate as it stands.</param>
    /// <param name="first">The first month of the charges, counted from 0.</param>
    /// <param name="count">How many months.</param>
    public static OfferOutlook Of(OfferMoney inForce, int first, int count) => Of("", "In force", inForce, inForce, first, count);

    /// <param name="offer">Which.</param>
    /// <param name="under">The same estate under it, over the same months; or why there is no such thing.</param>
    /// <param name="inForce">Of the estate as it stands.</param>
    /// <param name="first">The first month of the charges, counted from 0.</param>
    /// <param name="count">How many months.</param>
    public static OfferOutlook Of(Offer offer, Checked<OfferMoney> under, OfferMoney inForce, int first, int count) =>
        under.Ok
            ? Of(offer.Id, offer.Name, under.Value, inForce, first, count)
            : new(offer.Id, offer.Name, offer.Prices.Currency, under.Problems, [], null, []);

    private static OfferOutlook Of(string id, string name, OfferMoney money, OfferMoney inForce, int first, int count)
    {
        var compares = money.Currency == inForce.Currency;
        return new(
            id,
            name,
            money.Currency,
            [],
            money.Years,
            compares ? [.. money.Years.Zip(inForce.Years, (own, other) => own.Money - other.Money)] : null,
            [
                .. Enum.GetValues<Charge>()
                    .Select(c => (Charge: c, Own: Sum(money, c), Other: Sum(inForce, c)))
                    .Where(c => c.Own != 0 || c.Other != 0)
                    .Select(c => new OfferCharge(c.Charge, c.Own, compares ? c.Own - c.Other : null)),
            ]
        );

        double Sum(OfferMoney of, Charge charge) => of.ByCharge[(int)charge].Skip(first).Take(count).Sum();
    }
}

/// <param name="Charge">Which.</param>
/// <param name="Amount">Money.</param>
/// <param name="More">Than by the prices in force; null in another currency.</param>
public sealed record OfferCharge(Charge Charge, double Amount, double? More);
