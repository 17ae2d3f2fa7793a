using Ripen.Core.Backups;

namespace Ripen.Core.Tests;

/// <summary>A first load over the line or on disks, against a copy that is carried out hour by hour.</summary>
public sealed class ShippedDisksTests
{
    private static ShippingQuestions Asked(double terabytes, double megabits, int atOnce = 4, double transit = 2) =>
        new()
        {
            Bytes = terabytes * 1e12,
            LineBytesPerSecond = megabits * 1e6 / 8,
            DiskBytes = 16e12,
            DiskBytesPerSecond = 180e6,
            DisksAtOnce = atOnce,
            TransitDays = transit,
            PricePerDisk = 60,
        };

    /// <summary>Days until everything is on disks: each of the places takes the next disk when its own is full.</summary>
    private static double CopiedByHand(ShippingQuestions asked)
    {
        var left = asked.Bytes;
        var free = new PriorityQueue<int, double>(Enumerable.Range(0, asked.DisksAtOnce).Select(i => (i, 0.0)));
        var last = 0.0;
        while (left > 0)
        {
            free.TryDequeue(out var place, out var from);
            var bytes = Math.Min(left, asked.DiskBytes);
            left -= bytes;
            last = Math.Max(last, from + (bytes / asked.DiskBytesPerSecond / 86_400));
            free.Enqueue(place, from + (bytes / asked.DiskBytesPerSecond / 86_400));
        }
        return last;
    }

    [Theory]
    [InlineData(3, 4)]
    [InlineData(16, 1)]
    [InlineData(40, 4)]
    [InlineData(64, 4)]
    [InlineData(128, 4)]
    [InlineData(96, 2)]
    [InlineData(70, 4)]
    [InlineData(33, 2)]
    [InlineData(0, 2)]
    public void Copying_takes_as_long_as_it_does_by_hand_at_both_ends(double terabytes, int atOnce)
    {
        var asked = Asked(terabytes, 300, atOnce);
        var shipped = ShippedDisks.Of(asked);
        Assert.Equal(2 * CopiedByHand(asked), shipped.CopyDays, 9);
        Assert.Equal(shipped.CopyDays + 2, shipped.ShippedDays, 12);
        Assert.Equal(Math.Ceiling(terabytes / 16) * 60, shipped.Price);
    }

    [Fact]
    public void Worked_by_hand()
    {
        // 40 TB over 300 Mbit/s: 40e12 / 37.5e6 s = 12.35 days. Three disks side by side: 16e12 / 180e6 s = 1.03 days, twice, and two on the way.
        var shipped = ShippedDisks.Of(Asked(40, 300));
        Assert.Equal(12.345679, shipped.LineDays, 6);
        Assert.Equal(3, shipped.Disks);
        Assert.Equal(2.057613 + 2, shipped.ShippedDays, 6);
        // 2 days ÷ (1/37.5 MB/s − 2/720 MB/s) = 172,800 s × 41.86 MB/s = 7.23 TB.
        Assert.Equal(7.2335e12, shipped.WinsFromBytes!.Value, 1e9);
        // A line as fast as the disks: never.
        Assert.Null(ShippedDisks.Of(Asked(40, 4000)).WinsFromBytes);
    }

    [Theory]
    [InlineData(50)]
    [InlineData(300)]
    [InlineData(1000)]
    public void From_where_it_says_both_ways_take_as_long_when_the_disks_are_full(double megabits)
    {
        var wins = ShippedDisks.Of(Asked(1, megabits)).WinsFromBytes!.Value;
        // Disks that are filled together, to the last byte.
        var full = Asked(0, megabits) with
        {
            Bytes = wins,
            DiskBytes = wins / 4,
        };
        var both = ShippedDisks.Of(full);
        Assert.Equal(both.LineDays, both.ShippedDays, 9);
    }

    [Fact]
    public void The_index_has_an_entry_for_each_chunk()
    {
        var index = DeduplicationIndex.Of(20e12, 1 << 20);
        Assert.Equal(19_073_486.328125, index.Chunks);
        Assert.Equal(index.Chunks * 72, index.Bytes);
    }
}
