using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Replication;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Buckets;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

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
        if (NamedValues.Read<MoveStep>(step) is not { } which)
            return NoStep(step);
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var estate = view!.Estate;
                if (estate.Find(from) is null || estate.Find(to) is null)
                    return Problems.NoBucket(estate.Find(from) is null ? from : to);
                var state = BucketMoves.Steps(estate, from, to, Facts(provider, from, to)).Single(s => s.Step == which);
                if (!state.Ready)
                    return Problems.Conflict("not-ready", state.Why ?? "This step was done already.");
                if (which == MoveStep.DropOld && BucketEndpoints.NeededElsewhere(estate, from) is { } needed)
                    return needed;
                if (which == MoveStep.DropOld && order.Confirm != from)
                    return Problems.Invalid("not-confirmed", "$.confirm", $"The old bucket goes for good; write '{from}' to confirm.");
                return await Plans.Store(
                    current,
                    view,
                    state.After!,
                    which == MoveStep.SwitchOver ? "switched-over" : "bucket-changed",
                    store,
                    cancel,
                    last: which == MoveStep.DropOld ? () => DemandEqual(provider, from, to) : null
                );
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
        if (NamedValues.Read<MoveStep>(step) is not { } which)
            return NoStep(step);
        var refused = await current.Change(
            async view =>
            {
                if (Plans.Refusal(view, request) is { } refusal)
                    return refusal;
                var estate = view!.Estate;
                if (estate.Find(from) is null || estate.Find(to) is null)
                    return Problems.NoBucket(estate.Find(from) is null ? from : to);
                if (!BucketMoves.Steps(estate, from, to, Facts(provider, from, to)).Single(s => s.Step == which).CanUndo)
                    return Problems.Conflict(
                        "cannot-undo",
                        "There is nothing to take back here, or a later step has to be taken back first."
                    );
                return await Plans.Store(
                    current,
                    view,
                    BucketMoves.TakeBack(estate, from, to, which),
                    which == MoveStep.SwitchOver ? "switched-back" : "bucket-changed",
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
        if (Facts(provider, from, to) is { Equal: false } facts)
        {
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-ready",
                $"{Wording.Objects(facts.Missing ?? 0)} came meanwhile and did not arrive yet; nothing was removed."
            );
        }
    }

    private static MoveFacts Facts(SimulatedProvider provider, string from, string to)
    {
        var (forward, back) = Between(provider, from, to);
        return new MoveFacts(
            forward is { Rule.FollowDeletions: true },
            forward is { Line: not LineState.Lost } ? provider.Copies.Missing(forward.Id) : null,
            back is not null,
            provider.KeptIn(from)?.Why
        );
    }

    private static (CopyRuleStatus? Forward, CopyRuleStatus? Back) Between(SimulatedProvider provider, string from, string to)
    {
        var rules = provider.Copies.Rules().Where(r => !r.BringsBack).ToList();
        return (
            rules.FirstOrDefault(r => r.Bucket == from && r.Target == to && BucketMoves.IsOfAll(r.Rule)),
            rules.FirstOrDefault(r => r.Bucket == to && r.Target == from)
        );
    }

    private static ProblemHttpResult NoStep(string name) => Problems.NotFound("no-step", $"There is no step '{name}'.");

    private static MoveReading Reading(EstateView view, SimulatedProvider provider, string from, string to)
    {
        var estate = view.Estate;
        if (estate.Find(from) is not { } old || estate.Find(to) is not { } next)
            return new MoveReading(from, to, true, null, null, null, [], []);
        var (forward, back) = Between(provider, from, to);
        var facts = Facts(provider, from, to);
        var before = view.Project(Consequences.Months);
        return new MoveReading(
            from,
            to,
            false,
            forward,
            back,
            facts.Missing,
            [.. BucketMoves.Differ(old, next)],
            [
                .. BucketMoves
                    .Steps(estate, from, to, facts)
                    .Select(s => new MoveStepReading(
                        s.Step,
                        s.Done,
                        s.Ready,
                        s.CanUndo,
                        s.Why,
                        s.After is { Ok: true } after ? Consequences.CostOf(before, after.Value, from) : []
                    )),
            ]
        );
    }
}
