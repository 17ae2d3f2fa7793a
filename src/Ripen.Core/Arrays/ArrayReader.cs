using Ripen.Core.Estates;

namespace Ripen.Core.Arrays;

/// <summary>Which properties a local array has in the estate document.</summary>
internal static class ArrayReader
{
    public static LocalArray Array(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Region = o.Id("region"),
            CapacityBytes = o.Number("capacityBytes", 0, Limits.Whole, above: true),
            PricePerUnitMonth = new(o.Number("pricePerUnitMonth")),
            Volumes = o.List("volumes", Volume),
            Bucket = o.Has("bucket") ? o.Text("bucket") : null,
            Leaving = o.List("leaving", Rule),
            HomeOnRead = o.Flag("homeOnRead"),
        };

    /// <summary>An array with another bucket and other rules.</summary>
    public static LocalArray Leaving(ObjectReader o, LocalArray array) =>
        array with
        {
            Bucket = o.Has("bucket") ? o.Text("bucket") : null,
            Leaving = o.List("leaving", Rule),
            HomeOnRead = o.Flag("homeOnRead"),
        };

    private static ArrayVolume Volume(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            StaysBecause = o.Has("staysBecause") ? o.Text("staysBecause") : null,
            Data = o.List("data", Data),
        };

    private static ArrayData Data(ObjectReader o) =>
        new()
        {
            Folder = o.Text("folder", ""),
            Files = o.Whole("files", 1),
            BytesPerFile = o.Whole("bytesPerFile"),
            LastUsed = o.Date("lastUsed"),
            OnlyInSnapshots = o.Flag("onlyInSnapshots"),
            Away = o.Optional("away", n => o.Date(n)),
        };

    private static LeavingRule Rule(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Volume = o.Has("volume") ? o.Id("volume") : null,
            Folder = o.Text("folder", ""),
            SmallestBytes = o.Whole("smallestBytes", 0, fallback: 0),
            OnlyInSnapshots = o.Flag("onlyInSnapshots"),
            AfterDays = o.Days("afterDays"),
        };
}
