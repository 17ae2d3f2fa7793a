using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>The shape in which objects lie: bytes of each, and how many there are for each that came.</summary>
internal readonly record struct Form(long BytesPerObject, double Count = 1)
{
    /// <summary>After a move with bundling into objects of so many bytes (0 for none); larger ones move as they are.</summary>
    public Form Bundled(long into) => BytesPerObject < into ? new Form(into, Count * BytesPerObject / into) : this;
}

/// <summary>
/// A stay in one tier by age in days: resting there from <see cref="From"/> to <see cref="To"/> (exclusive). <see cref="Since"/> is the
/// age at which the objects entered the tier, which is earlier than From when they were there before the first day.
/// A stay of no length is one that a move ends on the day it began. The next stay is in another tier, or that of an earlier version,
/// superseded at the age <see cref="Superseded"/>. <see cref="By"/> is the id of the rule that moved them there.
/// </summary>
internal readonly record struct Stay(int Tier, int From, int To, int Since, Form Form, int? Superseded, bool IsWatched, string? By)
{
    public bool IsEarlier => Superseded is not null;
}

/// <summary>How objects stand when their life is taken up: their age, tier, the age at which they entered it, and, for earlier versions, the
/// age at which they were superseded; otherwise the age at which they are overwritten (<see cref="Lifecycle.Never"/> for never), and that at
/// which they were last read.</summary>
internal readonly record struct Standing(
    int Age,
    int Tier,
    int Since,
    int? Superseded = null,
    int ReplacedAt = Lifecycle.Never,
    int LastRead = 0
);

/// <summary>
/// The same life for every day of creation in <see cref="Cohorts"/>: stays one after another by age, then removal, either at the
/// end of the last stay (<see cref="EndsByAge"/>) or for all of them together on <see cref="GoneOn"/>.
/// </summary>
internal sealed record Life(Cohorts Cohorts, Stay[] Stays, bool EndsByAge, int GoneOn)
{
    /// <summary>
    /// The lives of objects that follow <paramref name="lifecycle"/> and that nobody reads. What keeps until a date holds back those that
    /// would have gone before it; they leave together.
    /// </summary>
    public static IEnumerable<Life> Of(Lifecycle lifecycle, Cohorts cohorts, Standing standing)
    {
        foreach (var (some, endsAt, goneOn) in Parted(lifecycle, cohorts, standing))
            yield return new Life(some, Path(lifecycle, standing, endsAt), endsAt < Lifecycle.Never, goneOn);
    }

    /// <summary>Cohorts by how they end: at an age, or on a day on which nothing keeps them any more.</summary>
    public static IEnumerable<(Cohorts Cohorts, int EndsAt, int GoneOn)> Parted(Lifecycle lifecycle, Cohorts cohorts, Standing standing)
    {
        var end = EndsAt(lifecycle, standing);
        if (end == Lifecycle.Never)
        {
            yield return (cohorts, Lifecycle.Never, Lifecycle.Never);
            yield break;
        }
        var next = cohorts.First;
        foreach (var (from, to) in lifecycle.Keeping.Spans)
        {
            if (cohorts.Between(next, from - end) is { IsEmpty: false } free)
                yield return (free, end, Lifecycle.Never);
            if (cohorts.Between(Math.Max(next, from - end), to - end) is { IsEmpty: false } held)
                yield return (held, Lifecycle.Never, to);
            next = Math.Max(next, to - end);
        }
        if (cohorts.Between(next, cohorts.End) is { IsEmpty: false } rest)
            yield return (rest, end, Lifecycle.Never);
    }

    /// <summary>The age at which objects go, as far as ages say.</summary>
    private static int EndsAt(Lifecycle lifecycle, Standing standing)
    {
        var over = Math.Min(lifecycle.ExpireAt, standing.ReplacedAt);
        if (lifecycle.Versioned || standing.Superseded is not null)
        {
            var superseded = standing.Superseded ?? Math.Max(over, standing.Age);
            over =
                superseded >= Lifecycle.Never || lifecycle.EarlierExpireAt == Lifecycle.Never
                    ? Lifecycle.Never
                    : superseded + lifecycle.EarlierExpireAt;
        }
        return over >= Lifecycle.Never ? Lifecycle.Never : Math.Max(Math.Max(over, lifecycle.Keeping.Days), standing.Age);
    }

    /// <summary>The stays of objects that nobody reads, to the age <paramref name="end"/>.</summary>
    public static Stay[] Path(Lifecycle lifecycle, Standing standing, int end)
    {
        var stays = new List<Stay>(4);
        var (age, tier, since, superseded, replacedAt, lastRead) = standing;
        var (form, by) = (new Form(lifecycle.Kind.BytesPerObject), (string?)null);
        var over = lifecycle.Versioned ? Math.Min(lifecycle.ExpireAt, replacedAt) : Lifecycle.Never;
        // An object moves once a day.
        for (var (from, free) = (age, age); ; )
        {
            var supersededOn = superseded is null ? Math.Max(from, over) : Lifecycle.Never;
            var move = NextMove(lifecycle, superseded, lastRead, tier, form, free);
            if (Math.Min(supersededOn, move.Age) >= end)
            {
                Rest(from, end);
                return [.. stays];
            }
            if (supersededOn <= move.Age)
            {
                Rest(from, supersededOn);
                (superseded, from, free) = (supersededOn, supersededOn, Math.Max(free, supersededOn));
                continue;
            }
            Rest(from, move.Age);
            (tier, since, form, by) = (move.Step.Tier, move.Age, form.Bundled(move.Step.BundleTo), move.Step.Rule);
            (from, free) = (move.Age, move.Age + 1);
        }

        void Rest(int from, int to) =>
            stays.Add(new Stay(tier, from, to, since, form, superseded, superseded is null && lifecycle.Watches(form.BytesPerObject), by));
    }

    /// <summary>The first move, at <paramref name="free"/> at the earliest, when nobody reads; the coldest of the steps that are due then.</summary>
    private static (int Age, DueStep Step) NextMove(Lifecycle lifecycle, int? superseded, int lastRead, int tier, Form form, int free)
    {
        var steps = superseded is null ? lifecycle.Current : lifecycle.Earlier;
        var first = Lifecycle.Never;
        foreach (var step in steps)
        {
            if (step.Tier > tier && step.Scope.TakesSize(form.BytesPerObject))
                first = Math.Min(first, Math.Max(free, DueAt(step)));
        }
        DueStep? coldest = null;
        foreach (var step in steps)
        {
            if (step.Tier > (coldest?.Tier ?? tier) && DueAt(step) <= first && step.Scope.TakesSize(form.BytesPerObject))
                coldest = step;
        }
        return coldest is { } move ? (first, move) : (Lifecycle.Never, default);

        int DueAt(DueStep step) => (superseded ?? (step.ByReading ? lastRead : 0)) + step.Age;
    }

    /// <summary>Whether what leaves stay <paramref name="i"/> by age leaves its tier, and not only the current version's place.</summary>
    private bool LeavesTier(int i) => i + 1 < Stays.Length ? MovesOn(i) : EndsByAge;

    /// <summary>Whether what leaves stay <paramref name="i"/> by age moves on to another tier.</summary>
    public bool MovesOn(int i) => i + 1 < Stays.Length && Stays[i + 1].Tier != Stays[i].Tier;

    /// <summary>Objects of stay <paramref name="i"/>, as many as came, that move on from it to another tier on the days [p, q).</summary>
    public double MovesOn(int i, int p, int q) => MovesOn(i) ? Cohorts.Count(p - Stays[i].To, Math.Min(q, GoneOn) - Stays[i].To) : 0;

    /// <summary>Objects that are removed from stay <paramref name="i"/> on the days [p, q).</summary>
    public double Removed(int i, int p, int q)
    {
        if (EndsByAge)
            return i == Stays.Length - 1 ? Cohorts.Count(p - Stays[i].To, q - Stays[i].To) : 0;
        return p <= GoneOn && GoneOn < q ? Cohorts.Count(GoneOn - Stays[i].To, GoneOn - Stays[i].From) : 0;
    }

    /// <summary>
    /// Object-days short of the minimum stay for objects that leave stay <paramref name="i"/> on the days [p, q), by moving or by removal.
    /// </summary>
    public double ShortOfMinimum(int i, Tier tier, int p, int q)
    {
        var stay = Stays[i];
        var missing = tier.DaysShort(stay.To - stay.Since);
        var byAge = missing > 0 && LeavesTier(i) ? missing * Cohorts.Count(p - stay.To, Math.Min(q, GoneOn) - stay.To) : 0;
        if (p > GoneOn || GoneOn >= q)
            return byAge;
        // All leave on one day, having stayed GoneOn - created - Since days: the younger, the more is missing.
        var first = Math.Max(Math.Max(GoneOn - stay.To, Cohorts.First), GoneOn - stay.Since - tier.MinimumStayDays + 1);
        return byAge + Cohorts.Rising(first, GoneOn - stay.From, tier.MinimumStayDays - GoneOn + stay.Since + first);
    }

    /// <summary>Objects that rest in stay <paramref name="i"/> on <paramref name="day"/>, after that day's rules have run.</summary>
    public double Resting(int i, int day) => Resting(i, day, 0, Lifecycle.Never);

    /// <summary>Those of them whose age on that day is from <paramref name="youngest"/> to <paramref name="oldest"/> (exclusive).</summary>
    public double Resting(int i, int day, int youngest, int oldest)
    {
        if (day >= GoneOn)
            return 0;
        var (from, to) = (Math.Max(youngest, Stays[i].From), Math.Min(oldest, Stays[i].To));
        return to <= from ? 0 : Cohorts.Count(day - to + 1, day - from + 1);
    }

    /// <summary>Object-days of stay <paramref name="i"/> at the ages [from, to) on the days [p, q).</summary>
    public double ObjectDays(int i, int from, int to, int p, int q) =>
        Cohorts.ObjectDays(Math.Max(from, Stays[i].From), Math.Min(to, Stays[i].To), p, Math.Min(q, GoneOn));
}
