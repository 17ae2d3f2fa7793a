using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Sealing;

/// <summary>
/// Sealing keys in the index. A key without a bucket is the provider's; of each owner one is current and wraps what comes, the others only
/// wrap what was not wrapped anew yet.
/// </summary>
internal static class SealingRows
{
    public const string Columns = "k.id, k.name, k.fingerprint, k.withdrawn";

    /// <summary>The owner of keys whose bucket is gone.</summary>
    private const long Nobody = 0;

    /// <summary>Null where the join found none.</summary>
    public static SealingKey? Read(SqliteDataReader row, int at) =>
        row.IsDBNull(at)
            ? null
            : new SealingKey(row.GetInt64(at), row.GetString(at + 1), row.GetFieldValue<byte[]>(at + 2), !row.IsDBNull(at + 3));

    /// <summary>The key under which the bucket's content is put: its own, or else the provider's.</summary>
    public static SealingKey Current(SqliteConnection db, long? bucket) =>
        db.List(
                $"SELECT {Columns} FROM sealing_key k WHERE k.current = 1 AND (k.bucket IS NULL OR k.bucket = ?1) ORDER BY k.bucket IS NULL "
                    + "LIMIT 1",
                r => Read(r, 0)!,
                bucket
            )
            .Single();

    public static SealingKey? Own(SqliteConnection db, long bucket) =>
        db.List($"SELECT {Columns} FROM sealing_key k WHERE k.current = 1 AND k.bucket = ?1", r => Read(r, 0), bucket).SingleOrDefault();

    public static bool HasProviders(SqliteConnection db) =>
        db.Value<long>("SELECT EXISTS (SELECT 1 FROM sealing_key WHERE current = 1 AND bucket IS NULL)") == 1;

    /// <summary>A new key takes the place of the owner's current one.</summary>
    public static void Replace(SqliteConnection db, KeyChest chest, long? bucket, DateTimeOffset now)
    {
        var (name, fingerprint) = chest.Make();
        db.Run("UPDATE sealing_key SET current = 0 WHERE current = 1 AND bucket IS ?1", bucket);
        db.Run(
            "INSERT INTO sealing_key(name, bucket, made, fingerprint, current) VALUES(?1, ?2, ?3, ?4, 1)",
            name,
            bucket,
            now.ToUnixTimeMilliseconds(),
            fingerprint
        );
    }

    /// <summary>Gives buckets keys of their own, or has them take up the provider's again, as the plan says.</summary>
    /// <returns>Whether any has another one than before.</returns>
    public static bool Want(SqliteConnection db, KeyChest chest, IReadOnlyList<BucketTerms> buckets, DateTimeOffset now)
    {
        var own = db.List("SELECT bucket FROM sealing_key WHERE current = 1 AND bucket IS NOT NULL", r => r.GetInt64(0)).ToHashSet();
        var others = buckets.Where(b => b.Bucket.OwnKey != own.Contains(b.Id)).ToList();
        foreach (var bucket in others)
        {
            if (bucket.Bucket.OwnKey)
                Replace(db, chest, bucket.Id, now);
            else
                db.Run("UPDATE sealing_key SET current = 0 WHERE bucket = ?1", bucket.Id);
        }
        return others.Count > 0;
    }

    /// <summary>A bucket is gone; what is still on its way from it goes on under its key until it is wrapped anew.</summary>
    public static void Orphan(SqliteConnection db, long bucket)
    {
        db.Run("UPDATE sealing_key SET current = 0, bucket = ?2 WHERE bucket = ?1", bucket, Nobody);
        db.Run("UPDATE content SET bucket = NULL WHERE bucket = ?1", bucket);
    }
}
