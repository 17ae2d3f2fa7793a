using Ripen.Core.Ageing;
using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>What a run before today left in its target's bucket, as it lies there this morning (model 9.4, 9.5).</summary>
/// <param name="Branch">Whose run it is.</param>
/// <param name="Run">Its place in the branch.</param>
/// <param name="Came">Objects that the run stored.</param>
/// <param name="Objects">What is left of them; fractions allowed.</param>
/// <param name="Tier">The coldness of the tier where they lie.</param>
/// <param name="Since">The day on which they came there.</param>
public sealed record PastPacks(Branch Branch, int Run, double Came, double Objects, int Tier, DateOnly Since)
{
    /// <param name="estate">Valid.</param>
    /// <param name="bucket">Of the estate.</param>
    public static IEnumerable<PastPacks> In(Estate estate, Bucket bucket)
    {
        var planned = PlannedRuns.Of(estate, 1);
        foreach (var packs in PacksInBucket.OwnOf(bucket, planned, estate.PriceBook, estate.Today))
        {
            foreach (var life in packs.Lives)
            {
                if (life.ThisMorning(estate.Today) is not { } lies)
                    continue;
                foreach (var branch in packs.Branches.Where(b => b.Packs(life.Run, life.Run) > 0))
                    yield return new PastPacks(
                        branch,
                        life.Run,
                        branch.Packs(life.Run, life.Run),
                        lies.Packs.Objects(branch),
                        lies.Tier,
                        estate.Today.AddDays(life.Created + lies.SinceAge)
                    );
            }
        }
    }
}
