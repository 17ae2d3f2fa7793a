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
/// <param name="Risen">What the rise of prices makes of a month: its amount and lines are told with it, the derivation, or what is agreed,
/// without. Null where prices do not rise, and of several months.</param>
/// <param name="Change">Where the amount is what an assumption changes: between which amounts it lies. Lines are changes too then.</param>
public sealed record DerivationReading(
    Month Month,
    Month To,
    double Amount,
    IReadOnlyList<DerivationLine> Lines,
    Derivation? Derivation,
    AgreedReading? Agreed = null,
    bool IsCharged = false,
    MeteredDerivation? Metered = null,
    RisenPrices? Risen = null,
    DerivationChange? Change = null
);

/// <summary>Prices that have risen by a month.</summary>
/// <param name="Times">So many times as high.</param>
/// <param name="Before">The amount at the prices of today.</param>
public sealed record RisenPrices(double Times, double Before);

/// <summary>What agreements make of a month.</summary>
/// <param name="Part">Of its days that are projected, up to 1.</param>
/// <param name="Lines">Add up to the amount.</param>
public sealed record AgreedReading(double Part, IReadOnlyList<SettledLine> Lines);

/// <summary>Any amount opens: what is projected down to prices and rules, what was charged down to prices and days.</summary>
internal static class DerivationEndpoint
{
    private const int MostLines = 40;

    private const double MostRise = 10;

    public static void MapDerivation(this RouteGroupBuilder forecast)
    {
        forecast
            .MapGet("/derivation", ReadAsItStands)
            .WithName("readDerivation")
            .WithSummary(
                "What an amount is made of: of some months, of one, of a region, tenant, tier, charge or some buckets in it, down to one charge of a bucket in a tier."
            );
        forecast
            .MapPost("/derivation", ReadSupposed)
            .WithName("readSupposedDerivation")
            .WithSummary("The same if the assumptions of a scenario, which need not be stored, came true as well. Nothing of them is done.")
            .Accepts<Scenario>("application/json");
    }

    private static Task<Results<Ok<DerivationReading>, ProblemHttpResult>> ReadAsItStands(
        [AsParameters] DerivationQuery query,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => Read(query, [], current, provider, cancel);

    private static async Task<Results<Ok<DerivationReading>, ProblemHttpResult>> ReadSupposed(
        HttpRequest request,
        [AsParameters] DerivationQuery query,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var supposed = EstateDocument.ReadScenario(await request.ReadText(cancel));
        return supposed.Ok ? await Read(query, supposed.Value.Assumptions, current, provider, cancel) : Problems.Invalid(supposed.Problems);
    }

    private static async Task<Results<Ok<DerivationReading>, ProblemHttpResult>> Read(
        DerivationQuery query,
        IReadOnlyList<Assumption> supposed,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Month.TryParse(query.Month) is not { } first)
            return Problems.Invalid("invalid-month", "?month", "Write a month as yyyy-MM.");
        if (Month.TryParse(query.To ?? query.Month) is not { } last)
            return Problems.Invalid("invalid-month", "?to", "Write a month as yyyy-MM.");
        if (query.YearlyRise is not (> -1 and <= MostRise))
            return Problems.Invalid("out-of-range", "?rise", $"Prices rise by more than -1 and at most {MostRise} a year.");
        var (part, running) = (query.Part, Month.Of(view.Estate.Today));
        var (at, months) = (first.Since(running), last.Since(first) + 1);
        if (months < 1)
            return Problems.Invalid("out-of-range", "?to", "The last month comes before the first.");
        if (at > 0 && query.Charged == true)
            return Problems.Invalid("out-of-range", "?month", "Nothing was charged in a month that has not begun.");
        if (at < 0 || query.Charged == true)
        {
            return at + months > 1
                    ? Problems.Invalid(
                        "out-of-range",
                        "?to",
                        $"What was charged ends with {running}; what is to come opens from that month on, by itself."
                    )
                : query.Supposes || supposed.Count > 0
                    ? Problems.Invalid("out-of-range", "?month", "What was charged is what it is, without anything supposed.")
                : ChargedReading.Of(first, last, part, view.Estate, provider) is { } read ? TypedResults.Ok(read)
                : Problems.NotFound("not-charged", $"Nothing was charged for that in {query.Month}.");
        }
        if (Horizon.Check(at + months) is { } far)
            return far;
        if (query.Scenario is not null && query.Offer is not null)
            return Problems.Invalid("not-one-assumption", "?offer", "Name a scenario or an offer; a scenario can assume an offer.");
        var (assumed, unknown) = Assumed(query, supposed, view);
        if (assumed is null)
            return unknown!;
        if (query.Change == true && assumed.Count == 0)
            return Problems.Invalid("nothing-assumed", "?change", "Nothing is assumed that could change anything.");
        var horizon = Math.Max(Horizon.Default, at + months);
        var (projected, unfit) = Under(assumed, view, current, horizon);
        if (projected is not { } projection)
            return unfit!;
        var before = query.Change == true ? Under([.. assumed.SkipLast(1)], view, current, horizon).Projection : null;
        if (part.Buckets?.FirstOrDefault(b => b != Agreements.Key && projection.Estate.Find(b) is null) is { } missing)
            return Problems.NoBucket(missing);
        if (part.Wrong(projection.Estate) is { } wrong && (before is null || part.Wrong(before.Estate) is not null))
            return Problems.Invalid([wrong]);
        var told = before is null ? Of(projection) : DerivationChange.Between(Of(before), Of(projection));
        return told is null
            ? Problems.NotFound("not-charged", $"'{query.Bucket}' is not charged for {query.Charge} in '{query.Tier}' in {query.Month}.")
            : TypedResults.Ok(told with { Lines = Most(told.Lines) });

        DerivationReading? Of(Projection under) =>
            months > 1 ? OfMonths(under, first, at, months, part, query.YearlyRise)
            : OfMonth(under, first, at, part) is { } month ? Dearer(month, Fan.Dearer(query.YearlyRise, at))
            : null;
    }

    /// <summary>All that is assumed, one after the other; or why that cannot be told.</summary>
    private static (IReadOnlyList<Assumption>? Assumed, ProblemHttpResult? Wrong) Assumed(
        DerivationQuery query,
        IReadOnlyList<Assumption> supposed,
        EstateView view
    ) =>
        query.Offer is { } offer ? ([new Assumption { Offer = offer }, .. supposed], null)
        : query.Scenario is not { } id ? (supposed, null)
        : ScenarioEndpoints.Find(view, id) is { } scenario ? ([.. scenario.Assumptions, .. supposed], null)
        : (null, ScenarioEndpoints.NoScenario(id));

    private static (Projection? Projection, ProblemHttpResult? Wrong) Under(
        IReadOnlyList<Assumption> assumed,
        EstateView view,
        CurrentEstate current,
        int months
    ) => assumed.Count == 0 ? (view.Project(months), null) : ScenarioEndpoints.Under(view, current, Supposing(assumed), months);

    private static Scenario Supposing(IReadOnlyList<Assumption> assumptions) =>
        new()
        {
            Id = "supposed",
            Name = "",
            Assumptions = assumptions,
        };

    private static DerivationReading Dearer(DerivationReading read, double times) =>
        times == 1
            ? read
            : read with
            {
                Amount = read.Amount * times,
                Lines = [.. read.Lines.Select(l => l with { Amount = l.Amount * times })],
                Risen = new RisenPrices(times, read.Amount),
            };

    /// <summary>By month; of more than two years by twelve months.</summary>
    private static DerivationReading OfMonths(Projection projection, Month first, int at, int months, MonthPart part, double rise)
    {
        var money = new double[months];
        Parallel.For(0, months, m => money[m] = part.Money(projection, at + m) * Fan.Dearer(rise, at + m));
        return OfMonths(first, money);
    }

    /// <param name="first">Of the months.</param>
    /// <param name="money">By month.</param>
    public static DerivationReading OfMonths(Month first, IReadOnlyList<double> money)
    {
        var together = money.Count > 2 * Month.OfAYear ? Month.OfAYear : 1;
        List<DerivationLine> lines =
        [
            .. money
                .Chunk(together)
                .Select((some, i) => (From: first.Plus(i * together), Some: some))
                .Select(l => new DerivationLine("", null, null, l.Some.Sum(), l.From, l.From.Plus(l.Some.Length - 1))),
        ];
        return new DerivationReading(first, first.Plus(money.Count - 1), money.Sum(), lines, null);
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
                place >= 0
                && part.Has(projection.Estate.Buckets[place])
                && projection.Estate.PriceBook.Coldness(tier) is >= 0 and var cold
                && Derivation.Of(projection, place, at, cold, charge) is { } told
                ? new DerivationReading(month, month, told.Row.Amount, [], told)
                : null;
        }
        List<DerivationLine> lines = [.. part.Lines(part.Of(projection, at))];
        return new DerivationReading(month, month, part.IsAll ? projection.MoneyInAll[at] : lines.Sum(l => l.Amount), lines, null);
    }

    /// <summary>As many as one looks at, the rest together.</summary>
    public static IReadOnlyList<DerivationLine> Most(IReadOnlyList<DerivationLine> all) =>
        all.Count <= MostLines
            ? all
            : [.. all.Take(MostLines - 1), new DerivationLine("", null, null, all.Skip(MostLines - 1).Sum(l => l.Amount))];
}
