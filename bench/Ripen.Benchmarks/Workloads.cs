using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Benchmarks;

internal static class Workloads
{
    public static Estate Demo() =>
        EstateDocument.Read(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "brackwater-ferries.json"))).Value;

    /// <summary>Buckets of one stream each that go through all four tiers; every one with a size, growth and ages of its own.</summary>
    public static Estate Estate(int buckets)
    {
        var demo = Demo();
        return demo with
        {
            Buckets =
            [
                .. Enumerable
                    .Range(0, buckets)
                    .Select(i => new Bucket
                    {
                        Name = $"bucket-{i:0000}",
                        Region = "aldmouth",
                        Scheme = i % 2 == 0 ? "one-site" : "three-zones",
                        Tier = "counter",
                        Streams =
                        [
                            new ObjectStream
                            {
                                ObjectsPerDay = 10 + i,
                                BytesPerObject = 40_000 + (1_000 * i),
                                YearlyGrowth = -0.2 + (0.0005 * i),
                            },
                        ],
                        Reads =
                        [
                            new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.05 },
                            new ReadBand { FromAge = 45, ShareOfObjectsPerDay = 0.001 },
                        ],
                        Rules =
                        [
                            new LifecycleRule
                            {
                                Id = "ages",
                                ExpireAt = 1500 + i,
                                Steps =
                                [
                                    new Step { Age = 30, Tier = "pantry" },
                                    new Step { Age = 90 + (i % 60), Tier = "cellar" },
                                    new Step { Age = 365, Tier = "cave" },
                                ],
                            },
                        ],
                    }),
            ],
        };
    }

    /// <summary>Workloads that are backed up every night into one bucket, each with a size and a rate of change of its own.</summary>
    public static Estate Planned(int workloads)
    {
        var demo = Demo();
        var each = Enumerable
            .Range(0, workloads)
            .Select(i => new Workload
            {
                Id = $"work-{i:0000}",
                Name = $"Work {i}",
                Bytes = 1e11 + (1e9 * i),
                YearlyGrowth = 0.1,
                Changing = 0.3,
                DailyChange = 0.002 + (0.00001 * i),
                Region = "aldmouth",
            })
            .ToList();
        return demo with
        {
            Buckets =
            [
                new Bucket
                {
                    Name = "vault",
                    Region = "aldmouth",
                    Scheme = "one-site",
                    Tier = "counter",
                },
            ],
            Workloads = each,
            Targets =
            [
                new BackupTarget
                {
                    Id = "vault",
                    Name = "Vault",
                    Kind = TargetKind.Bucket,
                    Bucket = "vault",
                },
            ],
            Plans =
            [
                new BackupPlan
                {
                    Id = "nightly",
                    Workloads = [.. each.Select(w => w.Id)],
                    Target = "vault",
                    Every = new Cadence { Days = 1 },
                    Keep = new PointRetention
                    {
                        Daily = 35,
                        Monthly = 24,
                        Yearly = 7,
                    },
                },
            ],
        };
    }
}
