using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>The way from one bucket into another: both are kept equal, found equal, the new one takes over, the old one goes.</summary>
public enum MoveStep
{
    KeepEqual,
    BeEqual,
    SwitchOver,
    DropOld,
}

/// <summary>What is known of two buckets on the way from one into the other.</summary>
/// <param name="KeptEqual">A rule for everything, deletions too, leads from the old to the new.</param>
/// <param name="Missing">Objects of the old that the new does not have; null when nobody can compare them.</param>
/// <param name="SwitchedOver">A rule leads back from the new to the old.</param>
/// <param name="StillKept">Why the old one cannot go yet, when retention holds something in it.</param>
public sealed record MoveFacts(bool KeptEqual, double? Missing, bool SwitchedOver, string? StillKept)
{
    /// <summary>Counts of simulated workloads are fractions; less than this is nothing.</summary>
    public const double Nothing = 1e-6;

    public bool Equal => KeptEqual && Missing < Nothing;
}

/// <param name="Step">Which.</param>
/// <param name="Done">Whether the estate is past it.</param>
/// <param name="Ready">Whether it can be done now.</param>
/// <param name="CanUndo">Whether it can be taken back now.</param>
/// <param name="Why">What stands in the way, or what is still going on.</param>
/// <param name="After">The estate after the step; null when it was done already, or time does it.</param>
public sealed record MoveStepState(MoveStep Step, bool Done, bool Ready, bool CanUndo, string? Why, Checked<Estate>? After);

/// <summary>
/// A bucket's move into another, step by step. Nothing of it is remembered but the estate itself, so that each step can be taken back until
/// the last.
/// </summary>
public static class BucketMoves
{
    /// <summary>The rule for everything from one to the other, if there is one.</summary>
    public static CopyRule? RuleOfAll(Estate estate, string from, string to) =>
        estate.Find(from)?.CopyTo.FirstOrDefault(c => IsOfAll(c) && c.Bucket == to);

    /// <summary>Whether a rule copies everything.</summary>
    public static bool IsOfAll(CopyRule rule) => rule.Scope.IsSame(new Scope(""));

    /// <summary>The steps in their order, each with the estate that it would lead to.</summary>
    /// <param name="estate">Has both buckets.</param>
    /// <param name="from">The old bucket.</param>
    /// <param name="to">The new one.</param>
    /// <param name="facts">As they are now.</param>
    public static IReadOnlyList<MoveStepState> Steps(Estate estate, string from, string to, MoveFacts facts)
    {
        var (keep, over, drop) = (KeepEqual(estate, from, to), CopyPlans.SwitchOver(estate, from, to), CopyPlans.Drop(estate, from, to));
        var (kept, equal, switched) = (facts.KeptEqual, facts.Equal, facts.SwitchedOver);
        return
        [
            new(MoveStep.KeepEqual, kept, !kept && keep.Ok, kept && !switched, kept ? null : Reason(keep), kept ? null : keep),
            new(MoveStep.BeEqual, equal, false, false, kept && !equal ? NotEqual(facts) : null, null),
            new(
                MoveStep.SwitchOver,
                switched,
                !switched && equal && over.Ok,
                switched,
                switched ? null
                    : equal ? Reason(over)
                    : "The two are not equal yet.",
                switched ? null : over
            ),
            new(
                MoveStep.DropOld,
                false,
                switched && equal && facts.StillKept is null && drop.Ok,
                false,
                !switched ? "The new one has not taken over yet."
                    : !equal ? "The two are not equal: the old one still has what the new one has not."
                    : facts.StillKept ?? Reason(drop),
                switched ? drop : null
            ),
        ];
    }

    /// <summary>The estate before a step that was done.</summary>
    public static Checked<Estate> TakeBack(Estate estate, string from, string to, MoveStep step) =>
        step == MoveStep.SwitchOver
            ? CopyPlans.SwitchBack(estate, from, to)
            : new(CopyPlans.WithoutRule(estate, from, RuleOfAll(estate, from, to)!));

    /// <summary>Settings that are not the same on both sides, and do not move by themselves.</summary>
    public static IEnumerable<string> Differ(Bucket old, Bucket next)
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
            yield return "retention";
        if (old.CopyTo.Any(c => c.Bucket != next.Name))
            yield return $"replication to {string.Join(", ", old.CopyTo.Where(c => c.Bucket != next.Name).Select(c => c.Bucket))}";
    }

    private static Checked<Estate> KeepEqual(Estate estate, string from, string to)
    {
        var rule = new CopyRule
        {
            Bucket = to,
            CatchUp = true,
            FollowDeletions = true,
        };
        var order = new CopyOrder
        {
            Source = from,
            Rule = rule,
            SwitchVersioningOn = true,
        };
        return CopyPlans.WithRule(estate, order, RuleOfAll(estate, from, to));
    }

    private static string NotEqual(MoveFacts facts) =>
        facts.Missing is { } missing ? $"{Wording.ObjectsAre(missing)} not there yet." : "One of the two regions is lost.";

    private static string? Reason(Checked<Estate> after) => after.Ok ? null : after.Problems[0].Message;
}
