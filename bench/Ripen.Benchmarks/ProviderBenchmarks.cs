using System.Text;
using BenchmarkDotNet.Attributes;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Benchmarks;

/// <summary>A provider on a folder of its own, with the demo's price book and one bucket.</summary>
internal sealed class BenchProvider : IDisposable
{
    public BenchProvider(Bucket bucket, IEnumerable<string>? keys = null)
    {
        Directory.CreateDirectory(Folder);
        var estate = Workloads.Demo() with { Buckets = [bucket] };
        var plan = new ProviderPlan(estate, 1, 1, new Dictionary<string, PlannedBucket> { [bucket.Name] = new(estate.Today, 1) });
        using (var fresh = new SimulatedProvider(Folder, TimeProvider.System))
            fresh.Adopt(plan);
        if (keys is not null)
            PutKeys(keys, estate.Today.DayNumber);
        Inside = new SimulatedProvider(Folder, TimeProvider.System);
        Inside.Adopt(plan);
    }

    public string Folder { get; } = Path.Combine(Directory.GetCurrentDirectory(), $"bench-{Guid.NewGuid():N}");

    public SimulatedProvider Inside { get; }

    public void Dispose()
    {
        Inside.Dispose();
        Directory.Delete(Folder, recursive: true);
    }

    /// <summary>Objects of no content, written into the index at once: a million uploads would take an hour.</summary>
    private void PutKeys(IEnumerable<string> keys, int today)
    {
        using var index = new ProviderIndex(Path.Combine(Folder, "index.db"));
        index.Change(db =>
        {
            db.Run("INSERT INTO content(name, bytes, sha256, sums) VALUES('none', 0, x'', x'')");
            using var insert = db.Repeated(
                "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, content) VALUES(1, 1, 1, "
                    + "?1, 1, ?2, ?3, 0, 1, ?3, 'none')",
                3
            );
            var n = 0;
            foreach (var key in keys)
                insert.Again(key, 1000L + (n % 5_000_000), today - (n++ % 700));
        });
    }
}

/// <summary>A midnight run over a million entries that lie in four tiers, some of which move and expire every day. Aim: below 5
/// s.</summary>
[InvocationCount(1)]
public class MidnightBenchmarks
{
    private BenchProvider provider = null!;

    [GlobalSetup]
    public void Fill()
    {
        provider = new BenchProvider(
            new Bucket
            {
                Name = "million",
                Region = "aldmouth",
                Scheme = "one-site",
                Tier = "counter",
                Reads = [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.001 }],
                Rules =
                [
                    new LifecycleRule
                    {
                        Id = "ages",
                        Prefix = "f",
                        Steps =
                        [
                            new Step { Age = 30, Tier = "pantry" },
                            new Step { Age = 90, Tier = "cellar" },
                            new Step { Age = 365, Tier = "cave" },
                        ],
                        ExpireAt = 720,
                    },
                ],
            },
            Enumerable.Range(0, 1_000_000).Select(i => $"folder-{i % 1000:0000}/file-{i:0000000}.dat")
        );
        // The first night moves nearly all of it; the next ones a day's worth.
        OneDay();
    }

    [GlobalCleanup]
    public void Empty() => provider.Dispose();

    [Benchmark(Description = "what tonight's run would do, 1,000,000 entries")]
    public int Tonight() => provider.Inside.Tonight(null, 0, 100, CancellationToken.None).Sums.Count;

    [Benchmark(Description = "midnight run, 1,000,000 entries")]
    public void OneDay() => provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddDays(1), null, CancellationToken.None);
}

/// <summary>Pages of 1,000 keys out of a million. Aim: below 50 ms.</summary>
public class ListingBenchmarks
{
    private BenchProvider provider = null!;

    [GlobalSetup]
    public void Fill() =>
        provider = new BenchProvider(
            new Bucket
            {
                Name = "million",
                Region = "aldmouth",
                Scheme = "one-site",
                Tier = "counter",
            },
            Enumerable.Range(0, 1_000_000).Select(i => $"folder-{i % 1000:0000}/file-{i:0000000}.dat")
        );

    [GlobalCleanup]
    public void Empty() => provider.Dispose();

    [Benchmark(Description = "a page of 1,000 keys from the middle of a million")]
    public int Keys() => provider.Inside.Objects.List("million", "folder-05", null, null, 1000).Objects.Count;

    [Benchmark(Description = "1,000 common prefixes over a million keys")]
    public int Folders() => provider.Inside.Objects.List("million", "", "/", null, 1000).Prefixes.Count;
}

/// <summary>An inventory of a million rows, read, gathered into lots and imported. Aim: below 10 s.</summary>
[InvocationCount(1)]
public class InventoryBenchmarks
{
    private readonly string file = Path.Combine(Directory.GetCurrentDirectory(), $"bench-{Guid.NewGuid():N}.csv");
    private BenchProvider provider = null!;

    [GlobalSetup]
    public void Write()
    {
        provider = new BenchProvider(
            new Bucket
            {
                Name = "million",
                Region = "aldmouth",
                Scheme = "one-site",
                Tier = "counter",
            }
        );
        var random = new Random(5);
        using var writer = new StreamWriter(file, false, new UTF8Encoding(false));
        writer.Write("key,bytes,modified,read\n");
        for (var i = 0; i < 1_000_000; i++)
        {
            var modified = new DateOnly(2026, 10, 31).AddDays(-random.Next(1000));
            writer.Write(
                $"area-{i % 8}/deck-{i % 500}/file-{i}.dat,{(long)Math.Pow(10, 2 + (random.NextDouble() * 7))},{modified:yyyy-MM-dd},{(i % 3 == 0 ? modified.ToString("yyyy-MM-dd") : "")}\n"
            );
        }
    }

    [GlobalCleanup]
    public void Empty()
    {
        provider.Dispose();
        File.Delete(file);
    }

    [Benchmark(Description = "inventory of 1,000,000 rows, imported")]
    public async Task<int> Import()
    {
        await using var body = File.OpenRead(file);
        var preview = await provider.Inside.Inventories.Receive(body, CancellationToken.None);
        return (await provider.Inside.Inventories.Import(preview.Id, "million", preview.Suggested!, false, CancellationToken.None)).Lots;
    }
}

/// <summary>A gigabyte in and out, beside a plain copy on the same disk. Aim: no slower than twice the copy.</summary>
[InvocationCount(1)]
public class TransferBenchmarks
{
    private readonly string file = Path.Combine(Directory.GetCurrentDirectory(), $"bench-{Guid.NewGuid():N}.bin");
    private BenchProvider provider = null!;

    [GlobalSetup]
    public void Write()
    {
        provider = new BenchProvider(
            new Bucket
            {
                Name = "large",
                Region = "aldmouth",
                Scheme = "one-site",
                Tier = "counter",
            }
        );
        var block = new byte[1 << 20];
        using (var writer = File.Create(file))
        {
            for (var i = 0; i < 1000; i++)
            {
                Random.Shared.NextBytes(block);
                writer.Write(block);
            }
        }
        Upload().GetAwaiter().GetResult();
    }

    [GlobalCleanup]
    public void Empty()
    {
        provider.Dispose();
        File.Delete(file);
        File.Delete(file + ".copy");
    }

    [Benchmark(Description = "copy of a file of 1 GiB", Baseline = true)]
    public void Copy() => File.Copy(file, file + ".copy", overwrite: true);

    [Benchmark(Description = "SHA-256 of it alone, one core")]
    public async Task<byte[]> Hash()
    {
        await using var body = File.OpenRead(file);
        return await System.Security.Cryptography.SHA256.HashDataAsync(body);
    }

    [Benchmark(Description = "upload, forced to the disk")]
    public async Task<StoredVersion> Upload()
    {
        await using var body = File.OpenRead(file);
        return await provider.Inside.Objects.Write("large", "one", body, new WriteConditions(), CancellationToken.None);
    }

    [Benchmark(Description = "download, every block checked")]
    public async Task Download()
    {
        using var opened = provider.Inside.Objects.Open("large", "one", null);
        await opened.Send(0, opened.Version.Bytes, Stream.Null, CancellationToken.None);
    }
}
