using Ripen.Core.Billing;
using Ripen.Core.Estates;

namespace Ripen.Core.Arrays;

/// <summary>What the choice costs whether reading brings data home, for one reading of all that is away; where nothing is, of what would
/// leave tonight, read a month later. At the first bands' prices and the ordinary speed.</summary>
/// <param name="Bytes">That are read.</param>
/// <param name="WhereItIsTerms">Reading it in the bucket, each time.</param>
/// <param name="HomeTerms">Reading it once, having it at home until it leaves again, and the way back; below nothing is what it saves.</param>
/// <param name="DaysAtHome">Until rules take it again, of the part that stays longest; null where some would stay for good.</param>
/// <param name="ReadAfter">Days after it leaves; null where it is away, and read today.</param>
public sealed record ArrayReadPrice(
    double Bytes,
    IReadOnlyList<PricedTerm> WhereItIsTerms,
    IReadOnlyList<PricedTerm> HomeTerms,
    int? DaysAtHome,
    int? ReadAfter
)
{
    private const int ReadAfterDays = 30;

    /// <summary>Money.</summary>
    public double WhereItIs => WhereItIsTerms.Sum(t => t.Amount);

    /// <summary>Money.</summary>
    public double Home => HomeTerms.Sum(t => t.Amount);

    /// <summary>Readings within those days from which on bringing it home costs no more; null where reading costs nothing.</summary>
    public double? HomeWinsFrom => WhereItIs > 0 ? Home / WhereItIs : null;

    /// <summary>Null where the array has no bucket, and where nothing is away or would leave tonight.</summary>
    public static ArrayReadPrice? Of(LocalArray array, Estate estate)
    {
        if (array.Bucket is not { } name)
            return null;
        var costs = new AwayCosts(array, estate.Find(name)!, estate);
        var today = estate.Today;
        var read = array
            .All()
            .Where(d => d.Data.Away is not null)
            .Select(d => (d.Volume, d.Data, Age: today.DayNumber - d.Data.Away!.Value.DayNumber))
            .ToList();
        var isAway = read.Count > 0;
        if (!isAway)
            read = [.. array.All().Where(d => array.LeavesOn(d.Volume, d.Data) <= today).Select(d => (d.Volume, d.Data, ReadAfterDays))];
        if (read.Count == 0)
            return null;
        var daysAtHome = read.ConvertAll(d => array.DaysUnused(d.Volume, d.Data));
        var inPlace = PricedTerm.Together(read.SelectMany(d => costs.Reading(d.Volume, d.Data, d.Age)));
        var home = read.Zip(daysAtHome).SelectMany(d => costs.ComingHome(d.First.Volume, d.First.Data, d.First.Age, d.Second));
        return new(
            read.Sum(d => d.Data.Bytes),
            inPlace,
            [.. inPlace, .. PricedTerm.Together(home)],
            daysAtHome.Contains(null) ? null : daysAtHome.Max(),
            isAway ? null : ReadAfterDays
        );
    }
}
