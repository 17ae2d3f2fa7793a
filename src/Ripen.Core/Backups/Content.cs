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
/// <param name="workload">A valid one.</param>
/// <param name="today">The day on which its bytes were counted.</param>
public sealed class WorkloadContent(Workload workload, DateOnly today)
{
    private const double DaysAYear = 365;

    /// <summary>The chance that a hot byte is rewritten on a day.</summary>
    private readonly double rewritten = workload.Changing > 0 ? workload.DailyChange / workload.Changing : 0;

    /// <summary>By days between, as far as it was asked for.</summary>
    private readonly List<Surviving> surviving = [];

    /// <summary>Logical bytes, on days before today as well.</summary>
    public double BytesOn(DateOnly day) =>
        workload.Bytes * Math.Pow(1 + workload.YearlyGrowth, (day.DayNumber - today.DayNumber) / DaysAYear);

    public Content On(DateOnly day)
    {
        var bytes = BytesOn(day);
        return new Content((1 - workload.Changing) * bytes, workload.Changing * bytes);
    }

    /// <summary>A workload that shrinks loses bytes of both classes evenly. It depends on the days between alone, and what survives two spans
    /// is the product of what survives each.</summary>
    /// <param name="from">A day.</param>
    /// <param name="to">The same or a later one.</param>
    public Surviving Surviving(DateOnly from, DateOnly to)
    {
        var days = to.DayNumber - from.DayNumber;
        if (days < surviving.Count)
            return surviving[days];
        lock (surviving)
        {
            for (var next = surviving.Count; next <= days; next++)
            {
                var left = workload.Bytes > 0 ? Math.Min(1, Math.Pow(1 + workload.YearlyGrowth, next / DaysAYear)) : 1;
                surviving.Add(new Surviving(left, left * Math.Pow(1 - rewritten, next)));
            }
            return surviving[days];
        }
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
        var changed = Math.Min(was, now) * (1 - Math.Pow(1 - rewritten, day.DayNumber - p.DayNumber));
        return new Content((1 - workload.Changing) * grown, workload.Changing * (grown + changed));
    }

    /// <summary>What a run stores in a target (9.3).</summary>
    /// <param name="target">Where to.</param>
    /// <param name="before">The run before it, retained or not; null for the first.</param>
    /// <param name="day">Of the run.</param>
    /// <param name="isFull">Whether everything is stored again, where the target does not deduplicate, or cannot because the content is encrypted
    /// at its source.</param>
    public Content StoredBy(BackupTarget target, DateOnly? before, DateOnly day, bool isFull)
    {
        var compression = target.Compresses && !workload.EncryptedAtSource ? workload.Compression : 1;
        if (Deduplicates(target))
            return NewOn(before, day) * (workload.Unique * compression);
        return (isFull ? On(day) : NewOn(before, day)) * compression;
    }

    public bool Deduplicates(BackupTarget target) => target.Deduplicates && !workload.EncryptedAtSource;
}
