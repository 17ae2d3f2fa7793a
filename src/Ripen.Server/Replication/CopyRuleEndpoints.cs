using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;
using Ripen.Core.Scenarios;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Buckets;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <summary>A copy rule looked at and not stored.</summary>
/// <param name="Problems">What is wrong; when more than missing versions, nothing else is told.</param>
/// <param name="Versioning">Sides without versions, and what they would cost there.</param>
/// <param name="CatchUp">What lies in its scope already, and what copying that as well would take.</param>
/// <param name="CostWithout">Of the source and the estate, when only what comes from now on is copied.</param>
/// <param name="CostWith">The same with catch-up.</param>
/// <param name="SeenWithout">The mark of <paramref name="CostWithout"/>, to be sent with the change; null when there is none.</param>
/// <param name="SeenWith">The same of <paramref name="CostWith"/>.</param>
/// <param name="Line">Between the two regions; null where the price book names none: free and without a limit.</param>
/// <param name="LineBytesADay">What the line carries for all its rules; null without a limit.</param>
/// <param name="ArrivingBytesADay">What the source's streams bring into its scope.</param>
/// <param name="AssumeWithout">What opens <paramref name="CostWithout"/>: the buckets as they would be.</param>
/// <param name="AssumeWith">The same of <paramref name="CostWith"/>.</param>
public sealed record CopyDraftReading(
    IReadOnlyList<Problem> Problems,
    IReadOnlyList<VersioningCost> Versioning,
    CatchUpCost? CatchUp,
    IReadOnlyList<YearChange> CostWithout,
    IReadOnlyList<YearChange> CostWith,
    string? SeenWithout,
    string? SeenWith,
    Transfer? Line,
    double? LineBytesADay,
    double ArrivingBytesADay,
    IReadOnlyList<Assumption> AssumeWithout,
    IReadOnlyList<Assumption> AssumeWith
);

internal static class CopyRuleEndpoints
{
    public static void MapCopyRules(this RouteGroupBuilder copies)
    {
        copies
            .MapPost("/drafts", ReadDraft)
            .WithName("readCopyDraft")
            .WithSummary("What a replication rule would take and cost. Nothing is stored.")
            .Accepts<CopyOrder>("application/json");
        copies
            .MapPost("/rules", Make)
            .WithName("makeCopyRule")
            .WithSummary("Makes a replication rule, its target and both sides' versioning in one change. If-Match: the estate's ETag.")
            .Accepts<CopyOrder>("application/json");
        copies
            .MapPut("/rules/{id:long}", Change)
            .WithName("changeCopyRule")
            .WithSummary("Puts a replication rule in the place of another of the same source.")
            .Accepts<CopyOrder>("application/json");
        copies
            .MapDelete("/rules/{id:long}", Remove)
            .WithName("removeCopyRule")
            .WithSummary("Removes a replication rule and what waits on it; copies stay where they are.");
    }

    private static async Task<Results<Ok<CopyDraftReading>, ProblemHttpResult>> ReadDraft(
        HttpRequest request,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        long? replaces = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var read = EstateDocument.ReadCopyOrder(await request.ReadText(cancel));
        if (!read.Ok)
            return TypedResults.Ok(Refused(read.Problems));
        var order = read.Value;
        var estate = WithCutStock(view.Estate, order, current);
        var old = replaces is { } id ? Find(provider, view.Estate, id).Rule : null;
        var with = CopyPlans.WithRule(estate, order with { SwitchVersioningOn = true, Rule = order.Rule with { CatchUp = true } }, old);
        if (!with.Ok)
            return TypedResults.Ok(Refused(with.Problems));
        var without = CopyPlans
            .WithRule(estate, order with { SwitchVersioningOn = true, Rule = order.Rule with { CatchUp = false } }, old)
            .Value;
        var before = view.Project(Consequences.Months);
        var source = with.Value.Find(order.Source)!;
        var line = view.Estate.PriceBook.FindTransfer(source.Region, with.Value.Find(order.Rule.Bucket)!.Region);
        var (costWithout, costWith) = (
            Consequences.CostOf(before, without, order.Source),
            Consequences.CostOf(before, with.Value, order.Source)
        );
        return TypedResults.Ok(
            new CopyDraftReading(
                CopyPlans.WithRule(estate, order, old).Problems,
                [
                    .. new[] { view.Estate.Find(order.Source), view.Estate.Find(order.Rule.Bucket) }
                        .OfType<Bucket>()
                        .Where(b => !b.Versioning)
                        .Select(b => VersioningCost.Of(b, view.Estate.PriceBook)),
                ],
                CatchUpCost.Of(with.Value, order.Source, order.Rule),
                costWithout,
                costWith,
                Seen.Mark(costWithout),
                Seen.Mark(costWith),
                line,
                line is { MegabitsPerSecond: not null } ? line.BytesPerSecond * 86_400 : null,
                Backlog.Arriving(source, order.Rule).Sum() * 86_400,
                ScenarioParts.BucketsAssumed(view.Estate, without),
                ScenarioParts.BucketsAssumed(view.Estate, with.Value)
            )
        );
    }

    private static async Task<Results<Ok<CopyRuleStatus>, ProblemHttpResult>> Make(
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketEndpoints.SeenWords)] string? seen = null
    ) => await Apply(null, seen, request, current, store, provider, cancel);

    private static async Task<Results<Ok<CopyRuleStatus>, ProblemHttpResult>> Change(
        long id,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description(BucketEndpoints.SeenWords)] string? seen = null
    ) => await Apply(id, seen, request, current, store, provider, cancel);

    private static async Task<Results<Ok<CopyRuleStatus>, ProblemHttpResult>> Apply(
        long? replaces,
        string? seen,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var json = await request.ReadText(cancel);
        CopyOrder? made = null;
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var order = EstateDocument.ReadCopyOrder(json);
                if (!order.Ok)
                    return Problems.Invalid(order.Problems);
                made = order.Value;
                var old = replaces is { } id ? Find(provider, view!.Estate, id) : default;
                if (old.Rule is not null && old.Source != made.Source)
                    return Problems.Invalid(
                        "unknown-reference",
                        "$.source",
                        $"This rule is one of '{old.Source}'; make a new one for another source."
                    );
                return await Plans.Store(
                    current,
                    view!,
                    CopyPlans.WithRule(WithCutStock(view!.Estate, made, current), made, old.Rule),
                    "bucket-changed",
                    store,
                    cancel,
                    seen is null ? null : new ShownCost(made.Source, seen)
                );
            },
            cancel
        );
        return refused is not null
            ? refused
            : TypedResults.Ok(provider.Copies.Rules().Last(r => r.Bucket == made!.Source && r.Rule.IsSame(made.Rule)));
    }

    private static Task<Results<NoContent, ProblemHttpResult>> Remove(
        long id,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel
    ) =>
        Plans.Change(
            current,
            request,
            view =>
            {
                var (source, rule) = Find(provider, view.Estate, id);
                return Plans.Store(
                    current,
                    view,
                    new Checked<Estate>(CopyPlans.WithoutRule(view.Estate, source!, rule!)),
                    "bucket-changed",
                    store,
                    cancel
                );
            },
            cancel
        );

    /// <summary>The rule of the estate that the provider's is at work for.</summary>
    private static (string? Source, CopyRule? Rule) Find(SimulatedProvider provider, Estate estate, long id)
    {
        var status =
            provider.Copies.Rules().FirstOrDefault(r => r.Id == id && !r.BringsBack)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-copy-rule", "There is no such replication rule any more.");
        return (status.Bucket, estate.Find(status.Bucket)!.CopyTo.First(status.Rule.IsSame));
    }

    /// <summary>The estate with the source's stock cut where the rule's scope begins, so that what it takes is exact.</summary>
    private static Estate WithCutStock(Estate estate, CopyOrder order, CurrentEstate current) =>
        estate.Find(order.Source) is { } source
            ? estate.With(
                current.WithStock(source with { CopyTo = [.. source.CopyTo, order.Rule] }, source) with
                {
                    CopyTo = source.CopyTo,
                },
                source.Name
            )
            : estate;

    private static CopyDraftReading Refused(IReadOnlyList<Problem> problems) =>
        new(problems, [], null, [], [], null, null, null, null, 0, [], []);
}
