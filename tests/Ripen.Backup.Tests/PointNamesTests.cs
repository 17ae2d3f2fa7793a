using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>What two points differ in, and where a name is in all of them, against plain comparison of whole lists.</summary>
public sealed class PointNamesTests
{
    private static readonly CancellationToken Never = CancellationToken.None;

    /// <summary>Entries without content: what is compared is their list.</summary>
    private sealed class Listed(IEnumerable<Entry> entries) : ISource
    {
        public void Demand() { }

        public IEnumerable<Entry> Walk(Action<RunProblem> problem) =>
            entries.Order(Comparer<Entry>.Create((a, b) => Entry.Compare(a.Path, b.Path)));

        public Stream Open(Entry file) => Stream.Null;

        public Entry? Look(string path) => entries.First(e => e.Path == path);
    }

    /// <summary>Days of a folder in which a few places are written to, now and then many, and in which some lines are longer than chunks
    /// and repeat themselves.</summary>
    private sealed class History(int seed)
    {
        private readonly Random random = new(seed);
        private readonly SortedDictionary<string, Entry> entries = new(StringComparer.Ordinal);
        private DateTimeOffset now = new(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);

        public Dictionary<string, Dictionary<string, Entry>> ByPoint { get; } = [];

        public async Task<Point> Run(Pool pool, string workload)
        {
            now = now.AddDays(1);
            var changes = random.Next(5) == 0 ? 2_000 : random.Next(12);
            if (entries.Count == 0)
                changes = 6_000;
            for (var i = 0; i < changes; i++)
                Change();
            var clock = new At(now);
            var point = await BackupRun.Of(pool, new Listed([.. entries.Values]), workload, null, clock, null, Never);
            ByPoint[point.Id] = await pool.Entries(point, Never).ToDictionaryAsync(e => e.Path);
            Assert.Equal(entries.Count, ByPoint[point.Id].Count);
            return point;
        }

        private void Change()
        {
            var path = $"{random.Next(60):00}/{"invoices tides crew rota".Split(' ')[random.Next(4)]} {random.Next(180):000}";
            if (random.Next(4) == 0)
                entries.Remove(path);
            else if (random.Next(60) == 0)
                entries[path] = Made(path, EntryKind.Link) with
                {
                    Target = string.Concat(Enumerable.Repeat($"{random.Next(3)}".PadLeft(64), 900 + random.Next(3))),
                };
            else
                entries[path] = Made(path, EntryKind.File);
        }

        private Entry Made(string path, EntryKind kind) =>
            new()
            {
                Path = path,
                Kind = kind,
                Modified = random.Next(1000),
                Changed = random.Next(1000),
                Size = 0,
            };

        private sealed class At(DateTimeOffset now) : TimeProvider
        {
            public override DateTimeOffset GetUtcNow() => now;
        }
    }

    private static async Task<Pool> Empty() => await Pool.Create(new MemoryObjects(), Folders.Options, DateTimeOffset.UnixEpoch, Never);

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task Two_points_differ_in_what_their_whole_lists_differ_in(int seed)
    {
        using var pool = await Empty();
        var history = new History(seed);
        var points = new List<Point>();
        for (var day = 0; day < 8; day++)
            points.Add(await history.Run(pool, "office"));
        var seen = 0;
        foreach (var (before, after) in points.SelectMany(a => points.Select(b => (a, b))))
        {
            var (a, b) = (history.ByPoint[before.Id], history.ByPoint[after.Id]);
            var plain = a
                .Keys.Union(b.Keys)
                .Where(p => !Same(a.GetValueOrDefault(p), b.GetValueOrDefault(p)))
                .Order(Comparer<string>.Create(Entry.Compare))
                .Select(p => (p, State(a.GetValueOrDefault(p)), State(b.GetValueOrDefault(p))))
                .ToList();
            var said = await PointDifference
                .Between(pool, before, after, Never)
                .Select(d => (d.Path, State(d.Before), State(d.After)))
                .ToListAsync();
            Assert.Equal(plain, said);
            seen += said.Count;
        }
        Assert.True(seen > 500, $"Only {seen} differences were there to be found.");

        // When an inode changed is no difference between two files.
        static bool Same(Entry? a, Entry? b) => State(a) == State(b);
        static string State(Entry? e) => e is null ? "none" : $"{e.Kind} {e.Size} {e.Modified} {e.Target}";
    }

    [Theory]
    [InlineData(4)]
    [InlineData(5)]
    public async Task A_name_is_found_with_all_its_versions_while_points_come_and_go(int seed)
    {
        using var pool = await Empty();
        var (random, names) = (new Random(seed), new PointNames());
        History[] histories = [new(seed), new(seed + 100)];
        string[] workloads = ["office", "quay"];
        for (var day = 0; day < 14; day++)
        {
            await histories[day % 2].Run(pool, workloads[day % 2]);
            var there = (await pool.Points(Never)).Points;
            if (random.Next(3) == 0 && there.Count > 2)
                await pool.Remove(there[random.Next(there.Count)].Id, Never);
            // Now and then several points are taken in together.
            if (random.Next(3) == 0)
                continue;
            there = (await pool.Points(Never)).Points;
            await names.Follow(pool, Never);
            foreach (var text in (string[])["TIDES 00", "rota 17", "05/", "crew", "nowhere", "crew 1 0"])
            {
                var said = names.Find(text, null, 10_000);
                var plain = workloads.SelectMany((w, i) => Plain(w, histories[i], [.. there.Where(p => p.Workload == w)], text)).ToList();
                Assert.Equal(plain.Count, said.Total);
                Assert.Equal(plain.Order(StringComparer.Ordinal), said.Paths.Select(Told).Order(StringComparer.Ordinal));
            }
        }
        // What no path holds is found nowhere, and not looked for for ever.
        Assert.Equal(0, names.Find("\0", null, 5).Total);
        Assert.True(names.Find("invoices", "quay", 5) is { Paths.Count: 5, Total: > 100 });

        static string Told(NamedPath path) =>
            $"{path.Workload} {path.Path}: {string.Join("; ", path.Versions.Select(v => $"{v.Kind} {v.Modified} {v.First.Id} {v.Last.Id} {v.Points} {v.IsThere}"))}";
    }

    private static IEnumerable<string> Plain(string workload, History history, List<Point> points, string text)
    {
        var words = text.Split(' ');
        var paths = points.SelectMany(p => history.ByPoint[p.Id].Keys).Distinct();
        foreach (var path in paths.Where(p => words.All(w => p.Contains(w, StringComparison.OrdinalIgnoreCase))))
        {
            // A point that is gone no longer parts two that are alike.
            var versions = new List<string>();
            for (var i = points.Count - 1; i >= 0; )
            {
                if (!history.ByPoint[points[i].Id].TryGetValue(path, out var last))
                {
                    i--;
                    continue;
                }
                var first = i;
                while (first > 0 && IsSame(history.ByPoint[points[first - 1].Id].GetValueOrDefault(path), last))
                    first--;
                versions.Add($"{last.Kind} {last.Modified} {points[first].Id} {points[i].Id} {i - first + 1} {i == points.Count - 1}");
                i = first - 1;
            }
            yield return $"{workload} {path}: {string.Join("; ", versions)}";
        }

        static bool IsSame(Entry? a, Entry b) => a is not null && (a.Kind, a.Modified, a.Target) == (b.Kind, b.Modified, b.Target);
    }
}
