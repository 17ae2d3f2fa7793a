using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Objects;

/// <summary>An object on its way, in parts: what has come stays when the connection breaks, and the rest is sent later.</summary>
/// <param name="Id">Not to be guessed.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Key">Of the object that it will be.</param>
/// <param name="Length">In bytes.</param>
/// <param name="Received">Bytes that have come.</param>
/// <param name="Begun">The provider's instant.</param>
/// <param name="LastReceived">The provider's day on which it began or the last part came.</param>
/// <param name="RemovedOn">The day whose night removes it unless more comes; null where the bucket removes none.</param>
/// <param name="MediaType">As declared; null when it was not.</param>
/// <param name="Tags">Null for none.</param>
/// <param name="OnlyNew">Whether it must not take the place of an object.</param>
/// <param name="Fingerprint">By which its sender knows the file again; null for none.</param>
public sealed record Upload(
    string Id,
    string Bucket,
    string Key,
    long Length,
    long Received,
    DateTimeOffset Begun,
    DateOnly LastReceived,
    DateOnly? RemovedOn,
    string? MediaType,
    IReadOnlyDictionary<string, string>? Tags,
    bool OnlyNew,
    string? Fingerprint
);

/// <summary>Rows of the index's tables of uploads and their parts, which are contents like any other and rest in the landing tier.</summary>
internal static class UploadRows
{
    private const string Received =
        "(SELECT coalesce(sum(c.bytes), 0) FROM upload_part p JOIN content c ON c.name = p.content WHERE p.upload = u.id)";

    private static readonly string Select =
        $"SELECT u.id, u.key, u.length, {Received}, u.begun, u.touched, u.media, u.tags, u.only_new, u.fingerprint FROM upload u ";

    public static IReadOnlyList<Upload> All(SqliteConnection db, BucketTerms bucket) =>
        db.List(Select + "WHERE u.bucket = ?1 ORDER BY u.key, u.begun, u.id", r => Read(r, bucket), bucket.Id);

    public static Upload? Find(SqliteConnection db, BucketTerms bucket, string id) =>
        db.List(Select + "WHERE u.bucket = ?1 AND u.id = ?2", r => Read(r, bucket), bucket.Id, id) is [var found] ? found : null;

    private static Upload Read(SqliteDataReader row, BucketTerms bucket)
    {
        var touched = DateOnly.FromDayNumber(row.GetInt32(5));
        return new(
            row.GetString(0),
            bucket.Bucket.Name,
            row.GetString(1),
            row.GetInt64(2),
            row.GetInt64(3),
            DateTimeOffset.FromUnixTimeMilliseconds(row.GetInt64(4)),
            touched,
            bucket.Bucket.UnfinishedUploadDays is { } days ? touched.AddDays(days) : null,
            row.Text(6),
            TagText.Read(row.Text(7)),
            row.GetInt32(8) == 1,
            row.Text(9)
        );
    }

    public static void Add(SqliteConnection db, BucketTerms bucket, Upload upload) =>
        db.Run(
            """
            INSERT INTO upload(id, bucket, key, length, begun, touched, media, tags, only_new, fingerprint)
            VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)
            """,
            upload.Id,
            bucket.Id,
            upload.Key,
            upload.Length,
            upload.Begun.ToUnixTimeMilliseconds(),
            upload.LastReceived.DayNumber,
            upload.MediaType,
            TagText.Write(upload.Tags),
            upload.OnlyNew ? 1 : 0,
            upload.Fingerprint
        );

    public static void AddPart(SqliteConnection db, string upload, WrittenContent part, long bucket, DateOnly today)
    {
        db.Run(WrittenContent.Insert, part.Row(bucket));
        db.Run(
            "INSERT INTO upload_part(upload, number, content) SELECT ?1, count(*), ?2 FROM upload_part WHERE upload = ?1",
            upload,
            part.Name
        );
        db.Run("UPDATE upload SET touched = ?2 WHERE id = ?1", upload, today.DayNumber);
    }

    /// <summary>In their order, each with its sum.</summary>
    public static IReadOnlyList<(StoredContent Content, ContentSum Sum)> Parts(SqliteConnection db, string upload) =>
        db.List(
            $"SELECT {ContentSum.Columns}, {StoredContent.Columns} FROM upload_part e {StoredContent.Joins} WHERE e.upload = ?1 ORDER BY e.number",
            r => (StoredContent.Read(r, 2)!, ContentSum.Read(r, 0)!),
            upload
        );

    public static void Remove(SqliteConnection db, string upload) => db.Run("DELETE FROM upload WHERE id = ?1", upload);

    /// <summary>Parts that rest on a day: all there are.</summary>
    public static List<(long Bucket, string Key, double Count, long Bytes)> Resting(SqliteConnection db) =>
        db.List(
            """
            SELECT u.bucket, u.key, count(*), c.bytes FROM upload u JOIN upload_part p ON p.upload = u.id JOIN content c ON c.name = p.content
            GROUP BY u.bucket, u.key, c.bytes
            """,
            r => (r.GetInt64(0), r.GetString(1), r.GetDouble(2), r.GetInt64(3))
        );

    /// <summary>Parts of a bucket's uploads, and until when they rest if nothing more comes.</summary>
    public static IReadOnlyList<UnfinishedLot> Lots(SqliteConnection db, BucketTerms bucket) =>
        db.List(
            """
            SELECT sum(coalesce(p.number, 0) = first.number), count(p.upload), coalesce(c.bytes, 0), u.touched FROM upload u
            JOIN (SELECT u.id, coalesce(min(p.number), 0) number FROM upload u LEFT JOIN upload_part p ON p.upload = u.id WHERE u.bucket = ?1
                GROUP BY u.id) first ON first.id = u.id
            LEFT JOIN upload_part p ON p.upload = u.id LEFT JOIN content c ON c.name = p.content
            GROUP BY c.bytes, u.touched ORDER BY u.touched, c.bytes
            """,
            r => new UnfinishedLot(r.GetDouble(0), r.GetDouble(1), r.GetInt64(2), DateOnly.FromDayNumber(r.GetInt32(3))),
            bucket.Id
        );

    /// <summary>What the night of a day removes, in a bucket that removes some.</summary>
    public static IReadOnlyList<Upload> Over(SqliteConnection db, BucketTerms bucket, DateOnly day) =>
        bucket.Bucket.UnfinishedUploadDays is null ? [] : [.. All(db, bucket).Where(u => u.RemovedOn <= day)];
}
