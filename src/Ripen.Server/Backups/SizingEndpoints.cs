using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>What is to be sized together: a local disk, a pool's index, and a first load or a whole restore.</summary>
/// <param name="Disk">What comes in, over what.</param>
/// <param name="ContentBytes">Different content in the pool.</param>
/// <param name="AverageChunkBytes">Of a chunk.</param>
/// <param name="Shipping">Disks that are sent instead.</param>
public sealed record SizingOrder(
    [property: JsonRequired] SizingQuestions Disk,
    double ContentBytes,
    double AverageChunkBytes,
    [property: JsonRequired] ShippingQuestions Shipping
);

/// <summary>What it comes to.</summary>
public sealed record SizingReading(LocalDisk Disk, DeduplicationIndex Index, ShippedDisks Shipping);

internal static class SizingEndpoints
{
    public static void MapBackupSizing(this RouteGroupBuilder api)
    {
        var group = api.MapGroup("").WithTags("Backups");
        group
            .MapPost("/backup-sizing", Size)
            .WithName("sizeBackups")
            .WithSummary("The local disk, the index and the way of a first load, from what changes, windows, rates and lines.");
        group
            .MapPost("/target-advice", Advise)
            .WithName("adviseTarget")
            .WithSummary("What kind of backup target fits, with reasons. Nothing is stored.");
    }

    private static Ok<SizingReading> Size(SizingOrder order)
    {
        Positive(order.Disk.LineBytesPerSecond, "$.disk.lineBytesPerSecond");
        Positive(order.Disk.Compression, "$.disk.compression");
        Whole(order.Disk.BytesPerSecondIn, "$.disk.bytesPerSecondIn");
        Whole(order.Disk.WindowSeconds, "$.disk.windowSeconds");
        Whole(order.Disk.LocalBytes, "$.disk.localBytes");
        Whole(order.Disk.Headroom, "$.disk.headroom");
        Whole(order.ContentBytes, "$.contentBytes");
        Positive(order.AverageChunkBytes, "$.averageChunkBytes");
        Whole(order.Shipping.Bytes, "$.shipping.bytes");
        Positive(order.Shipping.LineBytesPerSecond, "$.shipping.lineBytesPerSecond");
        Positive(order.Shipping.DiskBytes, "$.shipping.diskBytes");
        Positive(order.Shipping.DiskBytesPerSecond, "$.shipping.diskBytesPerSecond");
        Positive(order.Shipping.DisksAtOnce, "$.shipping.disksAtOnce");
        Whole(order.Shipping.TransitDays, "$.shipping.transitDays");
        Whole(order.Shipping.PricePerDisk, "$.shipping.pricePerDisk");
        return TypedResults.Ok(
            new SizingReading(
                LocalDisk.Of(order.Disk),
                DeduplicationIndex.Of(order.ContentBytes, order.AverageChunkBytes),
                ShippedDisks.Of(order.Shipping)
            )
        );
    }

    private static Ok<TargetAdvice> Advise(TargetQuestions asked)
    {
        Whole(asked.WaitHours, "$.waitHours");
        return TypedResults.Ok(TargetAdvice.Of(asked));
    }

    private static void Positive(double value, string path)
    {
        if (!(value > 0 && value < 1e18))
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "Write a number above 0.", path);
    }

    private static void Whole(double value, string path)
    {
        if (!(value >= 0 && value < 1e18))
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "Write a number of at least 0.", path);
    }
}
