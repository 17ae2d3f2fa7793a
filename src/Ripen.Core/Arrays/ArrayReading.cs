using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Arrays;

/// <summary>A volume as it stands. Bytes; money a month at today's amounts and the first band's price.</summary>
/// <param name="Id">Of the volume.</param>
/// <param name="Name">Of the volume.</param>
/// <param name="StaysBecause">Why nothing of it can leave; null where it can.</param>
/// <param name="HomeBytes">On the array.</param>
/// <param name="AwayBytes">In the bucket.</param>
/// <param name="LeavingBytes">What the rules take tonight.</param>
/// <param name="SavedTerms">What is away would cost on the array, less what it costs in the bucket.</param>
/// <param name="ToSaveTerms">The same of what leaves tonight, where it will lie at first.</param>
public sealed record ArrayVolumeReading(
    string Id,
    string Name,
    string? StaysBecause,
    double HomeBytes,
    double AwayBytes,
    double LeavingBytes,
    IReadOnlyList<PricedTerm> SavedTerms,
    IReadOnlyList<PricedTerm> ToSaveTerms
)
{
    public double SavedAMonth => SavedTerms.Sum(t => t.Amount);

    public double ToSaveAMonth => ToSaveTerms.Sum(t => t.Amount);
}

/// <summary>Bytes by days since anybody used them, in the bins of <see cref="AgeBins"/>.</summary>
/// <param name="Fixed">Of volumes that cannot take part.</param>
/// <param name="Staying">On the array, and no rule takes it today.</param>
/// <param name="Leaving">Tonight's.</param>
/// <param name="Away">In the bucket.</param>
public sealed record ArrayBins(
    IReadOnlyList<double> Fixed,
    IReadOnlyList<double> Staying,
    IReadOnlyList<double> Leaving,
    IReadOnlyList<double> Away
);

/// <summary>What leaves, and when, by one rule.</summary>
/// <param name="Id">Of the rule.</param>
/// <param name="Bytes">All that it could ever take, of what is on the array.</param>
/// <param name="TonightBytes">Of those, what is old enough.</param>
public sealed record LeavingReading(string Id, double Bytes, double TonightBytes);

/// <summary>A local array as it stands; <paramref name="Landing"/> is the tier where what leaves lands.</summary>
public sealed record ArrayReading(
    string Id,
    string Name,
    string Region,
    string? Bucket,
    string? Landing,
    double CapacityBytes,
    UnitPrice PricePerUnitMonth,
    IReadOnlyList<LeavingRule> Leaving,
    IReadOnlyList<LeavingReading> Rules,
    IReadOnlyList<ArrayVolumeReading> Volumes,
    ArrayBins Bins,
    bool HomeOnRead,
    ArrayReadPrice? ReadPrice
)
{
    public double HomeBytes => Volumes.Sum(v => v.HomeBytes);

    public double AwayBytes => Volumes.Sum(v => v.AwayBytes);

    /// <summary>Tonight's; what the rules would take where there is no bucket.</summary>
    public double LeavingBytes => Volumes.Sum(v => v.LeavingBytes);

    public double SavedAMonth => Volumes.Sum(v => v.SavedAMonth);

    /// <summary>Reads an array of an estate; one without a bucket is read as if its rules would take what they name, at no price.</summary>
    public static ArrayReading Of(LocalArray array, Estate estate)
    {
        var today = estate.Today;
        var bound = array with { Bucket = array.Bucket ?? "" };
        var bucket = array.Bucket is { } name ? estate.Find(name) : null;
        var costs = bucket is null ? null : new AwayCosts(array, bucket, estate);
        var bins = (Fixed: Empty(), Staying: Empty(), Leaving: Empty(), Away: Empty());
        foreach (var (volume, data) in array.All())
        {
            var bin =
                volume.StaysBecause is not null ? bins.Fixed
                : data.Away is not null ? bins.Away
                : Leaves(volume, data) ? bins.Leaving
                : bins.Staying;
            bin[Bin(today.DayNumber - data.LastUsed.DayNumber)] += data.Bytes;
        }
        return new(
            array.Id,
            array.Name,
            array.Region,
            array.Bucket,
            bucket?.Tier,
            array.CapacityBytes,
            array.PricePerUnitMonth,
            array.Leaving,
            [.. array.Leaving.Select(Rule)],
            [.. array.Volumes.Select(Volume)],
            new ArrayBins(bins.Fixed, bins.Staying, bins.Leaving, bins.Away),
            array.HomeOnRead,
            ArrayReadPrice.Of(array, estate)
        );

        bool Leaves(ArrayVolume volume, ArrayData data) => bound.LeavesOn(volume, data) <= today;

        LeavingReading Rule(LeavingRule rule)
        {
            var takes = array
                .All()
                .Where(d => d.Volume.StaysBecause is null && d.Data.Away is null && rule.Takes(d.Volume, d.Data))
                .Select(d => d.Data)
                .ToList();
            return new(rule.Id, takes.Sum(d => d.Bytes), takes.Where(d => d.LastUsed.AddDays(rule.AfterDays) <= today).Sum(d => d.Bytes));
        }

        ArrayVolumeReading Volume(ArrayVolume volume)
        {
            var away = volume.Data.Where(d => d.Away is not null).ToList();
            var leaving = volume.Data.Where(d => Leaves(volume, d)).ToList();
            return new(
                volume.Id,
                volume.Name,
                volume.StaysBecause,
                volume.Data.Where(d => d.Away is null).Sum(d => d.Bytes),
                away.Sum(d => d.Bytes),
                leaving.Sum(d => d.Bytes),
                PricedTerm.Together(away.SelectMany(d => Saving(volume, d, today.DayNumber - d.Away!.Value.DayNumber))),
                PricedTerm.Together(leaving.SelectMany(d => Saving(volume, d, 0)))
            );
        }

        IEnumerable<PricedTerm> Saving(ArrayVolume volume, ArrayData data, int age) =>
            [
                PricedTerm.OfHolding(array, estate.PriceBook, data.Bytes / estate.PriceBook.Unit.Bytes()),
                .. costs?.SavedAMonth(volume, data, age) ?? [],
            ];
    }

    private static readonly int[] Starts = [.. AgeBins.Starts];

    private static double[] Empty() => new double[Starts.Length];

    private static int Bin(int age)
    {
        var at = Array.BinarySearch(Starts, age);
        return at >= 0 ? at : ~at - 1;
    }
}

/// <summary>What both sides cost in one year, the <paramref name="Year"/>th from today, before and after a draft. Money.</summary>
/// <param name="Year">From 1.</param>
/// <param name="HeldBefore">On the array, at its price.</param>
/// <param name="HeldAfter">The same by the draft.</param>
/// <param name="EstateBefore">All buckets' bills.</param>
/// <param name="EstateAfter">The same by the draft.</param>
/// <param name="EstateTerms">What makes the difference of these two.</param>
public sealed record ArrayYear(
    int Year,
    PricedTerm HeldBefore,
    PricedTerm HeldAfter,
    double EstateBefore,
    double EstateAfter,
    IReadOnlyList<PricedTerm> EstateTerms
)
{
    public const int Months = 120;

    public double ArrayBefore => HeldBefore.Amount;

    public double ArrayAfter => HeldAfter.Amount;

    /// <summary>What the draft changes in the buckets' bills.</summary>
    public double EstateChange => EstateAfter - EstateBefore;

    /// <summary>The same on both sides.</summary>
    public double Change => ArrayAfter - ArrayBefore + EstateChange;

    private static readonly int[] Years = [1, 3, 10];

    /// <param name="before">The estate as it is, projected over <see cref="Months"/>.</param>
    /// <param name="after">The draft of the array.</param>
    public static IReadOnlyList<ArrayYear> Of(Projection before, LocalArray after)
    {
        var (estate, calendar) = (before.Estate, before.Calendar);
        var was = estate.Arrays.Single(a => a.Id == after.Id);
        var projected = before.With(estate with { Arrays = [.. estate.Arrays.Select(a => a.Id == after.Id ? after : a)] });
        return
        [
            .. Years.Select(y => new ArrayYear(
                y,
                Held(was, y),
                Held(after, y),
                Sum(before.MoneyInAll, y),
                Sum(projected.MoneyInAll, y),
                PricedTerm.OfDifference(before, projected, First(y), Month.OfAYear)
            )),
        ];

        static int First(int year) => (year - 1) * Month.OfAYear;

        static double Sum(double[] money, int year) => money.Skip(First(year)).Take(Month.OfAYear).Sum();

        // Day by day over the calendar's months, as storage is.
        PricedTerm Held(LocalArray array, int year)
        {
            var unitMonths = 0.0;
            foreach (var (volume, data) in array.All().Where(d => d.Data.Away is null))
            {
                var leaves = array.LeavesOn(volume, data) is { } day ? Math.Max(0, day.DayNumber - calendar.Today.DayNumber) : int.MaxValue;
                for (var m = First(year); m < First(year) + Month.OfAYear; m++)
                {
                    var (from, to) = (calendar.MonthStart(m), calendar.MonthStart(m + 1));
                    unitMonths +=
                        data.Bytes
                        / estate.PriceBook.Unit.Bytes()
                        * Math.Max(0, Math.Min(to, leaves) - from)
                        / calendar.BilledDays(calendar.First(m));
                }
            }
            return PricedTerm.OfHolding(array, estate.PriceBook, unitMonths);
        }
    }
}
