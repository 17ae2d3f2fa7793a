using System.Text.Json;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>What was proved: a probe's way, an audit of two sides, or what a region's loss meant.</summary>
public enum ProofKind
{
    Probe,
    Audit,
    RegionLost,
    RegionBack,
}

/// <summary>A dated record of a proof, kept for good.</summary>
/// <param name="Id">Rises.</param>
/// <param name="At">On the wall clock.</param>
/// <param name="Clock">On the provider's clock.</param>
/// <param name="Kind">What was proved.</param>
/// <param name="Subject">The bucket that is copied, or the region.</param>
/// <param name="Target">The bucket with the copies; null for a region.</param>
/// <param name="Good">Whether nothing was found that is not as it should be.</param>
/// <param name="Summary">In a sentence.</param>
public sealed record ProofHead(
    long Id,
    DateTimeOffset At,
    DateTimeOffset Clock,
    ProofKind Kind,
    string Subject,
    string? Target,
    bool Good,
    string Summary
);

/// <summary>Something that happened on the way, on the provider's clock.</summary>
public sealed record ProofStep(string What, DateTimeOffset At);

/// <summary>Something found.</summary>
/// <param name="Kind">What about it: stable words, such as "missing-there".</param>
/// <param name="Key">An object's key; the prefix that weightless objects share.</param>
/// <param name="Version">The original's number, the same on every side; 0 for weightless objects.</param>
/// <param name="Objects">1, or how many weightless ones.</param>
/// <param name="Bytes">All together.</param>
/// <param name="Written">When the first of them was written.</param>
/// <param name="Note">More about it.</param>
/// <param name="Bucket">Where it lies.</param>
public sealed record ProofItem(
    string Kind,
    string Bucket,
    string Key,
    long Version,
    double Objects,
    double Bytes,
    DateTimeOffset Written,
    string? Note
);

public sealed record ProofRecord(ProofHead Head, IReadOnlyList<ProofStep> Steps, IReadOnlyList<ProofItem> Items);

internal static class Proofs
{
    private sealed record Body(IReadOnlyList<ProofStep> Steps, IReadOnlyList<ProofItem> Items);

    private const string Heads = "SELECT id, at, clock, kind, bucket, target, good, summary, record FROM proof";

    public static long Keep(
        SqliteConnection db,
        ProviderState state,
        DateTimeOffset clock,
        ProofKind kind,
        string subject,
        string? target,
        bool good,
        string summary,
        IReadOnlyList<ProofStep> steps,
        IReadOnlyList<ProofItem> items
    )
    {
        db.Run(
            "INSERT INTO proof(at, clock, kind, bucket, target, good, summary, record) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            state.WallClock.ToUnixTimeMilliseconds(),
            clock.ToUnixTimeMilliseconds(),
            kind.ToString(),
            subject,
            target,
            good ? 1 : 0,
            summary,
            JsonSerializer.Serialize(new Body(steps, items))
        );
        return db.Value<long>("SELECT last_insert_rowid()");
    }

    public static List<ProofHead> Newest(SqliteConnection db, int most) => db.List($"{Heads} ORDER BY id DESC LIMIT ?1", Head, most);

    /// <exception cref="RefusalException">There is no such record.</exception>
    public static ProofRecord Find(SqliteConnection db, long id)
    {
        var found = db.List($"{Heads} WHERE id = ?1", r => (Head: Head(r), Body: JsonSerializer.Deserialize<Body>(r.GetString(8))!), id);
        return found.Count == 1
            ? new ProofRecord(found[0].Head, found[0].Body.Steps, found[0].Body.Items)
            : throw new RefusalException(RefusalKind.NotFound, "no-record", $"There is no record {id}.");
    }

    private static ProofHead Head(SqliteDataReader r) =>
        new(
            r.GetInt64(0),
            Lines.Instant(r.GetInt64(1)),
            Lines.Instant(r.GetInt64(2)),
            Enum.Parse<ProofKind>(r.GetString(3)),
            r.GetString(4),
            r.Text(5),
            r.GetInt32(6) == 1,
            r.GetString(7)
        );
}
