using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Provider;
using Ripen.Provider.Metering;

namespace Ripen.Server.Backups;

/// <summary>What a target's objects were charged in a span of days, and what they go on costing.</summary>
/// <param name="From">The first day.</param>
/// <param name="To">The day after the last.</param>
/// <param name="Parts">By tier and charge; empty for a directory.</param>
/// <param name="Money">Of all parts.</param>
/// <param name="TenthYear">Money a month in ten years, on average over that year, if nothing is added and nothing removed; null for a
/// directory.</param>
/// <param name="TenthYearTerms">What makes that; empty for a directory.</param>
public sealed record TargetUseReading(
    DateOnly From,
    DateOnly To,
    IReadOnlyList<TargetUse> Parts,
    double Money,
    double? TenthYear,
    IReadOnlyList<PricedTerm> TenthYearTerms
);

internal static class UseEndpoints
{
    public static void MapTargetUse(this RouteGroupBuilder targets) =>
        targets
            .MapGet("/{id}/use", Read)
            .WithName("readTargetUse")
            .WithSummary(
                "Requests, bytes and money of a target's objects over a span, and what they cost in ten years if left to themselves."
            );

    private static async Task<Ok<TargetUseReading>> Read(
        string id,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("The first day; left out: thirty days before the end.")] DateOnly? from = null,
        [Description("The day after the last; left out: tomorrow on the provider's clock.")] DateOnly? to = null
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var end = to ?? view.Estate.Today.AddDays(1);
        var begin = from ?? (end.DayNumber > Span ? end.AddDays(-Span) : DateOnly.MinValue);
        if (begin >= end)
            throw new RefusalException(RefusalKind.Invalid, "date-order", "A span ends after it begins.", "$.to");
        var parts = target.Bucket is null ? [] : provider.UseOf(id, begin, end);
        var tenth = target.Bucket is null ? [] : TargetCosts.TenthYear(target, view.Estate);
        double? money = target.Bucket is null ? null : tenth.Sum(t => t.Amount);
        return TypedResults.Ok(new TargetUseReading(begin, end, parts, parts.Sum(p => p.Amount), money, tenth));
    }

    private const int Span = 30;
}
