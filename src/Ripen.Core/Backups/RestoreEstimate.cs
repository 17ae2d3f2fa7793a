using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Backups;

/// <summary>Which point is to be restored, when and how.</summary>
public sealed record RestoreQuestion
{
    public required string Plan { get; init; }
    public required string Workload { get; init; }
    public required string Target { get; init; }

    /// <summary>The point's day.</summary>
    public required DateOnly Taken { get; init; }

    /// <summary>The day of the restore.</summary>
    public required DateOnly On { get; init; }

    /// <summary>The id of a recall speed; a tier that lacks it gives its ordinary one. Null for the ordinary one everywhere.</summary>
    public string? Speed { get; init; }

    /// <summary>The region into which it is restored; null for the target's own.</summary>
    public string? To { get; init; }

    /// <summary>Bytes a second, above 0; null for no line's limit.</summary>
    public double? LineBytesPerSecond { get; init; }
}

/// <summary>What a restore reads in one tier, in expectation.</summary>
public sealed record TierRead(string Tier, double Bytes, double Packs);

/// <summary>What a restore takes and costs (model 9.6), in expectation.</summary>
/// <param name="ContentBytes">What it gives back.</param>
/// <param name="ReadBytes">What is read for it.</param>
/// <param name="WaitHours">Before the last tier's first byte.</param>
/// <param name="TransferHours">Of what is read, over the slower of target and line.</param>
/// <param name="Hours">Both together.</param>
/// <param name="Terms">Recalls, reads, and the way to another region.</param>
public sealed record RestoreEstimate(
    double ContentBytes,
    double ReadBytes,
    double WaitHours,
    double TransferHours,
    double Hours,
    IReadOnlyList<PricedTerm> Terms
)
{
    private const double SecondsAnHour = 3600;

    /// <summary>All of it.</summary>
    public double Money => Terms.Sum(t => t.Amount);

    /// <exception cref="RefusalException">There is no such plan, point, region or speed; its message says which.</exception>
    public static RestoreEstimate Of(Estate estate, RestoreQuestion question)
    {
        var (branch, point) = Find(estate, question);
        return Of(estate, branch, point, question);
    }

    /// <summary>What is read for it in a bucket, by tier.</summary>
    /// <exception cref="RefusalException">There is no such plan or point.</exception>
    public static IReadOnlyList<TierRead> Reads(Estate estate, RestoreQuestion question)
    {
        var (branch, point) = Find(estate, question);
        return branch.Target.Bucket is not { } bucket
            ? []
            :
            [
                .. ReadByTier(estate, branch, point, question.On, estate.Find(bucket)!)
                    .Where(r => r.Bytes > 0)
                    .Select(r => new TierRead(r.Tier!, r.Bytes, r.Bytes / branch.Target.PackBytes)),
            ];
    }

    /// <summary>The same for a branch that is at hand.</summary>
    internal static RestoreEstimate Of(Estate estate, Branch branch, RestoreQuestion question) =>
        Of(estate, branch, PointOf(branch, question), question);

    private static (Branch Branch, int Point) Find(Estate estate, RestoreQuestion question)
    {
        var branch =
            Branch
                .All(estate, question.On.AddDays(1))
                .FirstOrDefault(b => (b.Plan.Id, b.Workload.Id, b.Target.Id) == (question.Plan, question.Workload, question.Target))
            ?? throw Nothing("no-branch", $"The plan '{question.Plan}' has no points of '{question.Workload}' in '{question.Target}'.");
        return (branch, PointOf(branch, question));
    }

    private static int PointOf(Branch branch, RestoreQuestion question)
    {
        var point = Enumerable.Range(0, branch.Runs.Count).FirstOrDefault(i => branch.Runs[i].Day == question.Taken, -1);
        return point >= 0 && branch.IsThere(point, question.On)
            ? point
            : throw Nothing("no-point", $"There is no point of {question.Taken:yyyy-MM-dd} on {question.On:yyyy-MM-dd}.");
    }

    private static RestoreEstimate Of(Estate estate, Branch branch, int point, RestoreQuestion question)
    {
        var target = branch.Target;
        var bucket = target.Bucket is { } name ? estate.Find(name)! : null;
        var (read, wait, terms) = (0.0, 0.0, new List<PricedTerm>());
        foreach (var (tier, bytes) in ReadByTier(estate, branch, point, question.On, bucket))
        {
            read += bytes;
            if (tier is null || bytes == 0)
                continue;
            var price = estate.PriceBook.FindRegion(bucket!.Region)!.PriceOf(tier)!;
            var speed = price.RecallSpeeds.FirstOrDefault(s => s.Id == question.Speed);
            wait = Math.Max(wait, speed?.WaitHours ?? estate.PriceBook.Tiers.First(t => t.Id == tier).WaitHours);
            terms.AddRange(PricedTerm.OfReading(estate.PriceBook, bucket.Region, tier, speed, bytes / target.PackBytes, bytes));
        }
        if (question.Speed is { } wanted && !IsSpeed(estate, wanted))
            throw Nothing("no-speed", $"No region's price names a recall speed '{wanted}'.");
        if (question.To is { } to)
        {
            if (estate.PriceBook.FindRegion(to) is null)
                throw Nothing("no-region", $"There is no region '{to}'.");
            if (bucket is not null && to != bucket.Region)
                terms.AddRange(PricedTerm.OfCarrying(estate.PriceBook, bucket.Region, to, read));
        }
        var rate = Math.Min(target.BytesPerSecond ?? double.PositiveInfinity, question.LineBytesPerSecond ?? double.PositiveInfinity);
        var transfer = read / rate / SecondsAnHour;
        return new RestoreEstimate(branch.Runs[point].LogicalBytes, read, wait, transfer, wait + transfer, terms);
    }

    /// <summary>What is read of every run, with the tier where it lies on that day; null in a directory.</summary>
    private static IEnumerable<(string? Tier, double Bytes)> ReadByTier(
        Estate estate,
        Branch branch,
        int point,
        DateOnly on,
        Bucket? bucket
    )
    {
        var prices = estate.PriceBook;
        var first = branch.Deduplicates ? 0 : branch.Runs[point].Full;
        var path = bucket is null
            ? []
            : Life.Path(
                Lifecycle.Of(bucket, branch.PackKind, prices, estate.Today).Unbundled(),
                new Standing(0, prices.Coldness(bucket.Tier), 0),
                Lifecycle.Never
            );
        var byTier = new SortedDictionary<int, double>();
        for (var i = first; i <= point; i++)
        {
            var run = branch.Runs[i];
            var age = on.DayNumber - run.Day.DayNumber;
            var tier = bucket is null ? -1 : path.Last(s => s.From <= age).Tier;
            byTier[tier] = byTier.GetValueOrDefault(tier) + (run.Stored.Total * branch.NeededFor(i, point));
        }
        return byTier.Select(t => (t.Key < 0 ? null : prices.Tiers[t.Key].Id, t.Value));
    }

    private static bool IsSpeed(Estate estate, string id) =>
        estate.PriceBook.Regions.Any(r => r.Prices.Any(p => p.RecallSpeeds.Any(s => s.Id == id)));

    private static RefusalException Nothing(string code, string message) => new(RefusalKind.NotFound, code, message);
}
