using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

/// <summary>The worked example, and small estates around its price book.</summary>
internal static class Samples
{
    public static string SmallDocument => File.ReadAllText("Examples/ferry-small.json");

    public static string DemoDocument => File.ReadAllText("Examples/brackwater-ferries.json");

    public static Estate Small() => EstateDocument.Read(SmallDocument).Value;

    public static Estate Demo() => EstateDocument.Read(DemoDocument).Value;

    public static ObjectStream Steady(double perDay, long bytes) => new() { ObjectsPerDay = perDay, BytesPerObject = bytes };

    public static Bucket Bucket(IReadOnlyList<ObjectStream> streams, IReadOnlyList<Step> steps, int? expireAt) =>
        new()
        {
            Name = "one-bucket",
            Region = "aldmouth",
            Scheme = "one-site",
            Tier = "counter",
            Streams = streams,
            Rules =
                steps.Count == 0 && expireAt is null
                    ? []
                    :
                    [
                        new LifecycleRule
                        {
                            Id = "rule",
                            Steps = steps,
                            ExpireAt = expireAt,
                        },
                    ],
        };

    public static Estate Single(ObjectStream stream, IReadOnlyList<Step> steps, int? expireAt) => Around(Bucket([stream], steps, expireAt));

    public static Estate Around(Bucket bucket) => Small() with { Buckets = [bucket] };
}
