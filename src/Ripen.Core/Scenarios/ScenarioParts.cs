using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Scenarios;

/// <summary>What would have to be changed in an estate to make assumptions come true, part by part: drafts.</summary>
/// <param name="Buckets">As they would be, without what lies there; new ones among them.</param>
/// <param name="Prices">The price book; null where it stays.</param>
/// <param name="Plans">Those that would be otherwise or new.</param>
/// <param name="NewPlans">Ids of the new ones among them.</param>
/// <param name="Workloads">Ids of those that would grow otherwise.</param>
public sealed record ScenarioParts(
    IReadOnlyList<Bucket> Buckets,
    PriceBook? Prices,
    IReadOnlyList<BackupPlan> Plans,
    IReadOnlyList<string> NewPlans,
    IReadOnlyList<string> Workloads
)
{
    public static ScenarioParts Of(Estate before, Estate after) =>
        new(
            [.. after.Buckets.Where(b => !ReferenceEquals(before.Find(b.Name), b)).Select(b => b.WithoutContents())],
            ReferenceEquals(before.PriceBook, after.PriceBook) ? null : after.PriceBook,
            [.. after.Plans.Where(p => !before.Plans.Any(b => ReferenceEquals(b, p)))],
            [.. after.Plans.Where(p => before.Plans.All(b => b.Id != p.Id)).Select(p => p.Id)],
            [.. after.Workloads.Where(w => !before.Workloads.Any(b => ReferenceEquals(b, w))).Select(w => w.Id)]
        );

    /// <summary>What two estates differ by in buckets, as assumptions of the first: new buckets come first, since others may copy to them.</summary>
    public static IReadOnlyList<Assumption> BucketsAssumed(Estate before, Estate after) =>
        [
            .. Of(before, after)
                .Buckets.OrderBy(b => before.Find(b.Name) is not null)
                .Select(b => new Assumption
                {
                    Bucket = new() { Stated = before.Today, As = b },
                }),
        ];
}
