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
}
