using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Sealing;

namespace Ripen.Provider;

/// <summary>What the provider's parts share: index, files, the plan in force, the clock, who acts.</summary>
internal sealed class ProviderState(
    ProviderIndex index,
    ContentFiles contents,
    KeyChest chest,
    DiskReserve reserve,
    TimeProvider wallClock,
    IActors actors
)
{
    /// <summary>Plans that a reader's snapshot may still be of.</summary>
    private const int PlansRemembered = 16;

    private readonly ConcurrentDictionary<long, Terms> plans = [];

    public ProviderIndex Index => index;

    public ContentFiles Contents => contents;

    public KeyChest Chest => chest;

    /// <summary>What readers did and is still to be booked.</summary>
    public Uses Uses { get; } = new();

    /// <summary>What must not go on at the same time.</summary>
    public Exclusion Exclusion { get; } = new();

    /// <summary>What people's clocks show, for the log and for records.</summary>
    public DateTimeOffset WallClock => wallClock.GetUtcNow();

    /// <summary>The plan that was in force when the rows came to be that <paramref name="db"/> reads: rows and rules are of one
    /// moment.</summary>
    /// <exception cref="InvalidOperationException">No plan was adopted yet.</exception>
    public Terms TermsIn(SqliteConnection db) => FindTerms(db) ?? throw new InvalidOperationException("The provider has no plan yet.");

    public Terms? FindTerms(SqliteConnection db) =>
        db.Value<long?>("SELECT value FROM meta WHERE name = 'adoption'") is { } number && plans.GetValueOrDefault(number) is { } terms
            ? terms.Prices.Changes.Count == 0
                ? terms
                : terms.On(Today(db))
            : null;

    /// <summary>Puts a plan in force with the transaction of <paramref name="db"/>; a transaction that fails leaves the plan before
    /// it.</summary>
    public void PutInForce(SqliteConnection db, Terms terms)
    {
        var number = (db.Value<long?>("SELECT value FROM meta WHERE name = 'adoption'") ?? 0) + 1;
        db.Run("INSERT INTO meta VALUES('adoption', ?1) ON CONFLICT DO UPDATE SET value = excluded.value", number);
        plans[number] = terms;
        plans.TryRemove(number - PlansRemembered, out _);
    }

    /// <summary>The plan that an earlier process had put in force.</summary>
    public void Remember(SqliteConnection db, Terms terms) =>
        plans[db.Value<long>("SELECT value FROM meta WHERE name = 'adoption'")] = terms;

    /// <summary>A bucket whose region can be reached.</summary>
    /// <exception cref="RefusalException">There is no such bucket, or its region is lost.</exception>
    public BucketTerms Reach(SqliteConnection db, string bucket)
    {
        var own = TermsIn(db)[bucket];
        return !Lines.IsLost(db, own.Bucket.Region)
            ? own
            : throw new RefusalException(
                RefusalKind.Unavailable,
                "region-lost",
                $"'{own.Bucket.Name}' lies in region '{own.Bucket.Region}', which is lost at present; read a copy elsewhere, or wait "
                    + "until the region is back."
            );
    }

    /// <summary>A bucket to which something may be added.</summary>
    /// <exception cref="RefusalException">There is no such bucket, its region is lost, or it is about to go.</exception>
    public BucketTerms ReachToAdd(SqliteConnection db, string bucket)
    {
        Exclusion.DemandOpen(bucket);
        return Reach(db, bucket);
    }

    public static DateTimeOffset Now(SqliteConnection db) =>
        DateTimeOffset.FromUnixTimeMilliseconds(db.Value<long>("SELECT value FROM meta WHERE name = 'now'"));

    public static void SetNow(SqliteConnection db, DateTimeOffset now) =>
        db.Run("INSERT INTO meta VALUES('now', ?1) ON CONFLICT DO UPDATE SET value = excluded.value", now.ToUnixTimeMilliseconds());

    /// <summary>The instant at which a day begins.</summary>
    public static DateTimeOffset Midnight(DateOnly day) => new(day.ToDateTime(TimeOnly.MinValue), TimeSpan.Zero);

    public static DateOnly Today(SqliteConnection db) => DateOnly.FromDateTime(Now(db).UtcDateTime);

    public static void Touch(SqliteConnection db, BucketTerms bucket) =>
        db.Run("UPDATE bucket SET changes = changes + 1 WHERE id = ?1", bucket.Id);

    /// <summary>Notes in the log what somebody did by hand, and who; dated by the wall clock, as everything in the log is.</summary>
    public void Note(SqliteConnection db, string bucket, string what) =>
        db.Run(
            "INSERT INTO deed(at, bucket, what, actor) VALUES(?1, ?2, ?3, ?4)",
            WallClock.ToUnixTimeMilliseconds(),
            bucket,
            what,
            actors.Current.Name
        );

    /// <summary>Runs a change; files that nothing speaks of after it go from the disk. A full disk becomes a refusal.</summary>
    public T Change<T>(Func<SqliteConnection, T> change, CancellationToken cancel = default)
    {
        try
        {
            Action putBack = () => { };
            T result;
            try
            {
                result = index.Change(
                    db =>
                    {
                        if (!Uses.IsEmpty)
                            putBack = Uses.Book(db, FindTerms(db));
                        return change(db);
                    },
                    cancel
                );
            }
            catch
            {
                putBack();
                throw;
            }
            EmptyTrash();
            return result;
        }
        catch (SqliteException full) when (full.SqliteErrorCode == SqliteFull)
        {
            throw DiskFull();
        }
    }

    /// <summary>Runs a change that makes room: on a full disk with what is held back for it.</summary>
    public T Free<T>(Func<SqliteConnection, T> change)
    {
        try
        {
            return Change(change);
        }
        catch (RefusalException full) when (full.Kind == RefusalKind.Full && reserve.Release())
        {
            return Change(change);
        }
    }

    public void Change(Action<SqliteConnection> change, CancellationToken cancel = default) =>
        Change(
            db =>
            {
                change(db);
                return true;
            },
            cancel
        );

    /// <summary>Books what readers did, when nobody is writing at the moment; for those who are about to look at it.</summary>
    public void BookUses()
    {
        if (Uses.IsEmpty || !index.IsFree)
            return;
        Change(_ => { });
    }

    public ProviderState Booked()
    {
        BookUses();
        return this;
    }

    /// <summary>The same soon after, without anybody waiting for it.</summary>
    public void BookUsesSoon()
    {
        if (Interlocked.Exchange(ref booking, 1) == 1)
            return;
        _ = Task.Run(async () =>
        {
            await Task.Delay(BookAfterMilliseconds);
            Volatile.Write(ref booking, 0);
            try
            {
                if (!Uses.IsEmpty)
                    Change(_ => { });
            }
            catch (Exception e) when (e is ObjectDisposedException or RefusalException or SqliteException or InvalidOperationException)
            {
                // The provider has ended, or its disk is full: it waits for the next change.
            }
        });
    }

    /// <summary>Files first, then their names: whatever is interrupted is done again.</summary>
    public void EmptyTrash()
    {
        var names = index.Read(db => db.List("SELECT name FROM trash", r => r.GetString(0)));
        if (names.Count == 0)
            return;
        foreach (var name in names)
            contents.Remove(name);
        index.Change(db =>
        {
            foreach (var name in names)
                db.Run("DELETE FROM trash WHERE name = ?1", name);
        });
        reserve.Take();
    }

    /// <summary>Whether the disk had no room (ENOSPC).</summary>
    public static bool IsFull(IOException error) => error.HResult == 28;

    public static RefusalException DiskFull() =>
        new(RefusalKind.Full, "disk-full", "The provider's disk is full; nothing was stored. Make room and send it again.");

    private const int SqliteFull = 13;
    private const int BookAfterMilliseconds = 500;
    private int booking;
}
