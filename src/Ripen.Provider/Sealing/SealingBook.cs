using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;

namespace Ripen.Provider.Sealing;

/// <summary>InForce: contents can be read and written. Withdrawn: its owner took it away, and may give it back. Lost: its file is not
/// there.</summary>
public enum KeyState
{
    InForce,
    Withdrawn,
    Lost,
}

/// <summary>What encrypts a bucket's contents at rest (AES-256-GCM, a data key for each content, wrapped by this one).</summary>
/// <param name="Key">Its name.</param>
/// <param name="IsBuckets">Whether it is the bucket's own, or the provider's.</param>
/// <param name="State">Of the key.</param>
/// <param name="Made">By the wall clock.</param>
/// <param name="File">Where its secret lies: to be kept elsewhere as well.</param>
/// <param name="Objects">Contents whose data keys it wraps.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Waiting">Contents that an earlier key wraps still.</param>
/// <param name="Unreadable">Of them, those whose key is withdrawn or lost.</param>
/// <param name="Plain">Contents that were stored before there was encryption at rest, and lie unencrypted.</param>
public sealed record BucketSeal(
    string Key,
    bool IsBuckets,
    KeyState State,
    DateTimeOffset Made,
    string File,
    long Objects,
    long Bytes,
    long Waiting,
    long Unreadable,
    long Plain
);

/// <summary>Encryption at rest: the provider's key, and those of buckets.</summary>
public sealed class SealingBook : IDisposable
{
    private const int InOneTransaction = 1000;

    private readonly ProviderState state;
    private readonly KeyChest chest;
    private readonly CancellationTokenSource ending = new();
    private readonly Lock pass = new();
    private Task wrapping = Task.CompletedTask;
    private bool ended;

    internal SealingBook(ProviderState state, KeyChest chest)
    {
        (this.state, this.chest) = (state, chest);
        if (!state.Index.Read(SealingRows.HasProviders))
            state.Change(db => SealingRows.Replace(db, chest, null, state.WallClock));
        PutAsideUnneeded();
    }

    public BucketSeal Of(string bucket) => state.Index.Read(db => Of(db, state.TermsIn(db)[bucket].Id));

    /// <summary>What the provider's key wraps, in whatever bucket.</summary>
    public BucketSeal OfProvider() => state.Index.Read(db => Of(db, null));

    /// <summary>A new key takes the place of the one in force: at once for what comes, soon for what is there. No content is
    /// rewritten.</summary>
    /// <exception cref="RefusalException">The key is withdrawn; the bucket has none of its own.</exception>
    public void Rotate(string? bucket)
    {
        state.Change(db =>
        {
            var own = bucket is null ? null : (long?)DemandOwn(db, bucket);
            if (SealingRows.Current(db, own).IsWithdrawn)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "key-withdrawn",
                    "The key is withdrawn; give it back first, so that a new one can take over what it encrypts."
                );
            SealingRows.Replace(db, chest, own, state.WallClock);
            state.Note(db, bucket ?? "", bucket is null ? "replaced the provider's key" : "replaced the bucket's key");
        });
        WrapSoon();
    }

    /// <summary>From now on nothing under the bucket's own key can be read, copied or written. Nothing is destroyed by it.</summary>
    /// <exception cref="RefusalException">The bucket has no key of its own; it is not so.</exception>
    public void Withdraw(string bucket, string repeatedName) =>
        state.Change(db =>
        {
            if (repeatedName != bucket)
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "not-confirmed",
                    $"Type the bucket's name, {bucket}: nothing in it can be read or written until the key is given back.",
                    "$.confirm"
                );
            var own = DemandOwn(db, bucket);
            db.Run(
                "UPDATE sealing_key SET withdrawn = ?2 WHERE bucket = ?1 AND withdrawn IS NULL",
                own,
                state.WallClock.ToUnixTimeMilliseconds()
            );
            ProviderState.Touch(db, state.TermsIn(db)[bucket]);
            state.Note(db, bucket, "withdrew the bucket's key");
        });

    public void GiveBack(string bucket)
    {
        state.Change(db =>
        {
            db.Run("UPDATE sealing_key SET withdrawn = NULL WHERE bucket = ?1", state.TermsIn(db)[bucket].Id);
            ProviderState.Touch(db, state.TermsIn(db)[bucket]);
            state.Note(db, bucket, "gave the bucket's key back");
        });
        WrapSoon();
    }

    /// <summary>Wraps anew what another key than the one in force still wraps; what it cannot unwrap stays. Whatever is interrupted is gone
    /// on with by the next one.</summary>
    /// <returns>How many contents.</returns>
    public int WrapAll(CancellationToken cancel)
    {
        lock (pass)
        {
            var wrapped = 0;
            var work = state.Index.Read(db =>
                db.List(
                        $"SELECT DISTINCT c.bucket, {SealingRows.Columns} FROM content c JOIN sealing_key k ON k.id = c.sealed_by",
                        r => (Bucket: r.Long(0), From: SealingRows.Read(r, 1)!)
                    )
                    .Select(w => (w.Bucket, w.From, To: SealingRows.Current(db, w.Bucket)))
                    .Where(w => w.From.Id != w.To.Id && IsAtHand(w.From) && IsAtHand(w.To))
                    .ToList()
            );
            foreach (var (bucket, from, to) in work)
            {
                while (state.Change(db => WrapSome(db, bucket, from, to), cancel) is var some and > 0)
                    wrapped += some;
            }
            return wrapped;
        }
    }

    /// <summary>The same soon after, without anybody waiting for it.</summary>
    public void WrapSoon()
    {
        lock (ending)
            wrapping = wrapping.ContinueWith(
                _ =>
                {
                    try
                    {
                        WrapAll(ending.Token);
                    }
                    catch (Exception e) when (e is OperationCanceledException or RefusalException or SqliteException)
                    {
                        // The provider ends, a key went meanwhile, or the disk is full: the next start or the next change goes on.
                    }
                },
                CancellationToken.None,
                TaskContinuationOptions.None,
                TaskScheduler.Default
            );
    }

    public void Dispose()
    {
        if (ended)
            return;
        ended = true;
        ending.Cancel();
        lock (ending)
            wrapping.Wait();
        ending.Dispose();
    }

    private bool IsAtHand(SealingKey key) => !key.IsWithdrawn && chest.Has(key);

    private int WrapSome(SqliteConnection db, long? bucket, SealingKey from, SealingKey to)
    {
        var (old, secret) = (chest.Secret(from), chest.Secret(to));
        var some = db.List(
            "SELECT name, wrapped FROM content WHERE bucket IS ?1 AND sealed_by = ?2 LIMIT ?3",
            r => (Name: r.GetString(0), Wrapped: r.GetFieldValue<byte[]>(1)),
            bucket,
            from.Id,
            InOneTransaction
        );
        using var update = db.Repeated("UPDATE content SET wrapped = ?2, sealed_by = ?3 WHERE name = ?1", 3);
        foreach (var (name, wrapped) in some)
            update.Again(name, DataKey.Unwrap(wrapped, old, name).Wrap(secret, name), to.Id);
        return some.Count;
    }

    /// <summary>Keys that wrap nothing any more. Only at the start: a body that is being taken may still be under one.</summary>
    private void PutAsideUnneeded()
    {
        var unneeded = state.Change(db =>
        {
            const string Unneeded = "current = 0 AND NOT EXISTS (SELECT 1 FROM content WHERE sealed_by = sealing_key.id)";
            var names = db.List($"SELECT name FROM sealing_key WHERE {Unneeded}", r => r.GetString(0));
            if (names.Count > 0)
                db.Run($"DELETE FROM sealing_key WHERE {Unneeded}");
            return names;
        });
        foreach (var name in unneeded)
            chest.PutAside(name);
    }

    private long DemandOwn(SqliteConnection db, string bucket)
    {
        var id = state.TermsIn(db)[bucket].Id;
        return SealingRows.Own(db, id) is not null
            ? id
            : throw new RefusalException(
                RefusalKind.Conflict,
                "no-own-key",
                $"'{bucket}' has no key of its own: the provider's key encrypts it. Give it one first."
            );
    }

    private BucketSeal Of(SqliteConnection db, long? bucket)
    {
        var key = SealingRows.Current(db, bucket);
        var (made, own) = db.List(
                "SELECT made, bucket IS NOT NULL FROM sealing_key WHERE id = ?1",
                r => (r.GetInt64(0), r.GetBoolean(1)),
                key.Id
            )
            .Single();
        var wraps = db.List(
            $"""
            SELECT count(*), coalesce(sum(c.bytes), 0), {SealingRows.Columns} FROM content c LEFT JOIN sealing_key k ON k.id = c.sealed_by
            WHERE (?1 IS NULL AND k.bucket IS NULL OR c.bucket = ?1) AND c.sealed_by IS NOT NULL GROUP BY c.sealed_by
            """,
            r => (Objects: r.GetInt64(0), Bytes: r.GetInt64(1), Key: SealingRows.Read(r, 2)!),
            bucket
        );
        var current = wraps.SingleOrDefault(w => w.Key.Id == key.Id);
        var others = wraps.Where(w => w.Key.Id != key.Id).ToList();
        return new BucketSeal(
            key.Name,
            own,
            key.IsWithdrawn ? KeyState.Withdrawn
                : chest.Has(key) ? KeyState.InForce
                : KeyState.Lost,
            DateTimeOffset.FromUnixTimeMilliseconds(made),
            chest.PathOf(key.Name),
            current.Objects,
            current.Bytes,
            others.Sum(w => w.Objects),
            others.Where(w => !IsAtHand(w.Key)).Sum(w => w.Objects),
            db.Value<long>(
                "SELECT count(*) FROM entry e JOIN content c ON c.name = e.content WHERE (?1 IS NULL OR e.bucket = ?1) AND c.sealed_by IS NULL",
                bucket
            )
        );
    }
}
