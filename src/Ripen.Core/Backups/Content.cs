using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>Bytes of the two classes of a workload's content: what is never rewritten, and what is.</summary>
public readonly record struct Content(double Cold, double Hot)
{
    public double Total => Cold + Hot;

    /// <summary>So many bytes, of the classes as they are here; cold where there is nothing here.</summary>
    public Content Of(double total) => Total > 0 ? this * (total / Total) : new Content(total, 0);

    public static Content operator +(Content a, Content b) => new(a.Cold + b.Cold, a.Hot + b.Hot);

    public static Content operator *(Content content, double factor) => new(content.Cold * factor, content.Hot * factor);

    public static Content operator *(Content content, Surviving share) => new(content.Cold * share.Cold, content.Hot * share.Hot);
}

/// <summary>Which share of a class that was there on one day is there unchanged on a later one; each from 0 to 1.</summary>
public readonly record struct Surviving(double Cold, double Hot);

/// <summary>What a workload holds on a day, and what of it is new (model 9.2, 9.3), in expectation.</summary>
public sealed class WorkloadContent
{
    private const double DaysAYear = 365;

    private readonly DateOnly today;
    private readonly Powers grown;
    private readonly Powers shrunk;

    /// <summary>The share of hot bytes that is not rewritten in so many days.</summary>
    private readonly Powers unwritten;

    /// <param name="workload">A valid one.</param>
    /// <param name="today">The day on which its bytes were counted.</param>
    public WorkloadContent(Workload workload, DateOnly today)
        : this(workload, today, (of, each) => new Powers(of, each)) { }

    private WorkloadContent(Workload workload, DateOnly today, Func<double, double, Powers> powers)
    {
        (Workload, this.today) = (workload, today);
        var rewritten = workload.Changing > 0 ? workload.DailyChange / workload.Changing : 0;
        (grown, shrunk) = (powers(1 + workload.YearlyGrowth, DaysAYear), powers(1 + workload.YearlyGrowth, -DaysAYear));
        unwritten = powers(1 - rewritten, 1);
    }

    public Workload Workload { get; }

    /// <summary>Those of all workloads of an estate: what grows or changes alike is computed once.</summary>
    public static IEnumerable<WorkloadContent> All(Estate estate)
    {
        var known = new Dictionary<(double, double), Powers>();
        return estate.Workloads.Select(w => new WorkloadContent(w, estate.Today, Shared));

        Powers Shared(double of, double each) =>
            known.TryGetValue((of, each), out var own) ? own : known[(of, each)] = new Powers(of, each);
    }

    /// <summary>Logical bytes, on days before today as well.</summary>
    public double BytesOn(DateOnly day)
    {
        var days = day.DayNumber - today.DayNumber;
        return Workload.Bytes * (days < 0 ? shrunk[-days] : grown[days]);
    }

    public Content On(DateOnly day)
    {
        var bytes = BytesOn(day);
        return new Content((1 - Workload.Changing) * bytes, Workload.Changing * bytes);
    }

    /// <summary>What is left after so many days, 0 or more. A workload that shrinks loses bytes of both classes evenly. It depends on the days
    /// between alone, and what survives two spans is the product of what survives each.</summary>
    public Surviving Surviving(int days)
    {
        var left = Workload.Bytes > 0 && Workload.YearlyGrowth < 0 ? grown[days] : 1;
        return new Surviving(left, left * unwritten[days]);
    }

    /// <summary>The same for every number of days below the table's length.</summary>
    public void Fill(Span<Surviving> byDays)
    {
        for (var days = 0; days < byDays.Length; days++)
            byDays[days] = Surviving(days);
    }

    /// <summary>Content on a day that was not there on the day of the run before.</summary>
    /// <param name="before">Null for the first run, to which everything is new.</param>
    /// <param name="day">Of the run.</param>
    public Content NewOn(DateOnly? before, DateOnly day)
    {
        if (before is not { } p)
            return On(day);
        // What is there minus what survived, put so that nothing new is nothing, and not the rounding of two large numbers.
        var (was, now) = (BytesOn(p), BytesOn(day));
        var grown = Math.Max(0, now - was);
        var changed = Math.Min(was, now) * (1 - unwritten[day.DayNumber - p.DayNumber]);
        return new Content((1 - Workload.Changing) * grown, Workload.Changing * (grown + changed));
    }

    /// <summary>What a run stores in a target (9.3).</summary>
    /// <param name="target">Where to.</param>
    /// <param name="before">The run before it, retained or not; null for the first.</param>
    /// <param name="day">Of the run.</param>
    /// <param name="isFull">Whether everything is stored again, where the target does not deduplicate, or cannot because the content is encrypted
    /// at its source.</param>
    public Content StoredBy(BackupTarget target, DateOnly? before, DateOnly day, bool isFull)
    {
        var compression = target.Compresses && !Workload.EncryptedAtSource ? Workload.Compression : 1;
        if (Deduplicates(target))
            return NewOn(before, day) * (Workload.Unique * compression);
        return (isFull ? On(day) : NewOn(before, day)) * compression;
    }

    public bool Deduplicates(BackupTarget target) => target.Deduplicates && !Workload.EncryptedAtSource;

    /// <summary>A number to the power of so many days, each of them as long as one of <paramref name="each"/> days; remembered.</summary>
    private sealed class Powers(double of, double each)
    {
        private const int Products = 16;

        private readonly double oneDay = Math.Pow(of, 1 / each);
        private double[] known = [];

        public double this[int days]
        {
            get
            {
                var now = known;
                return days < now.Length ? now[days] : Longer(days);
            }
        }

        /// <summary>Several may find it too short at once: each of them makes a whole one. Most are products of the one before: no more than
        /// <see cref="Products"/> in a row, so that they are as good as powers to some 1e-15.</summary>
        private double Longer(int days)
        {
            var now = known;
            var longer = new double[Math.Max(days + 1, 2 * now.Length)];
            now.CopyTo(longer, 0);
            for (var n = now.Length; n < longer.Length; n++)
                longer[n] = n % Products == 0 ? Math.Pow(of, n / each) : longer[n - 1] * oneDay;
            known = longer;
            return longer[days];
        }
    }
}
