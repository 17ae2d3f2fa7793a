using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Replication;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <summary>The way from one bucket into another: both are kept equal, found equal, the new one takes over, the old one goes.</summary>
public enum MoveStep
{
    KeepEqual,
    BeEqual,
    SwitchOver,
    DropOld,
}

/// <param name="Step">Which.</param>
/// <param name="Done">Whether the estate is past it.</param>
/// <param name="Ready">Whether it can be done now.</param>
/// <param name="CanUndo">Whether it can be taken back now.</param>
/// <param name="Why">What stands in the way, or what is still going on.</param>
/// <param name="Cost">Of the old bucket and the estate, before and after the step; empty where nothing changes.</param>
public sealed record MoveStepReading(MoveStep Step, bool Done, bool Ready, bool CanUndo, string? Why, IReadOnlyList<YearChange> Cost);

/// <summary>How far a move is. Nothing of it is remembered but the estate itself, so that each step can be taken back until the
/// last.</summary>
/// <param name="From">The old bucket.</param>
/// <param name="To">The new one.</param>
/// <param name="OldIsGone">Whether the last step was done.</param>
/// <param name="Forward">The rule from the old to the new.</param>
/// <param name="Back">The rule from the new to the old.</param>
/// <param name="Missing">Objects of the old that the new does not have; null before they are compared.</param>
/// <param name="Differ">Settings that are not the same on both sides, and do not move by themselves.</param>
/// <param name="Steps">In their order.</param>
public sealed record MoveReading(
    string From,
    string To,
    bool OldIsGone,
    CopyRuleStatus? Forward,
    CopyRuleStatus? Back,
    double? Missing,
    IReadOnlyList<string> Differ,
    IReadOnlyList<MoveStepReading> Steps
);

/// <param name="Confirm">The old bucket's name, for the last step.</param>
public sealed record MoveOrder(string? Confirm);

internal static class MoveEndpoints
{
    public static void MapMoves(this RouteGroupBuilder copies)
    {
        var moves = copies.MapGroup("/moves/{from}/{to}");
        moves
            .MapGet("", Read)
            .WithName("readMove")
            .WithSummary("How far the move from one bucket into another is, and what its next steps would do.");
        moves.MapPost("/{step}", Do).WithName("doMoveStep").WithSummary("Does a step. If-Match: the estate's ETag.");
        moves.MapDelete("/{step}", Undo).WithName("undoMoveStep").WithSummary("Takes a step back. If-Match: the estate's ETag.");
    }

    private static async Task<Results<Ok<MoveReading>, ProblemHttpResult>> Read(
        string from,
        string to,
        CurrentEstate current,
        SimulatedProvider provider,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (view.Estate.Find(to) is null)
            return Problems.NoBucket(to);
        response.SetVersion(view.Version);
        return TypedResults.Ok(Reading(view, provider, from, to));
    }

    private static async Task<Results<Ok<MoveReading>, ProblemHttpResult>> Do(
        string from,
        string to,
        string step,
        MoveOrder order,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (Step(step) is not { } which)
            return NoStep(step);
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var estate = view!.Estate;
                if (estate.Find(from) is null || estate.Find(to) is null)
                    return Problems.NoBucket(estate.Find(from) is null ? from : to);
                if (Reading(view, provider, from, to).Steps.Single(s => s.Step == which) is { Ready: false } notYet)
                {
                    return Problems.Conflict("not-ready", notYet.Why ?? "This step was done already.");
                }
                if (which == MoveStep.DropOld && order.Confirm != from)
                    return Problems.Invalid("not-confirmed", "$.confirm", $"The old bucket goes for good; write '{from}' to confirm.");
                return which switch
                {
                    MoveStep.KeepEqual => await Plans.Store(
                        current,
                        view,
                        CopyPlans.WithRule(estate, EqualOrder(from, to), Existing(estate, from, to)),
                        "bucket-changed",
                        store,
                        cancel
                    ),
                    MoveStep.SwitchOver => await Plans.Store(
                        current,
                        view,
                        CopyPlans.SwitchOver(estate, from, to),
                        "switched-over",
                        store,
                        cancel
                    ),
                    MoveStep.DropOld => await Plans.Store(
                        current,
                        view,
                        CopyPlans.Drop(estate, from, to),
                        "bucket-changed",
                        store,
                        cancel,
                        () => DemandEqual(provider, from, to)
                    ),
                    _ => Problems.Conflict("nothing-to-do", "The two become equal as time passes; there is nothing to do by hand."),
                };
            },
            cancel
        );
        return refused is not null ? refused : TypedResults.Ok(Reading((await current.Get(cancel))!, provider, from, to));
    }

    private static async Task<Results<Ok<MoveReading>, ProblemHttpResult>> Undo(
        string from,
        string to,
        string step,
        HttpRequest request,
        CurrentEstate current,
        EstateStore store,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (Step(step) is not { } which)
            return NoStep(step);
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var estate = view!.Estate;
                if (estate.Find(from) is null || estate.Find(to) is null)
                    return Problems.NoBucket(estate.Find(from) is null ? from : to);
                if (!Reading(view, provider, from, to).Steps.Single(s => s.Step == which).CanUndo)
                    return Problems.Conflict(
                        "cannot-undo",
                        "There is nothing to take back here, or a later step has to be taken back first."
                    );
                return which == MoveStep.SwitchOver
                    ? await Plans.Store(current, view, CopyPlans.SwitchBack(estate, from, to), "switched-back", store, cancel)
                    : await Plans.Store(
                        current,
                        view,
                        new Checked<Estate>(CopyPlans.WithoutRule(estate, from, Existing(estate, from, to)!)),
                        "bucket-changed",
                        store,
                        cancel
                    );
            },
            cancel
        );
        return refused is not null ? refused : TypedResults.Ok(Reading((await current.Get(cancel))!, provider, from, to));
    }

    /// <summary>Uploads may have gone on until the old bucket closed: what counts is what lies there now.</summary>
    private static void DemandEqual(SimulatedProvider provider, string from, string to)
    {
        var forward = provider
            .Copies.Rules()
            .First(r => !r.BringsBack && r.Bucket == from && r.Target == to && r.Rule.Prefix.Length == 0 && r.Rule.Tags is null);
        if (Missing(provider, forward) is var missing and >= 1e-6)
        {
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-ready",
                $"{missing:#,0.##} objects came meanwhile and are not there yet; nothing was removed."
            );
        }
    }

    /// <summary>Objects of the old that the new does not have.</summary>
    private static double Missing(SimulatedProvider provider, CopyRuleStatus forward) =>
        provider.Copies.Compare(forward.Id).Differences.Where(d => d.Item.Kind != "only-there").Sum(d => d.Item.Objects) + forward.Waiting;

    /// <summary>Named in the address as in answers: in kebab case.</summary>
    private static MoveStep? Step(string name) =>
        Enum.GetValues<MoveStep>()
            .Cast<MoveStep?>()
            .FirstOrDefault(s => JsonNamingPolicy.KebabCaseLower.ConvertName(s!.Value.ToString()) == name);

    private static ProblemHttpResult NoStep(string name) => Problems.NotFound("no-step", $"There is no step '{name}'.");

    private static CopyOrder EqualOrder(string from, string to) =>
        new()
        {
            Source = from,
            Rule = new CopyRule
            {
                Bucket = to,
                CatchUp = true,
                FollowDeletions = true,
            },
            SwitchVersioningOn = true,
        };

    /// <summary>A rule for everything from one to the other.</summary>
    private static CopyRule? Existing(Estate estate, string from, string to) =>
        estate.Find(from)?.CopyTo.FirstOrDefault(c => c.Bucket == to && c.Prefix.Length == 0 && c.Tags is null);

    private static MoveReading Reading(EstateView view, SimulatedProvider provider, string from, string to)
    {
        var estate = view.Estate;
        if (estate.Find(from) is not { } old || estate.Find(to) is not { } next)
            return new MoveReading(from, to, true, null, null, null, [], []);
        var rules = provider.Copies.Rules();
        var forward = rules.FirstOrDefault(r =>
            !r.BringsBack && r.Bucket == from && r.Target == to && r.Rule.Prefix.Length == 0 && r.Rule.Tags is null
        );
        var back = rules.FirstOrDefault(r => !r.BringsBack && r.Bucket == to && r.Target == from);
        var keptEqual = forward is { Rule.FollowDeletions: true };
        var canCompare = forward is { Line: not LineState.Lost };
        var missing = canCompare ? Missing(provider, forward!) : (double?)null;
        var equal = keptEqual && missing < 1e-6;
        var switched = back is not null;
        var kept = provider.KeptIn(from);
        var before = view.Project(Consequences.Months);
        IReadOnlyList<YearChange> Cost(Checked<Estate> after) => after.Ok ? Consequences.CostOf(before, after.Value, from) : [];
        string? Reason(Checked<Estate> after) => after.Ok ? null : after.Problems[0].Message;

        var keep = CopyPlans.WithRule(estate, EqualOrder(from, to), Existing(estate, from, to));
        var over = CopyPlans.SwitchOver(estate, from, to);
        var drop = CopyPlans.Drop(estate, from, to);
        return new MoveReading(
            from,
            to,
            false,
            forward,
            back,
            missing,
            [.. Differ(old, next)],
            [
                new(
                    MoveStep.KeepEqual,
                    keptEqual,
                    !keptEqual && keep.Ok,
                    keptEqual && !switched,
                    keptEqual ? null : Reason(keep),
                    keptEqual ? [] : Cost(keep)
                ),
                new(
                    MoveStep.BeEqual,
                    equal,
                    false,
                    false,
                    !keptEqual || equal ? null
                        : missing is null ? "One of the two regions is lost."
                        : $"{missing:#,0.##} objects are not there yet.",
                    []
                ),
                new(
                    MoveStep.SwitchOver,
                    switched,
                    !switched && equal && over.Ok,
                    switched,
                    switched ? null
                        : !equal ? "The two are not equal yet."
                        : Reason(over),
                    !switched ? Cost(over) : []
                ),
                new(
                    MoveStep.DropOld,
                    false,
                    switched && equal && kept is null && drop.Ok,
                    false,
                    !switched ? "The new one has not taken over yet."
                        : !equal ? "The two are not equal: the old one still has what the new one has not."
                        : kept is not null
                            ? $"'{from}' holds {kept.Objects:#,0.##} objects that are kept, the last until {kept.Last:yyyy-MM-dd}."
                        : Reason(drop),
                    switched ? Cost(drop) : []
                ),
            ]
        );
    }

    private static IEnumerable<string> Differ(Bucket old, Bucket next)
    {
        if (old.Scheme != next.Scheme)
            yield return $"redundancy scheme ({old.Scheme}; there {next.Scheme})";
        if (old.Tier != next.Tier)
            yield return $"landing tier ({old.Tier}; there {next.Tier})";
        if (
            !old.Rules.Select(r => r with { Steps = [] }).SequenceEqual(next.Rules.Select(r => r with { Steps = [] }))
            || !old.Rules.SelectMany(r => r.Steps).SequenceEqual(next.Rules.SelectMany(r => r.Steps))
        )
            yield return "lifecycle rules";
        if (old.Keep != next.Keep)
            yield return "keep rule";
        if (old.CopyTo.Any(c => c.Bucket != next.Name))
            yield return $"copy rules to {string.Join(", ", old.CopyTo.Where(c => c.Bucket != next.Name).Select(c => c.Bucket))}";
    }
}
