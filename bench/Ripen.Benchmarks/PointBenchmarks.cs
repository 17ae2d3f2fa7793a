using BenchmarkDotNet.Attributes;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;
using Ripen.Backup.Tests;

namespace Ripen.Benchmarks;

/// <summary>Points of many files: a name among 1,000,000 (aim: below 100 ms), a point of 100,000 files opened (below 1 s), two points
/// compared.</summary>
public class PointBenchmarks
{
    private const int Files = 1_000_000;
    private const int Changed = 1_000;

    private readonly PointNames names = new();
    private Pool pool = null!;
    private Point first = null!;
    private Point second = null!;
    private Point smaller = null!;

    [GlobalSetup]
    public async Task Fill()
    {
        pool = await Pool.Create(new MemoryObjects(), new PoolOptions { Passphrase = "bench" }, DateTimeOffset.UnixEpoch, default);
        first = await BackupRun.Of(pool, new Made(Files, 0), "many", null, new Shifted(TimeSpan.Zero), null, default);
        second = await BackupRun.Of(pool, new Made(Files, Changed), "many", null, new Shifted(TimeSpan.FromDays(1)), null, default);
        smaller = await BackupRun.Of(pool, new Made(Files / 10, 0), "fewer", null, new Shifted(TimeSpan.Zero), null, default);
        await names.Follow(pool, default);
    }

    [Benchmark(Description = "A name among 1,000,000 files, found once")]
    public int Rare() => names.Find("timetable 654321", null, 200).Total;

    [Benchmark(Description = "Words among 1,000,000 files, found 10,000 times")]
    public int Frequent() => names.Find("timetable 77/", null, 200).Total;

    [Benchmark(Description = "A point of 100,000 files, opened")]
    public async Task<int> Opened()
    {
        var count = 0;
        await foreach (var _ in pool.Entries(smaller, default))
            count++;
        return count;
    }

    [Benchmark(Description = "Two points of 1,000,000 files compared, 1,000 changed")]
    public async Task<int> Compared()
    {
        var count = 0;
        await foreach (var _ in PointDifference.Between(pool, first, second, default))
            count++;
        return count;
    }

    /// <summary>Files without content; each n-th is changed, so many in all.</summary>
    private sealed class Made(int files, int changed) : ISource
    {
        public void Demand() { }

        public IEnumerable<Entry> Walk(Action<RunProblem> problem) =>
            Enumerable
                .Range(0, files)
                .Select(i => new Entry
                {
                    Path = $"quay office/archive/{i / 10_000:00}/timetable {i:000000}.txt",
                    Kind = EntryKind.File,
                    Modified = 1_700_000_000_000_000_000 + i + (changed > 0 && i % (files / changed) == 0 ? 1 : 0),
                    Changed = i + 1,
                    Inode = (ulong)i,
                });

        public Stream Open(Entry file) => Stream.Null;

        public Entry? Look(string path) => null;
    }
}
