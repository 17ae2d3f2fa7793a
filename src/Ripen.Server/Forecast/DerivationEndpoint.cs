using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using Ripen.Provider;
using Ripen.Server.Http;
using Ripen.Server.Scenarios;

namespace Ripen.Server.Forecasts;

/// <summary>A part of an amount that opens further: a bucket, a charge of one in a tier, or some months, from <see cref="Month"/> to
/// <see cref="To"/>. Of very many buckets the dearest are told, and the rest together, without a name.</summary>
public sealed record DerivationLine(string Bucket, string? Tier, Charge? Charge, double Amount, Month? Month = null, Month? To = null);

/// <summary>An amount and what makes it: months, then buckets, then their charges by tier, then prices and what was put there.</summary>
/// <param name="Month">In which it is projected, or was charged; the first of several.</param>
/// <param name="To">The last.</param>
/// <param name="Amount">Money.</param>
/// <param name="Lines">Add up to it; empty where the derivation is the end.</param>
/// <param name="Derivation">Of one charge of a bucket in a tier; null above that.</param>
/// <param name="Agreed">What is agreed for the estate as a whole; null for anything else.</param>
/// <param name="IsCharged">Whether it was charged; else it is projected.</param>
/// <param name="Metered">Of one charge that was metered; null above that.</param>
public sealed record DerivationReading(
    Month Month,
    Month To,
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
                "What an amount is made of: of some months, of one, of a region, tenant, tier, charge or bucket in it, down to one charge of a bucket in a tier."
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
        [Description("What was charged, and not what is to come; always so of months that are over.")] bool charged = false,
        [Description("yyyy-MM, the last of several months that are to come; the one month without it.")] string? to = null,
        [Description("The id of a scenario, as if all of it came true; the estate as it stands without it.")] string? scenario = null,
        [Description("The id of an offer, as if its prices held from today on; those in force without it.")] string? offer = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Month.TryParse(month) is not { } first)
            return Problems.Invalid("invalid-month", "?month", "Write a month as yyyy-MM.");
        if (Month.TryParse(to ?? month) is not { } last)
            return Problems.Invalid("invalid-month", "?to", "Write a month as yyyy-MM.");
        var part = new MonthPart(bucket, region, tenant, tier, charge);
        var running = Month.Of(view.Estate.Today);
        var (at, months) = (first.Since(running), last.Since(first) + 1);
        if (months < 1)
            return Problems.Invalid("out-of-range", "?to", "The last month comes before the first.");
        if (at > 0 && charged)
            return Problems.Invalid("out-of-range", "?month", "Nothing was charged in a month that has not begun.");
        if (at < 0 || charged)
        {
            return months > 1 || scenario is not null || offer is not null
                    ? Problems.Invalid(
                        "out-of-range",
                        "?month",
                        "What was charged opens month by month, and without a scenario or an offer."
                    )
                : ChargedReading.Of(first, part, view.Estate, provider) is { } read ? TypedResults.Ok(read)
                : Problems.NotFound("not-charged", $"Nothing was charged for that in {month}.");
        }
        if (Horizon.Check(at + months) is { } far)
            return far;
        if (scenario is not null && offer is not null)
            return Problems.Invalid("not-one-assumption", "?offer", "Name a scenario or an offer; a scenario can assume an offer.");
        var horizon = Math.Max(Horizon.Default, at + months);
        var (projected, unfit) = offer is not null
            ? ScenarioEndpoints.Under(view, current, Assuming(offer), horizon)
            : ScenarioEndpoints.Under(view, current, scenario, horizon);
        if (projected is not { } projection)
            return unfit!;
        if (bucket is not (null or Agreements.Key) && projection.Estate.Find(bucket) is null)
            return Problems.NoBucket(bucket);
        if (part.Wrong(projection.Estate) is { } wrong)
            return Problems.Invalid([wrong]);
        return months > 1 ? TypedResults.Ok(OfMonths(projection, first, at, months, part))
            : OfMonth(projection, first, at, part) is { } told ? TypedResults.Ok(told)
            : Problems.NotFound("not-charged", $"'{bucket}' is not charged for {charge} in '{tier}' in {month}.");
    }

    private static Scenario Assuming(string offer) =>
        new()
        {
            Id = offer,
            Name = offer,
            Assumptions = [new Assumption { Offer = offer }],
        };

    /// <summary>By month; of more than two years by twelve months.</summary>
    private static DerivationReading OfMonths(Projection projection, Month first, int at, int months, MonthPart part)
    {
        var money = new double[months];
        Parallel.For(0, months, m => money[m] = part.Money(projection, at + m));
        var together = months > 2 * Month.OfAYear ? Month.OfAYear : 1;
        List<DerivationLine> lines =
        [
            .. money
                .Chunk(together)
                .Select((some, i) => (From: first.Plus(i * together), Some: some))
                .Select(l => new DerivationLine("", null, null, l.Some.Sum(), l.From, l.From.Plus(l.Some.Length - 1))),
        ];
        return new DerivationReading(first, first.Plus(months - 1), money.Sum(), lines, null);
    }

    /// <returns>Null where a bucket is not charged for that.</returns>
    private static DerivationReading? OfMonth(Projection projection, Month month, int at, MonthPart part)
    {
        if (part.Bucket == Agreements.Key)
        {
            List<SettledLine> agreed = [.. projection.Agreed(at).Where(l => part.Has(l.Region, l.Tier, l.Charge))];
            return new DerivationReading(month, month, agreed.Sum(l => l.Amount), [], null, new(projection.PartOf(at), agreed));
        }
        if (part is { Bucket: { } bucket, Tier: { } tier, Only: { } charge })
        {
            var place = projection.Estate.Buckets.ToList().FindIndex(b => b.Name == bucket);
            return
                tier != Agreements.Key
                && part.Has(projection.Estate.Buckets[place])
                && Derivation.Of(projection, place, at, projection.Estate.PriceBook.Coldness(tier), charge) is { } told
                ? new DerivationReading(month, month, told.Row.Amount, [], told)
                : null;
        }
        List<DerivationLine> lines = [.. part.Lines(part.Of(projection, at))];
        return new DerivationReading(month, month, part.IsAll ? projection.MoneyInAll[at] : lines.Sum(l => l.Amount), Most(lines), null);
    }

    /// <summary>As many as one looks at, the rest together.</summary>
    public static List<DerivationLine> Most(List<DerivationLine> all) =>
        all.Count <= MostLines
            ? all
            : [.. all.Take(MostLines - 1), new DerivationLine("", null, null, all.Skip(MostLines - 1).Sum(l => l.Amount))];
}
