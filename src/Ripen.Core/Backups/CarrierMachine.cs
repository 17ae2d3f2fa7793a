using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>A machine that carries what runs store from workloads to targets.</summary>
public sealed record CarrierMachine
{
    public required string Id { get; init; }
    public required string Name { get; init; }

    /// <summary>Where it stands.</summary>
    public required string Region { get; init; }

    /// <summary>What it reads, reduces and sends; above 0.</summary>
    public required double BytesPerSecond { get; init; }

    /// <summary>The one that carries where nobody chose: the fastest where the workload is, then the fastest where the target is; null for
    /// none, and then nothing but the target limits a run.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="workload">What is protected.</param>
    /// <param name="target">Where to.</param>
    public static CarrierMachine? Nearest(Estate estate, Workload workload, BackupTarget target)
    {
        return In(workload.Region) ?? (target.Bucket is { } bucket ? In(estate.Find(bucket)!.Region) : null);

        CarrierMachine? In(string? region) => estate.Carriers.Where(c => c.Region == region).MaxBy(c => c.BytesPerSecond);
    }

    /// <summary>Those that an estate may have.</summary>
    internal static void Check(IReadOnlyList<CarrierMachine> carriers, string path, Estate estate, Findings findings)
    {
        foreach (var (carrier, i) in Checks.Present(carriers))
        {
            findings.Require(
                carriers.Take(i).All(c => c?.Id != carrier.Id),
                "duplicate-id",
                $"{path}[{i}].id",
                $"There is another machine '{carrier.Id}'; every id stands for one."
            );
            findings.Require(
                estate.PriceBook.Regions.Any(r => r?.Id == carrier.Region),
                "unknown-reference",
                $"{path}[{i}].region",
                $"There is no region '{carrier.Region}'."
            );
        }
    }
}
