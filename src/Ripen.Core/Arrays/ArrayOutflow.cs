using Ripen.Core.Estates;
using Ripen.Core.Replication;

namespace Ripen.Core.Arrays;

/// <summary>What an array brings into its bucket.</summary>
/// <param name="Region">Where the array stands.</param>
/// <param name="Copy">As if the bucket copied from itself, a stream of one day for each part.</param>
internal sealed record ArrayArrivals(string Region, IncomingCopy Copy);

/// <summary>What local arrays will let go, as it comes into their buckets.</summary>
internal static class ArrayOutflow
{
    /// <summary>What an array sends to its bucket in the days that are looked at; null where it sends nothing.</summary>
    public static ArrayArrivals? Of(LocalArray array, Bucket into, DateOnly today, int days)
    {
        var arrivals = array
            .All()
            .Select(d => (d.Volume, d.Data, On: array.LeavesOn(d.Volume, d.Data)))
            .Where(d => d.On is not null)
            .Select(d => (d.Volume, d.Data, Day: Math.Max(0, d.On!.Value.DayNumber - today.DayNumber)))
            .Where(d => d.Day < days)
            .Select(d => new SameDayCopies(
                new ObjectStream
                {
                    Prefix = array.KeyOf(d.Volume, d.Data),
                    ObjectsPerDay = d.Data.Files,
                    BytesPerObject = d.Data.BytesPerFile,
                },
                d.Day,
                d.Day + 1
            ))
            .ToList();
        return arrivals.Count == 0
            ? null
            : new(array.Region, new IncomingCopy(into, new CopyRule { Bucket = into.Name }, new CopyFlow(arrivals, [])));
    }
}
