using Ripen.Core.Backups;

namespace Ripen.Core.Tests;

/// <summary>The content model against plain simulations: day by day, and cell by cell.</summary>
public sealed class BackupContentTests
{
    private static readonly DateOnly Today = new(2026, 11, 1);

    private static Workload Some(Random random)
    {
        var changing = random.Next(4) == 0 ? 0 : random.NextDouble();
        return new Workload
        {
            Id = "w",
            Name = "W",
            Region = "aldmouth",
            Bytes = 1e9 * (1 + random.Next(1000)),
            YearlyGrowth = (random.NextDouble() * 1.4) - 0.6,
            Changing = changing,
            DailyChange = changing * random.NextDouble() * 0.3,
            Unique = 0.2 + (0.8 * random.NextDouble()),
            Compression = 0.2 + (0.8 * random.NextDouble()),
            EncryptedAtSource = random.Next(5) == 0,
        };
    }

    private static BackupTarget Target(bool deduplicates, bool compresses) =>
        new()
        {
            Id = "t",
            Name = "T",
            Kind = TargetKind.Bucket,
            Bucket = "b",
            Deduplicates = deduplicates,
            Compresses = compresses,
        };

    /// <summary>A day keeps of the day before what is not rewritten and, when it shrinks, not lost.</summary>
    [Fact]
    public void What_survives_many_days_is_what_survives_each_of_them()
    {
        var random = new Random(20261126);
        for (var i = 0; i < 300; i++)
        {
            var workload = Some(random);
            var content = new WorkloadContent(workload, Today);
            var from = Today.AddDays(random.Next(-400, 400));
            var (cold, hot, left) = (1.0, 1.0, content.On(from));
            for (var d = 0; d < 200; d++)
            {
                var (day, next) = (from.AddDays(d), from.AddDays(d + 1));
                var shrinks = Math.Min(1, Plain(workload, next) / Plain(workload, day));
                var q = workload.Changing > 0 ? workload.DailyChange / workload.Changing : 0;
                (cold, hot) = (cold * shrinks, hot * shrinks * (1 - q));
            }
            var surviving = content.Surviving(200);
            Assert.Equal(cold, surviving.Cold, 1e-9);
            Assert.Equal(hot, surviving.Hot, 1e-9);
            var now = content.On(from.AddDays(200));
            var fresh = content.NewOn(from, from.AddDays(200));
            Assert.Equal(now.Cold - (left.Cold * cold), fresh.Cold, 1e-9 * now.Total);
            Assert.Equal(now.Hot - (left.Hot * hot), fresh.Hot, 1e-9 * now.Total);
            Assert.True(fresh is { Cold: > -1, Hot: > -1 });
        }

        static double Plain(Workload w, DateOnly day) =>
            w.Bytes * Math.Exp(Math.Log(1 + w.YearlyGrowth) * (day.DayNumber - Today.DayNumber) / 365);
    }

    /// <summary>Two hundred thousand cells of one byte each, rewritten by the throw of a coin: the expectation is what is counted.</summary>
    [Fact]
    public void Cells_that_are_rewritten_by_chance_come_to_the_same()
    {
        const int cells = 200_000;
        var random = new Random(5);
        var workload = new Workload
        {
            Id = "w",
            Name = "W",
            Region = "aldmouth",
            Bytes = cells,
            Changing = 0.4,
            DailyChange = 0.03,
        };
        var changed = new int[cells];
        var runs = new[] { 0, 1, 4, 11 };
        var content = new WorkloadContent(workload, Today);
        for (var (day, run) = (0, 0); day <= runs[^1]; day++)
        {
            for (var c = 0; day > 0 && c < cells * workload.Changing; c++)
            {
                if (random.NextDouble() < workload.DailyChange / workload.Changing)
                    changed[c] = day;
            }
            if (day != runs[run])
                continue;
            if (run > 0)
            {
                var before = runs[run - 1];
                var counted = changed.Count(c => c > before);
                Assert.Equal(counted, content.NewOn(Today.AddDays(before), Today.AddDays(day)).Total, 5 * Math.Sqrt(counted));
            }
            run++;
        }
    }

    [Fact]
    public void Each_kind_of_target_stores_what_it_cannot_leave_out()
    {
        var workload = new Workload
        {
            Id = "w",
            Name = "W",
            Region = "aldmouth",
            Bytes = 1000,
            Changing = 0.5,
            DailyChange = 0.1,
            Unique = 0.8,
            Compression = 0.5,
        };
        var (day, next) = (Today, Today.AddDays(1));
        var plain = new WorkloadContent(workload, Today);
        // Of 500 hot bytes a fifth is rewritten in a day: 100.
        Assert.Equal(400, plain.StoredBy(Target(true, true), null, day, true).Total, 9);
        Assert.Equal(40, plain.StoredBy(Target(true, true), day, next, true).Total, 9);
        Assert.Equal(80, plain.StoredBy(Target(true, false), day, next, true).Total, 9);
        Assert.Equal(500, plain.StoredBy(Target(false, true), day, next, true).Total, 9);
        Assert.Equal(50, plain.StoredBy(Target(false, true), day, next, false).Total, 9);
        var sealedAtSource = new WorkloadContent(workload with { EncryptedAtSource = true }, Today);
        Assert.Equal(1000, sealedAtSource.StoredBy(Target(true, true), day, next, true).Total, 9);
        Assert.Equal(100, sealedAtSource.StoredBy(Target(true, true), day, next, false).Total, 9);
    }

    /// <summary>The closed form of the local disk against a clock that ticks by the second.</summary>
    [Theory]
    [InlineData(500, 100, 0.5, 600, false)]
    [InlineData(100, 100, 0.5, 600, false)]
    [InlineData(300, 120, 0.8, 3600, false)]
    [InlineData(500, 100, 0.5, 600, true)]
    public void A_journal_is_as_large_as_it_grows_by_the_second(double rate, double line, double compression, int window, bool atTarget)
    {
        var disk = LocalDisk.Of(
            new SizingQuestions
            {
                BytesPerSecondIn = rate,
                LineBytesPerSecond = line,
                Compression = compression,
                ReducedAtTarget = atTarget,
                WindowSeconds = window,
                LocalBytes = 1000,
                Headroom = 0,
            }
        );
        var (journal, most, emptied) = (0.0, 0.0, 0);
        for (var second = 0; second < window || journal > 1e-9; second++)
        {
            journal = Math.Max(0, journal + (second < window ? rate : 0) - (atTarget ? line : line / compression));
            most = Math.Max(most, journal);
            emptied = Math.Max(0, second + 1 - window);
        }
        Assert.Equal(most, disk.JournalBytes, 1e-6);
        Assert.Equal(emptied, disk.DrainSeconds, 1.0);
        Assert.Equal(1000, disk.ReadBytes);
        Assert.Equal(5, RunTime.Of(100, 50, 50, 10, 20).Seconds);
    }
}
