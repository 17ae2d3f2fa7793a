using System.ComponentModel;
using System.Globalization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider;
using Ripen.Server.Http;

namespace Ripen.Server.Forecasts;

/// <summary>A part of an amount that opens further. Of very many buckets the dearest are told, and the rest together, without a name.</summary>
public sealed record DerivationLine(string Bucket, string? Tier, Charge? Charge, double Amount);

/// <summary>An amount and what makes it: buckets, then their charges by tier, then prices and what was put there.</summary>
/// <param name="Month">In which it is projected, or was charged.</param>
/// <param name="Amount">Money.</param>
/// <param name="Lines">Add up to it; empty where the derivation is the end.</param>
/// <param name="Derivation">Of one charge of a bucket in a tier; null above that.</param>
/// <param name="Agreed">What is agreed for the estate as a whole; null for anything else.</param>
/// <param name="IsCharged">Whether it was charged; else it is projected.</param>
/// <param name="Metered">Of one charge that was metered; null above that.</param>
public sealed record DerivationReading(
    Month Month,
    double Amount,
    IReadOnlyList<DerivationLine> Lines,
    Derivation? Derivation,
    AgreedReading? Agreed = null,
    bool IsCharged = false,
    MeteredDerivation? Metered = null
);

/// <summary>What agreements make of a month.</summary>
/// <param name="Part">Of its days that are projected, up to 1.</param>
/// <param name="Lines">Add up to the amount.</param>
public sealed record AgreedReading(double Part, IReadOnlyList<SettledLine> Lines);

/// <summary>Any amount opens: what is projected down to prices and rules, what was charged down to prices and days.</summary>
internal static class DerivationEndpoint
{
    private const int MostLines = 40;

    public static void MapDerivation(this RouteGroupBuilder forecast) =>
        forecast
            .MapGet("/derivation", Read)
            .WithName("readDerivation")
            .WithSummary(
                "What an amount is made of: of a month, of a region, tenant, tier, charge or bucket in it, down to one charge of a bucket in a tier."
            );

    private static async Task<Results<Ok<DerivationReading>, ProblemHttpResult>> Read(
        [Description("yyyy-MM.")] string month,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("A bucket's name, or * for what is agreed for the estate as a whole; all together without it.")] string? bucket = null,
        [Description("The id of a region, or * for none; all together without it.")] string? region = null,
        [Description("The name of a tenant, or - for buckets of none; all together without it.")] string? tenant = null,
        [Description("The id of a tier, or * for none; all together without it.")] string? tier = null,
        [Description(
            "storage, early-leave, writes, reads, moves, recall, transfer, watching, or a charge of what is agreed; all together without it."
        )]
            string? charge = null,
        [Description("What was charged, and not what is to come; always so of months that are over.")] bool charged = false
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (!DateOnly.TryParseExact($"{month}-01", "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day))
            return Problems.Invalid("invalid-month", "?month", "Write a month as yyyy-MM.");
        var (of, part) = (Month.Of(day), new MonthPart(bucket, region, tenant, tier, charge));
        var at = of.Since(Month.Of(view.Estate.Today));
        if (at > 0 && charged)
            return Problems.Invalid("out-of-range", "?month", "Nothing was charged in a month that has not begun.");
        if (at < 0 || charged)
            return ChargedReading.Of(of, part, view.Estate, provider) is { } read
                ? TypedResults.Ok(read)
                : Problems.NotFound("not-charged", $"Nothing was charged for that in {month}.");
        if (Horizon.Check(at + 1) is { } far)
            return far;
        if (bucket is not (null or Agreements.Key) && view.Estate.Find(bucket) is null)
            return Problems.NoBucket(bucket);
        if (part.Wrong(view.Estate) is { } wrong)
            return Problems.Invalid([wrong]);
        var projection = view.Project(Math.Max(Horizon.Default, at + 1));
        if (bucket == Agreements.Key)
        {
            List<SettledLine> agreed = [.. projection.Agreed(at).Where(l => part.Has(l.Region, l.Tier, l.Charge))];
            return TypedResults.Ok(new DerivationReading(of, agreed.Sum(l => l.Amount), [], null, new(projection.PartOf(at), agreed)));
        }
        if (bucket is not null && part is { Tier: { } one, Only: { } what })
        {
            var prices = projection.Estate.PriceBook;
            var place = projection.Estate.Buckets.ToList().FindIndex(b => b.Name == bucket);
            return one != Agreements.Key && Derivation.Of(projection, place, at, prices.Coldness(one), what) is { } told
                ? TypedResults.Ok(new DerivationReading(of, told.Row.Amount, [], told))
                : Problems.NotFound("not-charged", $"'{bucket}' is not charged for {charge} in '{tier}' in {month}.");
        }
        List<DerivationLine> lines = [.. part.Lines(part.Of(projection.Rows(at, 1), projection.Estate))];
        return TypedResults.Ok(
            new DerivationReading(of, part.IsAll ? projection.MoneyInAll[at] : lines.Sum(l => l.Amount), Most(lines), null)
        );
    }

    /// <summary>As many as one looks at, the rest together.</summary>
    public static List<DerivationLine> Most(List<DerivationLine> all) =>
        all.Count <= MostLines
            ? all
            : [.. all.Take(MostLines - 1), new DerivationLine("", null, null, all.Skip(MostLines - 1).Sum(l => l.Amount))];
}
