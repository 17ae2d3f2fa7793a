using Microsoft.Data.Sqlite;
using Ripen.Provider.Copying;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider;

/// <summary>What the provider's parts share: index, files, the plan in force, the clock.</summary>
internal sealed class ProviderState(ProviderIndex index, ContentFiles contents, TimeProvider wallClock)
{
    private volatile Terms? terms;

    public ProviderIndex Index => index;

    public ContentFiles Contents => contents;

    /// <summary>What people's clocks show, for the log and for records.</summary>
    public DateTimeOffset WallClock => wallClock.GetUtcNow();

    /// <exception cref="InvalidOperationException">No plan was adopted yet.</exception>
    public Terms Terms
    {
        get => terms ?? throw new InvalidOperationException("The provider has no plan yet.");
        set => terms = value;
    }

    /// <summary>A bucket whose region can be reached.</summary>
    /// <exception cref="RefusalException">There is no such bucket, or its region is lost.</exception>
    public BucketTerms Reach(SqliteConnection db, string bucket)
    {
        var own = Terms[bucket];
        return Lines.IsLost(db, own.Bucket.Region) ? throw RefusalException.Unreachable(own.Bucket) : own;
    }

    public static DateTimeOffset Now(SqliteConnection db) => DateTimeOffset.FromUnixTimeMilliseconds(db.Value<long>("SELECT value FROM meta WHERE name = 'now'"));

    public static void SetNow(SqliteConnection db, DateTimeOffset now) =>
        db.Run("INSERT INTO meta VALUES('now', ?1) ON CONFLICT DO UPDATE SET value = excluded.value", now.ToUnixTimeMilliseconds());

    /// <summary>The instant at which a day begins.</summary>
    public static DateTimeOffset Midnight(DateOnly day) => new(day.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero);

    public static DateOnly Today(SqliteConnection db) => DateOnly.FromDateTime(Now(db).UtcDateTime);

    public static void Touch(SqliteConnection db, BucketTerms bucket) => db.Run("UPDATE bucket SET changes = changes + 1 WHERE id = ?1", bucket.Id);

    /// <summary>Notes in the log what somebody did by hand; dated by the wall clock, as everything in the log is.</summary>
    public void Note(SqliteConnection db, string bucket, string what) =>
        db.Run("INSERT INTO deed(at, bucket, what) VALUES(?1, ?2, ?3)", WallClock.ToUnixTimeMilliseconds(), bucket, what);

    /// <summary>Runs a change; files that nothing speaks of after it go from the disk. A full disk becomes a refusal.</summary>
    public T Change<T>(Func<SqliteConnection, T> change, CancellationToken cancel = default)
    {
        try
        {
            var result = index.Change(change, cancel);
            EmptyTrash();
            return result;
        }
        catch (SqliteException full) when (full.SqliteErrorCode == SqliteFull)
        {
            throw DiskFull();
        }
    }

    public void Change(Action<SqliteConnection> change, CancellationToken cancel = default) => Change(db =>
    {
        change(db);
        return true;
    }, cancel);

    /// <summary>Files first, then their names: whatever is interrupted is done again.</summary>
    public void EmptyTrash()
    {
        var names = index.Read(db => db.List("SELECT name FROM trash", r => r.GetString(0)));
        if (names.Count == 0) return;
        foreach (var name in names) contents.Remove(name);
        index.Change(db =>
        {
            foreach (var name in names) db.Run("DELETE FROM trash WHERE name = ?1", name);
        });
    }

    /// <summary>Whether the disk had no room (ENOSPC).</summary>
    public static bool IsFull(IOException error) => error.HResult == 28;

    public static RefusalException DiskFull() =>
        new(RefusalKind.Full, "disk-full", "The provider's disk is full; nothing was stored. Make room and send it again.");

    private const int SqliteFull = 13;
}
