using System.Security.Cryptography;
using BenchmarkDotNet.Attributes;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Index;
using Ripen.Provider.Replication;

namespace Ripen.Benchmarks;

/// <summary>A backlog of 100,000 small objects with content, each copied to a file of its own and forced to the disk. Aim: 2,000 a second,
/// so below 50 s.</summary>
[InvocationCount(1)]
[WarmupCount(0)]
[IterationCount(1)]
public class DrainBenchmarks
{
    private const int Objects = 100_000;
    private const int Bytes = 4096;

    private string folder = "";
    private SimulatedProvider provider = null!;

    [IterationSetup]
    public void Fill()
    {
        folder = Path.Combine(Directory.GetCurrentDirectory(), $"bench-{Guid.NewGuid():N}");
        var estate = Workloads.Demo() with
        {
            Buckets =
            [
                new Bucket
                {
                    Name = "near",
                    Region = "aldmouth",
                    Scheme = "one-site",
                    Tier = "counter",
                    Versioning = true,
                },
                new Bucket
                {
                    Name = "far",
                    Region = "aldmouth",
                    Scheme = "one-site",
                    Tier = "counter",
                    Versioning = true,
                },
            ],
        };
        using (var fresh = new SimulatedProvider(folder, TimeProvider.System))
            fresh.Adopt(Plan(estate, 1));
        WriteObjects(estate.Today.DayNumber);
        provider = new SimulatedProvider(folder, TimeProvider.System);
        // Taking up a rule with catch-up queues all of it.
        provider.Adopt(
            Plan(
                estate with
                {
                    Buckets = [estate.Buckets[0] with { CopyTo = [new CopyRule { Bucket = "far", CatchUp = true }] }, estate.Buckets[1]],
                },
                2
            )
        );
    }

    [IterationCleanup]
    public void Empty()
    {
        provider.Dispose();
        // Removing 200,000 files takes minutes on some disks; nobody has to wait for it.
        using var removing = System.Diagnostics.Process.Start("rm", ["-rf", folder]);
    }

    [Benchmark(Description = "100,000 waiting objects of 4 kB copied")]
    public double Drain()
    {
        provider.Clock.PassUntil(provider.Clock.Now.AddHours(1), null, CancellationToken.None);
        var rule = provider.Copies.Rules().Single();
        return rule.Copied == Objects ? rule.Copied : throw new InvalidOperationException($"Only {rule.Copied} were copied.");
    }

    private static ProviderPlan Plan(Estate estate, long version) =>
        new(estate, version, 1, estate.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(estate.Today, 1)));

    private void WriteObjects(int today)
    {
        using var index = new ProviderIndex(Path.Combine(folder, "index.db"));
        var near = index.Read(db => db.Value<long>("SELECT id FROM bucket WHERE name = 'near'"));
        var content = new byte[Bytes];
        index.Change(db =>
        {
            using var contents = db.Repeated("INSERT INTO content(name, bytes, sha256, sums) VALUES(?1, ?2, ?3, ?3)", 3);
            using var entries = db.Repeated(
                "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, content) VALUES(?1, 1, 1, "
                    + "?2, 1, ?3, ?4, 0, 1, ?4, ?5)",
                5
            );
            for (var i = 0; i < Objects; i++)
            {
                RandomNumberGenerator.Fill(content);
                var name = Guid.NewGuid().ToString("N");
                Directory.CreateDirectory(Path.Combine(folder, "content", name[..2]));
                File.WriteAllBytes(Path.Combine(folder, "content", name[..2], name), content);
                contents.Again(name, (long)Bytes, SHA256.HashData(content));
                entries.Again(near, $"folder-{i % 100:000}/file-{i:000000}", (long)Bytes, today, name);
            }
        });
    }
}

/// <summary>What the Copies page asks for: 200 rules, behind each of which 500 objects wait.</summary>
public class CopyStatusBenchmarks
{
    private const int Rules = 200;

    private readonly string folder = Path.Combine(Directory.GetCurrentDirectory(), $"bench-{Guid.NewGuid():N}");
    private SimulatedProvider provider = null!;

    [GlobalSetup]
    public void Fill()
    {
        var targets = Enumerable
            .Range(0, Rules)
            .Select(i => new Bucket
            {
                Name = $"far-{i:000}",
                Region = "kestrel-sound",
                Scheme = "one-site",
                Tier = "counter",
                Versioning = true,
            })
            .ToList();
        var demo = Workloads.Demo();
        var estate = demo with
        {
            Buckets =
            [
                .. targets.Select(
                    (far, i) =>
                        new Bucket
                        {
                            Name = $"near-{i:000}",
                            Region = "aldmouth",
                            Scheme = "one-site",
                            Tier = "counter",
                            Versioning = true,
                            CopyTo = [Waiting(far.Name, demo.Today)],
                        }
                ),
                .. targets,
            ],
        };
        provider = new SimulatedProvider(folder, TimeProvider.System);
        provider.Adopt(new ProviderPlan(estate, 1, 1, estate.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(estate.Today, 1))));
    }

    [GlobalCleanup]
    public void Empty()
    {
        provider.Dispose();
        Directory.Delete(folder, recursive: true);
    }

    [Benchmark(Description = "how 200 rules stand, 100,000 entries waiting")]
    public int Status() => provider.Copies.Rules().Count;

    private static CopyRule Waiting(string target, DateOnly today) =>
        new()
        {
            Bucket = target,
            Waiting =
            [
                .. Enumerable
                    .Range(0, 500)
                    .Select(i => new WaitingLot
                    {
                        Prefix = $"p{i}/",
                        Created = today.AddDays(-1),
                        Since = today.AddDays(-1),
                        Objects = 1,
                        BytesPerObject = 1000 + i,
                    }),
            ],
        };
}
