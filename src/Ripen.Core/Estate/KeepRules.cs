namespace Ripen.Core.Estates;

/// <summary>What a bucket's keep rule keeps, and when one rule is weaker than another.</summary>
public static class KeepRules
{
    /// <summary>The first day on which an object created on <paramref name="created"/> may go; null when no rule keeps it.</summary>
    public static DateOnly? KeptUntil(this KeepRule? rule, DateOnly created) =>
        rule?.Until ?? (rule?.Days is { } days ? created.AddDays(days) : null);

    /// <summary>
    /// Whether <paramref name="after"/> in the place of <paramref name="before"/> would keep anything that lies there, or that arrives from
    /// <paramref name="today"/> on, for less long or less strongly. A rule until a day that has come keeps nothing any more.
    /// A rule by days and one until a day cannot be compared for what is still to arrive, so that the change from one to the other counts
    /// as weaker.
    /// </summary>
    public static bool Weakens(KeepRule? before, KeepRule? after, DateOnly today)
    {
        if (before is null || before.Until <= today)
            return false;
        if (after is null || (before.Strength == KeepStrength.Sealed && after.Strength == KeepStrength.Liftable))
            return true;
        return before.Days is { } days ? !(after.Days >= days) : !(after.Until >= before.Until);
    }

    /// <summary>Why a change of a bucket's rule is refused; null when it may be made.</summary>
    /// <param name="bucket">Its name.</param>
    /// <param name="before">The rule in force.</param>
    /// <param name="after">What is wanted.</param>
    /// <param name="today">The provider's day.</param>
    /// <param name="lifted">Whether somebody lifts the rule by a request of its own, with a reason.</param>
    public static RefusalException? Refusal(string bucket, KeepRule? before, KeepRule? after, DateOnly today, bool lifted)
    {
        if (!Weakens(before, after, today))
            return null;
        if (before!.Strength == KeepStrength.Sealed)
        {
            return new RefusalException(
                RefusalKind.Conflict,
                "sealed",
                $"'{bucket}' is kept by a sealed rule ({Words(before)}). It can be made longer, and never shorter, liftable or gone, "
                    + "by anybody.",
                "$.keep"
            );
        }
        return lifted
            ? null
            : new RefusalException(
                RefusalKind.Conflict,
                "needs-lifting",
                $"'{bucket}' is kept by a liftable rule ({Words(before)}). Lift it by a request of its own, with a reason; a change "
                    + "of the bucket cannot weaken it.",
                "$.keep"
            );
    }

    public static string Words(KeepRule rule) => rule.Days is { } days ? $"{days} days from creation" : $"until {rule.Until:yyyy-MM-dd}";
}
