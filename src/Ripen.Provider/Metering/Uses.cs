using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>A use of a key or of a link, to be counted.</summary>
internal sealed record Use(string? Key, string? Link)
{
    public static Use OfKey(string id) => new(id, null);

    public static Use OfLink(string id) => new(null, id);
}

/// <summary>
/// What readers did and is still to be booked: reads are charged, uses of keys and links are counted. Readers put it here and never wait
/// for the one writer; it is booked with the next change, or by itself soon after, on the day on which it was. What a killed process had
/// not booked is not charged.
/// </summary>
internal sealed class Uses
{
    private abstract record Done;

    private sealed record Used(Use Use, DateTimeOffset At) : Done;

    private sealed record WasRead(long Bucket, string Key, long Version, string Tier, DateOnly Day, long Bytes) : Done;

    private readonly ConcurrentQueue<Done> waiting = new();

    public bool IsEmpty => waiting.IsEmpty;

    public void Count(Use use, DateTimeOffset at) => waiting.Enqueue(new Used(use, at));

    public void Read(long bucket, string key, long version, string tier, DateOnly day, long bytes) =>
        waiting.Enqueue(new WasRead(bucket, key, version, tier, day, bytes));

    /// <summary>Books all that waits inside the transaction of <paramref name="db"/>; the result puts it back when the transaction
    /// fails.</summary>
    public Action Book(SqliteConnection db, Terms? terms)
    {
        var booked = new List<Done>();
        while (waiting.TryDequeue(out var done))
            booked.Add(done);
        foreach (var key in booked.OfType<Used>().Where(u => u.Use.Key is not null).GroupBy(u => u.Use.Key))
        {
            db.Run("UPDATE access_key SET used = ?2 WHERE id = ?1", key.Key, key.Max(u => u.At).ToUnixTimeMilliseconds());
        }
        foreach (var link in booked.OfType<Used>().Where(u => u.Use.Link is not null).GroupBy(u => u.Use.Link))
        {
            db.Run("UPDATE link SET uses = uses + ?2 WHERE id = ?1", link.Key, link.Count());
        }
        foreach (var read in booked.OfType<WasRead>())
        {
            // What was read from a bucket that went meanwhile goes on nobody's bill.
            if (
                terms?.Find(read.Bucket) is not { } bucket
                || terms.Prices.Coldness(read.Tier) is not (>= 0 and var tier)
                || bucket.Prices[tier] is null
            )
                continue;
            var charge = Events.Read(db, terms, read.Day, bucket, tier, 1, read.Bytes, bucket.TargetOf(read.Key));
            db.Run(
                "UPDATE entry SET touched = max(coalesce(touched, 0), ?2), charged = charged + ?3 WHERE id = ?1",
                read.Version,
                read.Day.DayNumber,
                charge
            );
        }
        return () => booked.ForEach(waiting.Enqueue);
    }
}
