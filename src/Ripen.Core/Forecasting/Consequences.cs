using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Forecasting;

/// <summary>Twelve months, the <see cref="Year"/>th from today, before and after a draft. Money.</summary>
public sealed record YearChange(
    int Year,
    Month From,
    Month To,
    double BucketBefore,
    double BucketAfter,
    double EstateBefore,
    double EstateAfter
)
{
    public double BucketChange => BucketAfter - BucketBefore;

    public double EstateChange => EstateAfter - EstateBefore;

    /// <summary>What the draft changes in other buckets' bills, through copies and shared price bands.</summary>
    public double ElsewhereChange => EstateChange - BucketChange;
}

/// <summary>One charge of the bucket over the first twelve months, before and after a draft. Money.</summary>
public sealed record ChargeChange(Charge Charge, double Before, double After);

/// <summary>What today's run moves or removes (<see cref="ToTier"/> null), and what that costs once.</summary>
public sealed record MoveNow(string FromTier, string? ToTier, double Objects, double Bytes, IReadOnlyList<PricedTerm> Terms)
{
    public double MoveCharge => Terms.Where(t => t.Charge != Charge.EarlyLeave).Sum(t => t.Amount);

    public double EarlyLeaveCharge => Terms.Where(t => t.Charge == Charge.EarlyLeave).Sum(t => t.Amount);
}

/// <summary>A tier whose minimum stay the draft's steps break: the shortest stay, under which prefixes, and what early leaving costs in
/// the first and third year.</summary>
public sealed record BrokenStay(
    string Tier,
    IReadOnlyList<string> Prefixes,
    int StaysDays,
    int MinimumDays,
    double ChargeInYear1,
    double ChargeInYear3
);

/// <summary>What comes to rest, at the end of three years, where reading has to wait.</summary>
public sealed record SlowTier(string Tier, double WaitHours, double BytesBefore, double BytesAfter);

/// <summary>What a draft would do, computed and nothing done. "Before" is the estate as it is.</summary>
public sealed record Consequences
{
    public const int Months = 120;

    private static readonly int[] Years = [1, 3, 10];

    public required IReadOnlyList<YearChange> Cost { get; init; }
    public required IReadOnlyList<ChargeChange> Charges { get; init; }
    public required IReadOnlyList<MoveNow> Now { get; init; }

    /// <summary>Moves and early leaving of today's run, together. Money.</summary>
    public double OneOffCharges => Now.Sum(m => m.MoveCharge + m.EarlyLeaveCharge);
    public required IReadOnlyList<BrokenStay> BrokenStays { get; init; }
    public required IReadOnlyList<StepEconomy> Steps { get; init; }
    public required IReadOnlyList<SlowTier> Slow { get; init; }
    public required IReadOnlyList<Problem> Doubts { get; init; }

    /// <param name="before">The projection of the estate as it is, over <see cref="Months"/> months.</param>
    /// <param name="draft">A valid bucket.</param>
    /// <param name="replaces">The bucket that the draft changes, or null for a new one.</param>
    public static Consequences Of(Projection before, Bucket draft, string? replaces)
    {
        var estate = before.Estate.With(draft, replaces);
        var after = before.With(estate);
        var (was, will) = (Costs.Of(before, replaces), Costs.Of(after, draft.Name));
        return new Consequences
        {
            Cost = Changes(before.Calendar, was, will),
            Charges =
            [
                .. Enum.GetValues<Charge>()
                    .Select(c => new ChargeChange(c, was.ByCharge[(int)c], will.ByCharge[(int)c]))
                    .Where(c => c.Before != 0 || c.After != 0),
            ],
            Now = [.. TodaysRun.Of(draft, estate).Select(m => Price(m, draft, estate))],
            BrokenStays = [.. Broken(AgeStrip.Of(draft, estate.PriceBook, estate.Today), will)],
            Steps = StepEconomies.Of(draft, estate),
            Slow = [.. SlowTiers(before, replaces, after, draft.Name)],
            Doubts = Forecasting.Doubts.Of(draft, estate),
        };
    }

    /// <summary>What a change of several buckets costs, for one of them and for the estate.</summary>
    /// <param name="before">The projection of the estate as it is, over <see cref="Months"/> months.</param>
    /// <param name="after">The estate as it would be; valid.</param>
    /// <param name="bucket">Before and after; a bucket that is not there costs nothing.</param>
    public static IReadOnlyList<YearChange> CostOf(Projection before, Estate after, string bucket) =>
        Changes(before.Calendar, Costs.Of(before, bucket), Costs.Of(before.With(after), bucket));

    /// <summary>What a change of many buckets costs: of all of them together, and of each by name.</summary>
    /// <param name="before">The projection of the estate as it is, over <see cref="Months"/> months.</param>
    /// <param name="after">The estate as it would be, with the same buckets; valid.</param>
    /// <param name="buckets">That are changed.</param>
    public static (IReadOnlyList<YearChange> Sum, IReadOnlyDictionary<string, IReadOnlyList<YearChange>> Each) CostOfEach(
        Projection before,
        Estate after,
        IReadOnlySet<string> buckets
    )
    {
        var then = before.With(after);
        var (was, will) = (Costs.Of(before, null), Costs.Of(then, null));
        var (sumBefore, sumAfter) = (Costs.Like(was), Costs.Like(will));
        var each = new Dictionary<string, IReadOnlyList<YearChange>>();
        for (var b = 0; b < before.Usages.Count; b++)
        {
            var name = before.Usages[b].Bucket.Name;
            if (!buckets.Contains(name))
                continue;
            var (own, next) = (Costs.Like(was), Costs.Like(will));
            for (var m = 0; m < Months; m++)
            {
                own.Bucket[m] = before.Money[b][m];
                next.Bucket[m] = then.Money[b][m];
                sumBefore.Bucket[m] += own.Bucket[m];
                sumAfter.Bucket[m] += next.Bucket[m];
            }
            each[name] = Changes(before.Calendar, own, next);
        }
        return (Changes(before.Calendar, sumBefore, sumAfter), each);
    }

    private static YearChange[] Changes(BillingCalendar calendar, Costs was, Costs will) =>
        [
            .. Years.Select(y => new YearChange(
                y,
                Month.Of(calendar.Date((y - 1) * 12)),
                Month.Of(calendar.Date((y * 12) - 1)),
                Costs.InYear(y, was.Bucket),
                Costs.InYear(y, will.Bucket),
                Costs.InYear(y, was.Estate),
                Costs.InYear(y, will.Estate)
            )),
        ];

    private static IEnumerable<BrokenStay> Broken(AgeStrip strip, Costs costs) =>
        from lane in strip.Lanes
        from stay in lane.ShortStays
        group (lane.Prefix, stay) by stay.Tier into tier
        select new BrokenStay(
            tier.Key,
            [.. tier.Select(t => t.Prefix)],
            tier.Min(t => t.stay.StaysDays),
            tier.First().stay.MinimumDays,
            costs.EarlyLeave(tier.Key, 1),
            costs.EarlyLeave(tier.Key, 3)
        );

    private static MoveNow Price(RunMove move, Bucket bucket, Estate estate)
    {
        var book = estate.PriceBook;
        var daysOfMonth = book.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(estate.Today.Year, estate.Today.Month);
        var unitMonths = move.EarlyLeaveByteDays / book.Unit.Bytes() / daysOfMonth;
        return new MoveNow(
            move.FromTier,
            move.ToTier,
            move.Objects,
            move.Bytes,
            [.. PricedTerm.OfLeaving(book, bucket, move.FromTier, move.ToTier, move.Objects, move.Bundled, move.Bundles, unitMonths)]
        );
    }

    private static IEnumerable<SlowTier> SlowTiers(Projection before, string? replaces, Projection after, string name)
    {
        const int month = 35;
        var tiers = after.Estate.PriceBook.Tiers;
        for (var tier = 0; tier < tiers.Count; tier++)
        {
            if (tiers[tier].WaitHours <= 0)
                continue;
            var (was, will) = (Resting(before, replaces, tier), Resting(after, name, tier));
            if (was > 0 || will > 0)
                yield return new SlowTier(tiers[tier].Id, tiers[tier].WaitHours, was, will);
        }

        static double Resting(Projection projection, string? bucket, int tier) =>
            projection.Usages.FirstOrDefault(u => u.Bucket.Name == bucket)?.BytesAtEnd(tier, month) ?? 0;
    }

    /// <summary>Money by month, for one bucket and for the whole estate.</summary>
    private sealed class Costs
    {
        private readonly List<BillRow> bucketRows = [];
        private readonly IReadOnlyList<Tier> tiers;

        private Costs(IReadOnlyList<Tier> tiers, double[] estate) => (this.tiers, Estate) = (tiers, estate);

        /// <summary>Of the same estate, and of no bucket yet.</summary>
        public static Costs Like(Costs other) => new(other.tiers, other.Estate);

        public double[] Bucket { get; } = new double[Months];

        public double[] Estate { get; }

        public double[] ByCharge { get; } = new double[Enum.GetValues<Charge>().Length];

        public static double InYear(int year, double[] money) => money.AsSpan((year - 1) * 12, 12).ToArray().Sum();

        public double EarlyLeave(string tier, int year) =>
            bucketRows.Where(r => r.Charge == Charge.EarlyLeave && tiers[r.Tier].Id == tier && r.Month / 12 == year - 1).Sum(r => r.Amount);

        public static Costs Of(Projection projection, string? bucket)
        {
            var costs = new Costs(projection.Estate.PriceBook.Tiers, projection.MoneyInAll);
            for (var b = 0; b < projection.Usages.Count; b++)
            {
                if (projection.Usages[b].Bucket.Name == bucket)
                    costs.AddOwn(projection, b);
            }
            return costs;
        }

        private void AddOwn(Projection projection, int bucket)
        {
            projection.Money[bucket].CopyTo(Bucket, 0);
            for (var m = 0; m < Months; m++)
                projection.Bill.AddRows(bucket, m, bucketRows);
            foreach (var row in bucketRows.Where(r => r.Month < 12))
                ByCharge[(int)row.Charge] += row.Amount;
        }
    }
}
